package ledger_test

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/ledger"
	"frankledger/core/ledger/upkeep"
)

// What is sent reads back there what the kernel said here, whatever became of the records on either
// side before: some were sent, some dropped here or there, some made there; sending broke off at
// any call. What is there is not sent again.
func TestSend(t *testing.T) {
	random := rand.New(rand.NewPCG(rand.Uint64(), 19))
	for range fewer(8) {
		root := t.TempDir()
		here, err := createNamed(t.Context(), filepath.Join(t.TempDir(), "here"))
		require.NoError(t, err)
		defer here.Close()
		thereAt := filepath.Join(t.TempDir(), "there")
		there, err := createNamed(t.Context(), thereAt)
		require.NoError(t, err)
		defer there.Close()
		kernelAt := map[int64]map[string]string{} // by when it was taken
		gone := map[int64]bool{}                  // what was dropped there
		taken := func(r ledger.Record) int64 { return r.Taken.UnixNano() }
		for i := range 9 {
			edit(t, random, root, []int{40, 10, 2}[min(i, 2)])
			into := here
			if i > 0 && random.IntN(8) == 0 {
				into = there
			}
			kernelAt[taken(record(t, into, "l", root))] = kernel(t, root)
			switch random.IntN(6) {
			case 0:
				dropAny(t, random, here)
			case 1:
				if dropped, did := dropAny(t, random, there); did {
					gone[taken(dropped)] = true
				}
			case 2:
				require.NoError(t, upkeep.Compact(t.Context(), here))
			case 3:
				require.NoError(t, upkeep.Send(t.Context(), here, there, "tern-point", nil, func(upkeep.Sent) {}))
			}
		}
		// It breaks off, time and again.
		for fails := int64(3); ; fails = fails*2 + random.Int64N(5) {
			broken, err := createNamed(t.Context(), thereAt)
			require.NoError(t, err)
			var calls atomic.Int64
			broken.Interpose(func(bool) error {
				if calls.Add(1) == fails {
					return errInjected
				}
				return nil
			})
			err = upkeep.Send(t.Context(), here, broken, "tern-point", nil, func(upkeep.Sent) {})
			broken.Close()
			if err == nil {
				break
			}
			require.ErrorIs(t, err, errInjected)
		}
		ours, err := here.Records(t.Context())
		require.NoError(t, err)
		count := 0
		require.NoError(t, upkeep.Send(t.Context(), here, there, "tern-point", []string{"l"}, func(s upkeep.Sent) {
			count++
			assert.Equal(t, gone[taken(s.Record)], s.Dropped)
			assert.True(t, s.There || s.Dropped, "everything is there, or was dropped there")
		}))
		assert.Equal(t, len(ours), count)
		theirs, err := there.Records(t.Context())
		require.NoError(t, err)
		met := map[int64]bool{}
		for _, r := range theirs {
			assert.False(t, met[taken(r)], "no record is there twice")
			met[taken(r)] = true
			require.Equal(t, kernelAt[taken(r)], recorded(t, there, r))
		}
		for _, r := range ours {
			assert.Equal(t, !gone[taken(r)], met[taken(r)])
		}
		faults, err := upkeep.Check(t.Context(), there)
		require.NoError(t, err)
		assert.Empty(t, faults)
	}
}

func dropAny(t *testing.T, random *rand.Rand, l *ledger.Ledger) (dropped ledger.Record, did bool) {
	records, err := l.Records(t.Context())
	require.NoError(t, err)
	if len(records) < 2 {
		return dropped, false
	}
	dropped = records[random.IntN(len(records))]
	require.NoError(t, upkeep.Drop(t.Context(), l, dropped.Number))
	return dropped, true
}

// A label that is not there is told. One that stands for another place there stands for what the
// machine said last.
func TestSendLabels(t *testing.T) {
	root, other := t.TempDir(), t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(root, "x"), nil, 0o644))
	here, err := createNamed(t.Context(), filepath.Join(t.TempDir(), "here"))
	require.NoError(t, err)
	defer here.Close()
	there, err := createNamed(t.Context(), filepath.Join(t.TempDir(), "there"))
	require.NoError(t, err)
	defer there.Close()
	record(t, there, "l", other)
	record(t, here, "l", root)
	nothing := func(upkeep.Sent) { t.Error("nothing can be sent") }
	assert.ErrorIs(t, upkeep.Send(t.Context(), here, there, "tern-point", []string{"m"}, nothing), ledger.ErrLabel)
	assert.NoError(t, upkeep.Send(t.Context(), here, there, "another-host", nil, nothing))
	records, err := there.Records(t.Context())
	require.NoError(t, err)
	assert.Len(t, records, 1)
	require.NoError(t, upkeep.Send(t.Context(), here, there, "tern-point", nil, func(upkeep.Sent) {}))
	newest, err := there.Find(t.Context(), ledger.Reference{Label: "l"})
	require.NoError(t, err)
	assert.Equal(t, root, newest.Place)
}
