package replay

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"

	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// Whatever a segment has, loading it and looking for paths ends without a panic.
func FuzzState(f *testing.F) {
	f.Add([]byte{3, 1, 0, 0, 200, 1})
	f.Add([]byte{})
	w := encoding.SegmentWriter{Write: func(_ context.Context, s encoding.Segment) error { f.Add(s.Folders); return nil }}
	for _, v := range []encoding.FolderVersion{{Number: 1, Fresh: true, HasDelta: true}, {Number: 2, Fresh: true, Parent: 3}, {Number: 3, Fresh: true, Parent: 2}} {
		assert.NoError(f, w.Add(context.Background(), &v, encoding.Delta{}))
	}
	assert.NoError(f, w.Flush(context.Background()))
	f.Fuzz(func(t *testing.T, folders []byte) {
		s := NewState(0)
		if err := s.add(store.SegmentRow{Segment: encoding.Segment{Folders: folders}}); err != nil {
			assert.ErrorIs(t, err, ledger.ErrDamaged)
		}
		for id := range s.folders {
			s.Path(uint64(id))
		}
	})
}

// Numbers of folders that jump take no room that the segment has not itself.
func TestNumbersThatJump(t *testing.T) {
	var folders []byte
	w := encoding.SegmentWriter{Write: func(_ context.Context, s encoding.Segment) error {
		folders = append(folders, s.Folders...)
		return nil
	}}
	assert.NoError(t, w.Add(context.Background(), &encoding.FolderVersion{Number: 1, Fresh: true}, encoding.Delta{}))
	for i := range uint64(2000) {
		assert.NoError(t, w.Add(context.Background(), &encoding.FolderVersion{Number: 2 + i*50_000, Fresh: true, Parent: 1, Name: string(rune('a' + i))}, encoding.Delta{}))
	}
	assert.NoError(t, w.Flush(context.Background()))
	s := NewState(0)
	assert.ErrorIs(t, s.add(store.SegmentRow{Segment: encoding.Segment{Folders: folders}}), ledger.ErrDamaged)
	assert.Less(t, len(s.folders), 100_000)
}
