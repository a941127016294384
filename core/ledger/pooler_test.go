package ledger_test

import (
	"context"
	"fmt"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/internal/long"
	"frankledger/internal/testpg"
)

// Behind a pooler, however few connections that has, thirty askers of all machines get their
// answers: nobody waits for a connection while having one.
func TestBehindAPoolerLong(t *testing.T) {
	long.Test(t)
	t.Parallel()
	database := prepared(t)
	root := t.TempDir()
	for i := range 20 {
		require.NoError(t, writeFile(filepath.Join(root, fmt.Sprint("d", i%4), fmt.Sprint("f", i)), i))
	}
	l := opened(t, database, func(name string) (*ledger.Ledger, error) { return ledger.Create(t.Context(), name) })
	for i := range 6 {
		_, _, err := recordOf(t, l, fmt.Sprint("host", i), "l", root, recording.Options{})
		require.NoError(t, err)
	}
	for _, size := range []int{1, 3, 20} {
		t.Run(fmt.Sprint(size), func(t *testing.T) {
			pooled := testpg.Pooled(t, database, size)
			ctx, stop := context.WithTimeout(t.Context(), 50*time.Second)
			defer stop()
			var group sync.WaitGroup
			for range 30 {
				group.Go(func() {
					l, err := ledger.Open(ctx, pooled)
					if !assert.NoError(t, err) {
						return
					}
					defer l.Close()
					l.Wide()
					records, err := l.Newest(ctx, nil)
					assert.NoError(t, err)
					assert.GreaterOrEqual(t, len(records), 6)
					var together sync.WaitGroup // as several are read at once
					for _, r := range records {
						together.Go(func() {
							got, err := readBack(l, r)
							assert.NoError(t, err)
							assert.Len(t, got, 24)
						})
					}
					together.Wait()
				})
			}
			group.Wait()
			assert.NoError(t, ctx.Err(), "nobody hangs")
			// And records are made.
			one, err := ledger.Create(ctx, pooled)
			require.NoError(t, err)
			defer one.Close()
			_, _, err = recordOf(t, one, fmt.Sprint("late", size), "m", root, recording.Options{})
			require.NoError(t, err)
		})
	}
}
