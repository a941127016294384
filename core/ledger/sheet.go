package ledger

import (
	"context"
	"encoding/binary"
	"fmt"

	"frankledger/core/entry"
)

// folderVersion is what a record says of a folder. The folders of a place are
// numbered from 1, which is the place itself.
type folderVersion struct {
	folder uint64
	fresh  bool // it was never met before
	parent uint64
	name   string
	// pieced tells that there is a piece, and with it what the folder's entries
	// amount to: their digest, once without digests of content and once with
	// these, and by which algorithms each file among them has one.
	pieced       bool
	names, facts uint64 // bytes of the piece
	own, full    seal
	digested     entry.Facts
	seal         seal // of the folder: over its entries and the seals of folders in it
}

// Bits before a version of a folder.
const (
	isFresh = 1 << iota
	isPieced
	isDigested
)

func (v *folderVersion) append(dst []byte) []byte {
	var bits byte
	if v.fresh {
		bits |= isFresh
	}
	if v.pieced {
		bits |= isPieced
	}
	digested := v.digested.Stored()
	if v.pieced && (digested != 0 || v.full != seal{}) {
		bits |= isDigested
	}
	dst = append(dst, bits)
	dst = binary.AppendUvarint(dst, v.folder)
	if v.fresh {
		dst = binary.AppendUvarint(dst, v.parent)
		dst = appendText(dst, v.name)
	}
	if v.pieced {
		dst = binary.AppendUvarint(dst, v.names)
		dst = binary.AppendUvarint(dst, v.facts)
		dst = append(dst, v.own[:]...)
	}
	if bits&isDigested != 0 {
		dst = append(dst, v.full[:]...)
		dst = binary.AppendUvarint(dst, digested)
	}
	return append(dst, v.seal[:]...)
}

// eachVersion calls a function for each version of a folder in a sheet.
func eachVersion(folders []byte, do func(v *folderVersion)) error {
	var u unpacker
	for len(folders) > 0 {
		var v folderVersion
		bits := u.bytes(&folders, 1)
		if u.err != nil {
			break
		}
		v.fresh, v.pieced = bits[0]&isFresh != 0, bits[0]&isPieced != 0
		v.folder = u.uvarint(&folders)
		if v.fresh {
			v.parent = u.uvarint(&folders)
			v.name = string(u.bytes(&folders, u.uvarint(&folders)))
		}
		if v.pieced {
			v.names, v.facts = u.uvarint(&folders), u.uvarint(&folders)
			copy(v.own[:], u.bytes(&folders, uint64(len(v.own))))
		}
		if bits[0]&isDigested != 0 {
			copy(v.full[:], u.bytes(&folders, uint64(len(v.full))))
			v.digested = entry.StoredDigests(u.uvarint(&folders))
		}
		copy(v.seal[:], u.bytes(&folders, uint64(len(v.seal))))
		if u.err != nil {
			break
		}
		do(&v)
	}
	if u.err != nil {
		return fmt.Errorf("%w: %w", ErrDamaged, u.err)
	}
	return nil
}

// sheetBytes is how much of pieces makes a sheet full.
const sheetBytes = 256 << 10

// sheetWriter puts what a record says of folders on sheets.
type sheetWriter struct {
	put           func(ctx context.Context, s Sheet) error
	place, record int64
	sheet         Sheet
}

func (w *sheetWriter) add(ctx context.Context, v *folderVersion, p piece) error {
	v.names, v.facts = uint64(len(p.names)), uint64(len(p.facts))
	w.sheet.Folders = v.append(w.sheet.Folders)
	w.sheet.Names = append(w.sheet.Names, p.names...)
	w.sheet.Facts = append(w.sheet.Facts, p.facts...)
	if len(w.sheet.Folders)+len(w.sheet.Names)+len(w.sheet.Facts) < sheetBytes {
		return nil
	}
	return w.flush(ctx)
}

// flush puts the last sheet where it belongs. The sheet is only lent.
func (w *sheetWriter) flush(ctx context.Context) error {
	s := &w.sheet
	if len(s.Folders) == 0 {
		return nil
	}
	s.Place, s.Record = w.place, w.record
	err := w.put(ctx, *s)
	s.Folders, s.Names, s.Facts = s.Folders[:0], s.Names[:0], s.Facts[:0]
	return err
}
