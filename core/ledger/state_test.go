package ledger

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"

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
		s := newState(0)
		if err := s.add(store.SegmentRow{Segment: encoding.Segment{Folders: folders}}); err != nil {
			assert.ErrorIs(t, err, ErrDamaged)
		}
		for id := range s.folders {
			s.path(uint64(id))
		}
	})
}
