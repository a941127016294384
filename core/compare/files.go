package compare

import (
	"bytes"
	"context"
	"errors"
	"io"
	"path/filepath"
	"slices"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/core/textfile"
)

// Pair is how the content of two files compares.
type Pair struct {
	Files []*entry.Entry // with status and digests
	Read  [2]int64       // how many bytes of content they have
	Same  bool
	// Where they first differ, if they do: the byte from 0, and its line from 1. The
	// shorter of two files of which one begins the other differs at its end.
	Byte, Line int64
	// Texts are the lines that first differ, if both files are text in UTF-8: as far as they are shown, from the byte
	// Cut on. It is nil for others.
	Texts   []string
	Cut     int64
	Column  int // the byte in these lines where they differ
	Report  source.Report
	OneFile bool // they are two names of one file
}

// Alike reports whether two files have the same extended attributes, access lists among
// them, as far as their names and the lists tell; known is false where that could not be
// asked.
func (p *Pair) Alike() (alike, known bool) {
	a, b := p.Files[0], p.Files[1]
	if !a.Known.Has(entry.FactXattrs) || !b.Known.Has(entry.FactXattrs) {
		return false, false
	}
	x, y := a.Details(), b.Details()
	return slices.Equal(x.Xattrs, y.Xattrs) && slices.Equal(x.Access, y.Access) && x.Capabilities == y.Capabilities, true
}

// Files compares two files, named by their paths as they were given and in full, and
// digests both. If one of them could not be read, the report says so and there is no
// answer.
func Files(ctx context.Context, given, full [2]string, pool *digest.Pool, fact entry.Facts) (p *Pair, err error) {
	p = &Pair{Line: 1, Byte: -1}
	for i := range full {
		place := &entry.Place{Given: filepath.Dir(given[i]), Full: filepath.Dir(full[i])}
		p.Files = append(p.Files, &entry.Entry{Folder: &entry.Folder{Place: place}, Name: filepath.Base(full[i])})
	}
	err = pool.Share(ctx, 1, func(w *digest.Worker, _ int) {
		for _, e := range p.Files {
			if err := w.Look(e); err != nil {
				w.Problem(e, "look at", err)
				return
			}
		}
		w.Open(p.Files[0], "read", func(a digest.File) error {
			var broken error // of the first, found while the second is open
			w.OpenAlso(p.Files[1], "read", func(b digest.File) (other error) {
				broken, other = p.read(ctx, w, a, b, fact)
				return other
			})
			return broken
		})
	})
	p.Report.Problems = pool.Problems()
	if err == nil && len(p.Report.Problems) == 0 {
		p.OneFile = p.Files[0].Inode == p.Files[1].Inode && p.Files[0].Device == p.Files[1].Device
		for i, e := range p.Files {
			p.details(ctx, full[i], e)
		}
		if p.Byte >= 0 {
			p.texts(full)
		}
	}
	return p, err
}

// What is shown of a line that differs, in bytes: so much before the difference, and so much in all.
const (
	shownBefore = 60
	mostShown   = 240
)

// texts gets the lines that first differ. Where that cannot be had, there are none.
func (p *Pair) texts(full [2]string) {
	var texts []string
	for i, path := range full {
		file, err := live.OpenContent(path)
		if err != nil {
			return
		}
		defer file.Close()
		lines, err := textfile.NewLines(file, p.Read[i])
		if err != nil || lines.Encoding != textfile.UTF8 {
			return
		}
		start, err := lines.Line(p.Line)
		if err != nil {
			return
		}
		if i == 0 && p.Byte-start > shownBefore {
			p.Cut = p.Byte - start - shownBefore
		}
		p.Column = int(p.Byte - start - p.Cut)
		line, _, err := lines.Next(min(start+p.Cut, lines.End()))
		if err != nil && !errors.Is(err, io.EOF) {
			return
		}
		texts = append(texts, string(line[:min(len(line), mostShown)]))
	}
	p.Texts = texts
}

// details gets what systems have besides the facts of POSIX. That it cannot be had is no problem.
func (p *Pair) details(ctx context.Context, full string, e *entry.Entry) {
	s, err := live.Open(full, 0)
	if err != nil {
		return
	}
	s.Read(ctx, source.Request{Facts: entry.FactXattrs, Aside: entry.FactXattrs}, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			if entries[0].Known.Has(entry.FactXattrs) {
				e.More.Details = entries[0].More.Details
				e.Known |= entry.FactXattrs
			}
			return nil
		}
	}))
}

// read reads two open files side by side to their ends. The errors are of the first and
// of the second.
func (p *Pair) read(ctx context.Context, w *digest.Worker, a, b digest.File, fact entry.Facts) (first, second error) {
	if !p.Files[0].HasSize() || !p.Files[1].HasSize() {
		return p.readToEnds(ctx, w, a, b, fact)
	}
	sizes := [2]int64{p.Files[0].Size, p.Files[1].Size}
	p.Read = sizes
	hashers := [2]*digest.Hasher{digest.NewHasher(fact), digest.NewHasher(fact)}
	if first, second = w.Together(a, b, sizes, func(offset int64, mine, other []byte) bool {
		hashers[0].Write(mine)
		hashers[1].Write(other)
		p.meet(offset, mine, other)
		return true
	}); first != nil || second != nil {
		return first, second
	}
	for i, h := range hashers {
		digest.Set(p.Files[i], h.Sums())
	}
	p.Same = p.Byte < 0
	return a.Unchanged(sizes[0]), b.Unchanged(sizes[1])
}

// mostUnsized is how much is read of a file whose size is not known.
const mostUnsized = 64 << 20

var errEndless = errors.New("one size is not known, and frank then reads at most 64 MiB")

// readToEnds does so for files of which one has a size that is not known.
func (p *Pair) readToEnds(ctx context.Context, w *digest.Worker, a, b digest.File, fact entry.Facts) (first, second error) {
	var contents [2][]byte
	for i, file := range []digest.File{a, b} {
		content, err := io.ReadAll(io.LimitReader(file, mostUnsized+1))
		if err == nil && len(content) > mostUnsized {
			err = errEndless
		}
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return [2]error{err, nil}[i], [2]error{nil, err}[i]
		}
		h := digest.NewHasher(fact)
		h.Write(content)
		digest.Set(p.Files[i], h.Sums())
		contents[i], p.Read[i] = content, int64(len(content))
	}
	p.meet(0, contents[0], contents[1])
	p.Same = p.Byte < 0
	return nil, nil
}

// meet looks for the first difference in pieces of both from the same offset on.
func (p *Pair) meet(offset int64, a, b []byte) {
	if p.Byte >= 0 {
		return
	}
	alike := 0
	if bytes.Equal(a, b) {
		alike = len(a)
	} else {
		for alike < min(len(a), len(b)) && a[alike] == b[alike] {
			alike++
		}
		p.Byte = offset + int64(alike)
	}
	p.Line += int64(bytes.Count(a[:alike], []byte("\n")))
}

// FileColumns returns what two files are shown with.
func FileColumns(c *entry.Context, a entry.Algorithm) []row.Column[*entry.Entry] {
	columns := append(entry.ColumnsNamed(c, "path", "size", "modified"), row.DigitsColumn("digest", "of the content, in hexadecimal", func(e *entry.Entry) (string, bool) {
		text, known := entry.FieldNamed(a.Name).AppendText(nil, e, c)
		return string(text), known
	}))
	for _, more := range entry.ColumnsNamed(c, "mode", "owner", "group", "inode", "device") {
		columns = append(columns, more.For(row.Programs))
	}
	return columns
}
