package duplicates

import (
	"bytes"
	"hash/maphash"

	"frankledger/core/digest"
)

const (
	// small is the size up to which files are read whole at once: to open one
	// twice takes longer than to read it.
	small = 16 << 10
	// batchBytes is how much content of such files is held at a time, for each
	// core.
	batchBytes = 8 << 20
)

// batch is some classes of small files that are read together.
type batch struct {
	classes [][]*file
	bytes   int64
	finer   [][]*file
}

// readTogether parts classes of small files by their content. All files of a
// class are in memory at the same time: so they are compared byte by byte, and
// what is the same takes one digest.
func (s *search) readTogether(classes [][]*file) (finer [][]*file, err error) {
	var batches []*batch
	for _, class := range classes {
		size := class[0].first.Size * int64(len(class))
		last := len(batches) - 1
		if last < 0 || batches[last].bytes+size > batchBytes {
			batches = append(batches, &batch{})
			last++
		}
		b := batches[last]
		b.classes, b.bytes = append(b.classes, class), b.bytes+size
		s.pool.Expect(size)
	}
	if err := s.pool.Share(s.ctx, len(batches), func(w *digest.Worker, at int) { s.readBatch(w, batches[at]) }); err != nil {
		return nil, err
	}
	for _, b := range batches {
		for _, class := range b.finer {
			finer = s.keep(finer, class)
		}
	}
	return finer, nil
}

func (s *search) readBatch(w *digest.Worker, b *batch) {
	var files []*file
	for _, class := range b.classes {
		files = append(files, class...)
	}
	byInode(files)
	memory := w.Room(int(b.bytes))
	for _, f := range files {
		if s.ctx.Err() != nil {
			return
		}
		content := memory[:f.first.Size:f.first.Size]
		memory = memory[f.first.Size:]
		f.failed = !w.Open(f.first, "read", func(open digest.File) error {
			f.extents = open.Extents()
			return w.Fill(open, content)
		})
		f.content = content
	}
	for _, class := range b.classes {
		parts := alike(class)
		for _, part := range parts {
			if s.enough(part) {
				digester := w.Digester(s.o.Algorithm.Fact)
				digester.Write(part[0].content)
				digests := digester.Sums()
				for _, f := range part {
					w.Set(f.first, digests)
				}
			}
		}
		b.finer = append(b.finer, parts...)
	}
	for _, f := range files {
		f.content = nil // it is the worker's
	}
}

// alike parts files in memory by their content, in the order in which each comes first.
func alike(class []*file) (parts [][]*file) {
	by := make(map[uint64][]int, len(class)) // which parts have a hash
next:
	for _, f := range class {
		if f.failed {
			continue
		}
		hash := maphash.Bytes(seed, f.content)
		for _, i := range by[hash] {
			if bytes.Equal(parts[i][0].content, f.content) {
				parts[i] = append(parts[i], f)
				continue next
			}
		}
		by[hash] = append(by[hash], len(parts))
		parts = append(parts, []*file{f})
	}
	return parts
}
