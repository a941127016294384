package digest_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/source"
)

// memory is files in memory: as many bytes as their size, of their name. Some
// cannot be opened, others change.
type memory struct{ opened, closed atomic.Int64 }

func (m *memory) Opener() digest.Opener { return m }
func (m *memory) Close()                { m.closed.Add(1) }
func (m *memory) Look(e *entry.Entry) error {
	e.Kind, e.Size = entry.KindFile, 1
	return nil
}

var errShut = errors.New("shut")

func (m *memory) Open(e *entry.Entry) (digest.File, error) {
	if e.Name == "shut" {
		return nil, errShut
	}
	m.opened.Add(1)
	return &memoryFile{Reader: bytes.NewReader(bytes.Repeat([]byte(e.Name[:1]), int(e.Size))), changes: e.Name == "changes"}, nil
}

type memoryFile struct {
	*bytes.Reader
	changes bool
}

func (f *memoryFile) Unchanged(length int64) error {
	if f.changes || length >= 0 && length != f.Size() {
		return digest.ErrChanged
	}
	return nil
}
func (f *memoryFile) Extents() digest.Extents { return digest.Extents{} }
func (f *memoryFile) Close()                  {}

func entries(sizes ...int64) (list []*entry.Entry) {
	folder := &entry.Folder{Place: &entry.Place{Given: "p"}}
	for i, size := range sizes {
		list = append(list, &entry.Entry{Folder: folder, Name: fmt.Sprint(i % 10), Size: size, Kind: entry.KindFile})
	}
	return list
}

// Every file is done once, whatever the sizes, and gets the digest that it has
// by itself; those that fail are named.
func TestPool(t *testing.T) {
	var sizes []int64
	for i := range 500 {
		sizes = append(sizes, int64(i%7)*int64(i%11)*900)
	}
	list := entries(append(sizes, 3<<20, 1<<20, 0)...)
	list[7].Name, list[100].Name = "shut", "changes"
	progress := &source.Progress{}
	m := &memory{}
	pool := digest.NewPool(m, progress)
	var done atomic.Int64
	require.NoError(t, pool.Each(context.Background(), list, func(w *digest.Worker, i int) {
		done.Add(1)
		w.Digest(list[i], entry.FactMD5|entry.FactBLAKE3)
		assert.True(t, list[i].Name == "shut" || list[i].Name == "changes" || w.Digest(list[i], entry.FactMD5), "known already")
	}))
	assert.EqualValues(t, len(list), done.Load())
	assert.EqualValues(t, len(list)-1, m.opened.Load())
	var bytesRead int64
	for _, e := range list {
		if e.Name == "shut" || e.Name == "changes" {
			assert.Zero(t, e.Known)
			continue
		}
		want, _, err := digest.NewHasher(entry.FactMD5).Take(context.Background(), bytes.NewReader(bytes.Repeat([]byte(e.Name), int(e.Size))), -1, false, nil)
		require.NoError(t, err)
		assert.Equal(t, want.By(entry.FactMD5), e.More.Digests.By(entry.FactMD5))
		bytesRead += e.Size
	}
	assert.Equal(t, bytesRead+list[100].Size, pool.Read())
	require.Len(t, pool.Problems(), 2)
	for _, p := range pool.Problems() {
		assert.Equal(t, "read", p.Tried)
		assert.True(t, p.Err == errShut && p.Path == "p/shut" || p.Err == digest.ErrChanged && p.Path == "p/changes")
	}
}

// Stopped, it ends soon, names no problem, and closes what it opened.
func TestPoolStopped(t *testing.T) {
	ctx, stop := context.WithCancel(context.Background())
	list := entries(make([]int64, 10_000)...)
	m := &memory{}
	pool := digest.NewPool(m, &source.Progress{})
	var done atomic.Int64
	assert.ErrorIs(t, pool.Each(ctx, list, func(w *digest.Worker, i int) {
		if done.Add(1) == 10 {
			stop()
		}
		w.Digest(list[i], entry.FactMD5)
	}), context.Canceled)
	assert.Less(t, done.Load(), int64(len(list)))
	assert.Empty(t, pool.Problems())
	assert.NotZero(t, m.closed.Load())
}

// Two files are the same if all their bytes are.
func TestSame(t *testing.T) {
	list := entries(400_000, 400_000, 399_999)
	list[1].Name, list[2].Name = "0", "0"
	pool := digest.NewPool(&memory{}, &source.Progress{})
	require.NoError(t, pool.Share(context.Background(), 1, func(w *digest.Worker, _ int) {
		for i, want := range []bool{true, true, false} {
			assert.True(t, w.Open(list[0], "read", func(a digest.File) error {
				return w.Use(list[i], func(b digest.File) error {
					same, err := w.Same(a, b, [2]int64{list[0].Size, list[i].Size})
					assert.Equal(t, want, same)
					return err
				})
			}))
		}
	}))
}
