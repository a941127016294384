//go:build !portable

package live_test

import (
	"context"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/internal/slowfs"
)

// mountSlow mounts a file system that takes two milliseconds to answer anything.
func mountSlow(t *testing.T, folders, files int) (*slowfs.FS, string) {
	dir := t.TempDir()
	slow, err := slowfs.Mount(dir, folders, files, 2*time.Millisecond)
	if err != nil {
		t.Skip(err)
	}
	t.Cleanup(func() { assert.NoError(t, slow.Unmount()) })
	return slow, dir
}

// Where the system takes its time, it is asked about many things at once: about folders, and
// about what is in one.
func TestManyReadersWhereTheyWait(t *testing.T) {
	for name, shape := range map[string][2]int{"many folders": {120, 10}, "one folder": {1, 2000}} {
		t.Run(name, func(t *testing.T) {
			slow, dir := mountSlow(t, shape[0], shape[1])
			s, err := live.Open(dir, 0)
			require.NoError(t, err)
			var entries atomic.Int64
			report, err := s.Read(context.Background(), source.Request{Facts: entry.FactStatus, Depth: source.AllDepths}, source.SinkFunc(func() source.Visitor {
				return func(list []entry.Entry) error {
					entries.Add(int64(len(list)))
					return nil
				}
			}))
			require.NoError(t, err)
			assert.Empty(t, report.Problems)
			assert.EqualValues(t, shape[0]*(shape[1]+1), entries.Load())
			assert.Greater(t, slow.Most(), 20)
		})
	}
}

// And so are contents.
func TestManyDigestsWhereTheyWait(t *testing.T) {
	slow, dir := mountSlow(t, 4, 500)
	s, err := live.Open(dir, 0)
	require.NoError(t, err)
	var files []*entry.Entry
	var mu sync.Mutex
	_, err = s.Read(context.Background(), source.Request{Facts: entry.FactStatus, Depth: source.AllDepths}, source.SinkFunc(func() source.Visitor {
		return func(list []entry.Entry) error {
			mu.Lock()
			defer mu.Unlock()
			for _, e := range list {
				if e.Kind == entry.KindFile {
					e.Name = strings.Clone(e.Name)
					files = append(files, &e)
				}
			}
			return nil
		}
	}))
	require.NoError(t, err)
	require.Len(t, files, 2000)
	slow.Most()
	pool := digest.NewPool(live.Files{}, &source.Progress{})
	require.NoError(t, pool.Digest(context.Background(), files, entry.FactMD5))
	assert.Empty(t, pool.Problems())
	for _, e := range files {
		require.True(t, e.Known.Has(entry.FactMD5))
	}
	assert.Greater(t, slow.Most(), 20)
}
