// Package digest takes digests of content.
//
// A [Hasher] reads content once for all the digests wanted of it. A [Pool] does so for many files on all cores,
// opened by [Files].
package digest

import (
	"context"
	"hash"
	"io"
	"strings"
	"sync"
	"sync/atomic"

	"frankledger/core/entry"
)

// Hasher takes the digests of one content after another. It is for one
// goroutine.
type Hasher struct {
	facts  []entry.Facts
	hashes []hash.Hash
	buffer []byte
	ahead  [][]byte
	sum    []byte
	kept   entry.Digests   // room for more
	bytes  strings.Builder // likewise
}

// NewHasher returns a hasher for some of entry.FactDigests.
func NewHasher(wanted entry.Facts) *Hasher {
	h := &Hasher{}
	for _, a := range entry.Algorithms {
		if wanted&a.Fact != 0 {
			h.facts = append(h.facts, a.Fact)
			h.hashes = append(h.hashes, a.New())
		}
	}
	return h
}

// Hashers are hashers for different sets of digests, made as they are wanted,
// for one goroutine. The zero value has none yet.
type Hashers struct{ made map[entry.Facts]*Hasher }

// For returns a hasher for the digests that are wanted.
func (h *Hashers) For(wanted entry.Facts) *Hasher {
	if h.made[wanted] == nil {
		if h.made == nil {
			h.made = make(map[entry.Facts]*Hasher)
		}
		h.made[wanted] = NewHasher(wanted)
	}
	return h.made[wanted]
}

const (
	bufferSize  = 128 << 10
	aheadSize   = 512 << 10
	aheadPieces = 4
	keptDigests = 128
)

// Take reads content to its end, or up to so many bytes if size is not negative,
// and returns its digests, and the number of bytes, which is also added to read,
// if that is not nil, as it goes on. With ahead, it goes on reading while what was read is being digested, and the
// algorithms are at work at the same time: faster where cores are free.
func (h *Hasher) Take(ctx context.Context, content io.Reader, size int64, ahead bool, read *atomic.Int64) (entry.Digests, int64, error) {
	h.Reset()
	var n int64
	var err error
	take := func(piece []byte) (whole bool) {
		n += int64(len(piece))
		if read != nil {
			read.Add(int64(len(piece)))
		}
		return n == size
	}
	if ahead {
		err = h.takeAhead(ctx, content, take)
	} else {
		err = h.takeInTurn(ctx, content, take)
	}
	if err != nil {
		return nil, n, err
	}
	return h.Sums(), n, nil
}

// Sums returns the digests of what was taken. They are kept in blocks: one allocation for many.
func (h *Hasher) Sums() entry.Digests {
	n := len(h.hashes)
	if len(h.kept)+n > cap(h.kept) {
		h.kept = make(entry.Digests, 0, keptDigests*n)
	}
	start := len(h.kept)
	for i, hash := range h.hashes {
		h.sum = hash.Sum(h.sum[:0])
		if h.bytes.Cap()-h.bytes.Len() < len(h.sum) {
			h.bytes = strings.Builder{}
			h.bytes.Grow(keptDigests * len(h.sum))
		}
		at := h.bytes.Len()
		h.bytes.Write(h.sum)
		h.kept = append(h.kept, entry.Digest{Fact: h.facts[i], Sum: h.bytes.String()[at:]})
	}
	return h.kept[start:len(h.kept):len(h.kept)]
}

func (h *Hasher) takeInTurn(ctx context.Context, content io.Reader, take func([]byte) bool) error {
	if h.buffer == nil {
		h.buffer = make([]byte, bufferSize)
	}
	for {
		if err := ctx.Err(); err != nil {
			return err
		}
		n, err := content.Read(h.buffer)
		h.Write(h.buffer[:n])
		switch {
		case take(h.buffer[:n]) || err == io.EOF:
			return nil
		case err != nil:
			return err
		}
	}
}

// piece is content that was read ahead.
type piece struct {
	bytes []byte // of a buffer of this length at least
	err   error
}

func (h *Hasher) takeAhead(ctx context.Context, content io.Reader, take func([]byte) bool) error {
	free, full := make(chan []byte, aheadPieces), make(chan piece, aheadPieces)
	for len(h.ahead) < aheadPieces {
		h.ahead = append(h.ahead, make([]byte, aheadSize))
	}
	for _, buffer := range h.ahead {
		free <- buffer
	}
	stop := make(chan struct{})
	var reader sync.WaitGroup
	defer reader.Wait() // it uses the buffers and the content
	defer close(stop)
	reader.Go(func() {
		for {
			var buffer []byte
			select {
			case buffer = <-free:
			case <-stop:
				return
			}
			n, err := content.Read(buffer)
			full <- piece{buffer[:n], err}
			if err != nil {
				return
			}
		}
	})
	for {
		if err := ctx.Err(); err != nil {
			return err
		}
		p := <-full
		var others sync.WaitGroup
		for _, hash := range h.hashes[1:] {
			others.Go(func() { hash.Write(p.bytes) })
		}
		h.hashes[0].Write(p.bytes)
		others.Wait()
		switch {
		case take(p.bytes) || p.err == io.EOF:
			return nil
		case p.err != nil:
			return p.err
		}
		free <- p.bytes[:cap(p.bytes)]
	}
}

// Reset makes the hasher begin with new content.
func (h *Hasher) Reset() {
	for _, hash := range h.hashes {
		hash.Reset()
	}
}

// Write takes a piece of content, and never fails.
func (h *Hasher) Write(piece []byte) (int, error) {
	for _, hash := range h.hashes {
		hash.Write(piece)
	}
	return len(piece), nil
}

// OfNothing returns digests of no content. They are lent.
func OfNothing(wanted entry.Facts) entry.Digests {
	if known, met := ofNothing.Load(wanted); met {
		return known.(entry.Digests)
	}
	digests := NewHasher(wanted).Sums()
	ofNothing.Store(wanted, digests)
	return digests
}

var ofNothing sync.Map // by the facts
