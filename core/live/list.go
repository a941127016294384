package live

import (
	"bytes"
	"context"
	"io"
	"os"
	"path/filepath"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// List is a place that is a list of paths, such as a search has kept. Its
// entries are the things at these paths, as they are now.
type List struct {
	place entry.Place
	paths []string
}

// OpenList reads a list from a file: paths with a line break after each, or, if
// there is a NUL in it, with a NUL after each. The file "-" is the standard
// input.
func OpenList(file, given string, index int) (*List, error) {
	var content []byte
	var err error
	if file == "-" {
		content, err = io.ReadAll(os.Stdin)
	} else {
		content, err = os.ReadFile(file)
	}
	if err != nil {
		return nil, err
	}
	full, err := filepath.Abs(file)
	if err != nil {
		return nil, err
	}
	l := &List{place: entry.Place{Index: index, Given: given, Full: full, List: true}}
	end := "\n"
	if bytes.IndexByte(content, 0) >= 0 {
		end = "\x00"
	}
	for _, path := range bytes.Split(content, []byte(end)) {
		if len(path) > 0 {
			l.paths = append(l.paths, string(path))
		}
	}
	return l, nil
}

// Place implements source.Source.
func (l *List) Place() *entry.Place { return &l.place }

// Read implements source.Source. The things on the list are given, and not gone
// into.
func (l *List) Read(ctx context.Context, request source.Request, sink source.Sink) (source.Report, error) {
	run := &run{ctx: ctx, request: request, sink: sink}
	w := run.newWorker()
	for _, path := range l.paths {
		if err := ctx.Err(); err != nil {
			return w.report, err
		}
		full, err := filepath.Abs(path)
		if err != nil {
			return w.report, err
		}
		folder := &entry.Folder{Place: &entry.Place{Index: l.place.Index, Given: path, Full: full, Leaf: true}}
		if err := w.lookAtPlace(folder); err != nil {
			return w.report, err
		}
	}
	w.report.SortProblems()
	return w.report, nil
}
