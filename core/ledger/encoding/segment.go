package encoding

import (
	"context"
	"encoding/binary"
	"fmt"

	"frankledger/core/entry"
)

// Segment is what a record says of some folders: of each a [FolderVersion], and the
// parts of their deltas one after the other.
type Segment struct{ Folders, Names, Facts []byte }

// Root is the number of a place itself among its folders.
const Root = 1

// FolderVersion is what a record says of a folder. The folders of a place are
// numbered from [Root].
type FolderVersion struct {
	Number uint64
	Fresh  bool // it was never met before
	Parent uint64
	Name   string
	// HasDelta tells that there is a delta, and with it what the folder's entries
	// amount to.
	HasDelta     bool
	Names, Facts uint64 // bytes of the delta
	Contents
	Tree Hash // of the folder, with those in it
}

// Contents is what the entries directly in a folder amount to: their hash, once without
// digests of content and once with these (zero if there are none), and by which
// algorithms each file among them has one.
type Contents struct {
	Plain, Full Hash
	Digested    entry.Facts
}

// Entries returns the hash that a tree hash begins with.
func (c *Contents) Entries() Hash {
	if c.Full != (Hash{}) {
		return c.Full
	}
	return c.Plain
}

// PackFolder packs all entries of a folder, in order of names.
func PackFolder(entries []Recorded) (Delta, Contents) {
	p := NewFolderPacker()
	p.Add(entries)
	return p.full.Delta().Clip(), p.Contents()
}

// FolderPacker packs the entries of a folder, some after the others, in order of names.
type FolderPacker struct {
	plain, full Packer
	facts       entry.Facts // that all files have
	digested    bool        // some file has a digest
}

// NewFolderPacker returns one for a folder of which nothing is packed.
func NewFolderPacker() *FolderPacker { return &FolderPacker{facts: entry.FactDigests} }

// Add packs the next entries.
func (p *FolderPacker) Add(entries []Recorded) {
	for i := range entries {
		r := &entries[i]
		r.Pack(&p.full)
		e := r.Entry
		if e.HasSize() {
			p.facts &= e.Known
			p.digested = p.digested || e.Known&entry.FactDigests != 0
		}
		e.Known &^= entry.FactDigests
		p.plain.Put(&e, r.Entered, r.Unread)
	}
}

// Contents returns what is known of all that was packed.
func (p *FolderPacker) Contents() Contents {
	c := Contents{Digested: p.facts, Plain: p.plain.Delta().Hash()}
	if p.digested {
		c.Full = p.full.Delta().Hash()
	}
	return c
}

// Bits before a version of a folder.
const (
	isFresh = 1 << iota
	hasDelta
	isDigested
)

func (v *FolderVersion) append(dst []byte) []byte {
	var bits byte
	if v.Fresh {
		bits |= isFresh
	}
	if v.HasDelta {
		bits |= hasDelta
	}
	digested := v.Digested.Stored()
	if v.HasDelta && (digested != 0 || v.Full != Hash{}) {
		bits |= isDigested
	}
	dst = append(dst, bits)
	dst = binary.AppendUvarint(dst, v.Number)
	if v.Fresh {
		dst = binary.AppendUvarint(dst, v.Parent)
		dst = appendText(dst, v.Name)
	}
	if v.HasDelta {
		dst = binary.AppendUvarint(dst, v.Names)
		dst = binary.AppendUvarint(dst, v.Facts)
		dst = append(dst, v.Plain[:]...)
	}
	if bits&isDigested != 0 {
		dst = append(dst, v.Full[:]...)
		dst = binary.AppendUvarint(dst, digested)
	}
	return append(dst, v.Tree[:]...)
}

// EachFolder calls a function for each version of a folder in a segment.
func EachFolder(folders []byte, do func(v *FolderVersion)) error {
	var u unpacker
	for len(folders) > 0 {
		var v FolderVersion
		bits := u.bytes(&folders, 1)
		if u.err != nil {
			break
		}
		v.Fresh, v.HasDelta = bits[0]&isFresh != 0, bits[0]&hasDelta != 0
		v.Number = u.uvarint(&folders)
		if v.Fresh {
			v.Parent = u.uvarint(&folders)
			v.Name = string(u.bytes(&folders, u.uvarint(&folders)))
		}
		if v.HasDelta {
			v.Names, v.Facts = u.uvarint(&folders), u.uvarint(&folders)
			copy(v.Plain[:], u.bytes(&folders, uint64(len(v.Plain))))
		}
		if bits[0]&isDigested != 0 {
			copy(v.Full[:], u.bytes(&folders, uint64(len(v.Full))))
			v.Digested = entry.StoredDigests(u.uvarint(&folders))
		}
		copy(v.Tree[:], u.bytes(&folders, uint64(len(v.Tree))))
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

// fullSegment is how many bytes make a segment full.
const fullSegment = 64 << 10

// LongestPart is how long the names or the facts of a segment can be: one folder of
// very many entries.
const LongestPart = 1 << 31

// SegmentWriter puts what a record says of folders into segments.
type SegmentWriter struct {
	// Write is called for each segment, which is valid only during the call.
	Write   func(ctx context.Context, s Segment) error
	segment Segment
}

// Add adds a version of a folder, with the delta that it has, if any. One of very many
// entries becomes several: versions of the folder that each have a part of them.
func (w *SegmentWriter) Add(ctx context.Context, v *FolderVersion, d Delta) error {
	parts, err := split(d)
	if err != nil {
		return err
	}
	for i, part := range parts {
		if i > 0 {
			v.Fresh = false
		}
		if err := w.add(ctx, v, part); err != nil {
			return err
		}
	}
	return nil
}

func (w *SegmentWriter) add(ctx context.Context, v *FolderVersion, d Delta) error {
	s := &w.segment
	v.Names, v.Facts = uint64(len(d.Names)), uint64(len(d.Facts))
	s.Folders = v.append(s.Folders)
	s.Names = append(s.Names, d.Names...)
	s.Facts = append(s.Facts, d.Facts...)
	if len(s.Folders)+len(s.Names)+len(s.Facts) < fullSegment {
		return nil
	}
	return w.Flush(ctx)
}

// Flush writes the last segment.
func (w *SegmentWriter) Flush(ctx context.Context) error {
	s := &w.segment
	if len(s.Folders) == 0 {
		return nil
	}
	err := w.Write(ctx, *s)
	s.Folders, s.Names, s.Facts = s.Folders[:0], s.Names[:0], s.Facts[:0]
	return err
}
