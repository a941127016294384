package textfile

import (
	"bytes"
	"cmp"
	"errors"
	"io"
	"strings"
)

// Found is what was found in a file.
type Found struct {
	Encoding Encoding // None: it is no text, and has none of what was looked for
	Met      uint64   // which texts it has, a bit for each number
	Line     int64    // the number of the first line with one of them, from 1 on; 0 for none
	Text     string   // that line, in UTF-8, as far as it is shown
}

// How files are read, in bytes.
const (
	blockSize   = 256 << 10
	headSize    = 8 << 10  // that tells whether it is text
	longestLine = 1 << 20  // a longer line is looked through in parts
	overlap     = 64 << 10 // that such parts have in common
	longestText = 1 << 10  // of a line that is kept
)

// Searcher looks for the same texts in one file after another. It is for one goroutine.
type Searcher struct {
	sought *Sought
	room   room
	buf    []byte
	met    uint64 // which of the texts are wanted
}

// NewSearcher returns a searcher.
func (s *Sought) NewSearcher() *Searcher {
	return &Searcher{sought: s, room: room{matchCase: s.matchCase, shown: make([][twoBytes]byte, len(s.texts))}, met: 1<<len(s.texts) - 1}
}

// Search reads a file as far as it takes to know which of the texts it has. It calls the function with how many bytes
// were read; an error of its own ends the search.
func (r *Searcher) Search(file io.Reader, read func(bytes int) error) (found Found, err error) {
	if r.buf == nil {
		r.buf = make([]byte, blockSize)
	}
	counted := &counter{from: file, read: read}
	r.buf = r.buf[:blockSize]
	n, err := io.ReadAtLeast(counted, r.buf[:headSize], 1)
	if err != nil && !errors.Is(err, io.EOF) || counted.stopped != nil {
		return found, cmp.Or(counted.stopped, err)
	}
	encoding, mark := Tell(r.buf[:n])
	found.Encoding = encoding
	if encoding == None || n == 0 {
		return found, nil
	}
	var from io.Reader = counted
	held := r.buf[mark:n] // not yet looked through
	if encoding != UTF8 {
		from = Decoded(io.MultiReader(bytes.NewReader(bytes.Clone(held)), counted), encoding)
		held = r.buf[:0]
	}
	past := &before{offset: int64(mark)}
	if at, is := file.(io.ReaderAt); is && encoding == UTF8 {
		past.file = at
	}
	for over := false; ; {
		whole := bytes.LastIndexByte(held, '\n') + 1
		skip := whole
		switch {
		case over:
			whole, skip = len(held), len(held)
		case whole == 0 && len(held) >= longestLine:
			whole, skip = len(held), len(held)-overlap
		}
		err := r.look(held[:whole], &found, past)
		if err != nil {
			return found, err
		}
		if found.Met == r.met || over {
			return found, nil
		}
		past.add(held[:skip])
		rest := len(held) - skip
		if rest > len(r.buf)/2 && len(r.buf) < longestLine+blockSize {
			larger := make([]byte, longestLine+blockSize)
			copy(larger, held[skip:])
			r.buf = larger
		} else {
			copy(r.buf, held[skip:])
		}
		n, err := from.Read(r.buf[rest:])
		if err != nil && !errors.Is(err, io.EOF) {
			return found, err
		}
		held, over = r.buf[:rest+n], err != nil
	}
}

// before is what of a file was looked through. Its lines are counted once that is asked for, if it can be read again:
// most files do not have what is looked for.
type before struct {
	file   io.ReaderAt // nil if it cannot
	offset int64
	lines  int64
}

func (b *before) add(some []byte) {
	b.offset += int64(len(some))
	if b.file == nil {
		b.lines += int64(bytes.Count(some, newline))
	}
}

// count returns how many lines end before.
func (b *before) count() (int64, error) {
	if b.file == nil {
		return b.lines, nil
	}
	lines, buf := int64(0), make([]byte, min(b.offset, blockSize))
	for at := int64(0); at < b.offset; {
		n, err := b.file.ReadAt(buf[:min(int64(len(buf)), b.offset-at)], at)
		if n == 0 {
			return lines, err
		}
		lines += int64(bytes.Count(buf[:n], newline))
		at += int64(n)
	}
	return lines, nil
}

var newline = []byte("\n")

// look looks for what was not found yet in some lines.
func (r *Searcher) look(lines []byte, found *Found, past *before) error {
	first, last := -1, -1
	for i := range r.sought.texts {
		if found.Met&(1<<i) != 0 {
			continue
		}
		start, end := r.sought.texts[i].find(lines, &r.room)
		if start < 0 {
			continue
		}
		found.Met |= 1 << i
		if first < 0 || start < first {
			first, last = start, end
		}
	}
	if found.Line == 0 && first >= 0 {
		above, err := past.count()
		if err != nil {
			return err
		}
		found.Line = above + int64(bytes.Count(lines[:first], newline)) + 1
		line := withoutReturn(lines[first:last])
		found.Text = strings.ToValidUTF8(string(line[:min(len(line), longestText)]), "�")
	}
	return nil
}

// counter tells how many bytes were read.
type counter struct {
	from    io.Reader
	read    func(bytes int) error
	stopped error
}

// Read implements io.Reader.
func (c *counter) Read(p []byte) (int, error) {
	n, err := c.from.Read(p)
	if n > 0 && c.read != nil {
		if c.stopped = c.read(n); c.stopped != nil {
			return n, c.stopped
		}
	}
	return n, err
}
