package live

import (
	"context"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/limiter"
	"frankledger/core/live/calls"
	"frankledger/core/source"
)

// A folder that was closed early is found again by its path; one that was moved
// in the meantime, with another in its place, is not taken for it.
func TestReach(t *testing.T) {
	root := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(root, "a/b/c"), 0o755))
	h := newHandles()
	d, err := calls.OpenDir(unix.AT_FDCWD, root, true)
	require.NoError(t, err)
	top := h.opened(&entry.Folder{Place: &entry.Place{Given: root, Full: root}}, nil, d)
	defer h.letGo(top, 1)
	at := top
	for _, name := range []string{"a", "b"} {
		d, err := calls.OpenDir(at.dir.Handle(), name, false)
		require.NoError(t, err)
		at = h.opened(entry.NewFolder(at.folder, name), at, d)
		h.shutEarly(at)
		require.True(t, at.shut)
		if at.above.shut { // let go of what is closed: the path starts further up
			h.letGo(at.above, 1)
		}
		if name == "a" {
			reached, err := h.reach(at)
			require.NoError(t, err)
			at.dir, at.shut = reached, false
			h.open.Add(1)
		}
	}
	reached, err := h.reach(at)
	require.NoError(t, err)
	below, err := calls.OpenDir(reached.Handle(), "c", false)
	require.NoError(t, err)
	below.Close()
	reached.Close()

	require.NoError(t, os.Rename(filepath.Join(root, "a/b"), filepath.Join(root, "moved")))
	_, err = h.reach(at)
	assert.ErrorIs(t, err, unix.ENOENT)
	require.NoError(t, os.Mkdir(filepath.Join(root, "a/b"), 0o755))
	_, err = h.reach(at)
	assert.ErrorIs(t, err, errMoved)
}

// All work is done once, also what comes up while working, and then everybody
// stops.
func TestQueue(t *testing.T) {
	q := newQueue(limiter.New())
	q.workers = 8
	q.push(false, work{records: make([]byte, 12)})
	var done atomic.Int64
	var group sync.WaitGroup
	for range 8 {
		group.Go(func() {
			for {
				item, ok := q.pop()
				if !ok {
					return
				}
				done.Add(1)
				if n := len(item.records); n > 0 {
					q.push(false, work{records: item.records[:n-1]}, work{records: item.records[:n-1]})
				}
				q.finish()
			}
		})
	}
	group.Wait()
	assert.EqualValues(t, 1<<13-1, done.Load())
	q.push(false, work{})
	q.stop()
	_, ok := q.pop()
	assert.False(t, ok)
	assert.True(t, q.isStopped())
}

// A file that changes while it is read gets no digest, and is named.
func TestDigestOfChangingFile(t *testing.T) {
	root := t.TempDir()
	path := filepath.Join(root, "growing")
	require.NoError(t, os.WriteFile(path, nil, 0o644))
	require.NoError(t, os.Truncate(path, 64<<20))
	stop := make(chan struct{})
	var group sync.WaitGroup
	group.Go(func() {
		for size := int64(64 << 20); ; size++ {
			select {
			case <-stop:
				return
			default:
				os.Truncate(path, size)
			}
		}
	})
	s, err := Open(root, 0)
	require.NoError(t, err)
	read := func() (known bool, problems []source.Problem) {
		report, err := s.Read(context.Background(), source.Request{Facts: entry.FactSHA256, Depth: 1}, source.SinkFunc(func() source.Visitor {
			return func(entries []entry.Entry) error {
				known = entries[0].Known.Has(entry.FactSHA256)
				return nil
			}
		}))
		require.NoError(t, err)
		return known, report.Problems
	}
	known, problems := read()
	close(stop)
	group.Wait()
	assert.False(t, known)
	require.Len(t, problems, 1)
	assert.Equal(t, "take the digest of", problems[0].Tried)
	assert.ErrorIs(t, problems[0].Err, digest.ErrChanged)
	known, problems = read()
	assert.True(t, known)
	assert.Empty(t, problems)
}
