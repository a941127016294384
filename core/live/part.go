package live

import (
	"cmp"
	"context"
	"path"
	"slices"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/limiter"
	"frankledger/core/source"
)

// Part is a source of some paths below a folder. It also gives those that are not there, with their names alone.
type Part struct {
	root  string
	place entry.Place
	rels  []string
}

// NewPart returns what is below a folder under some paths from it, as a place with another name.
func NewPart(folder *entry.Place, given string, index int, rels []string) *Part {
	p := &Part{root: folder.Full, place: entry.Place{Index: index, Given: given, Full: folder.Full, List: true}, rels: slices.Clone(rels)}
	slices.SortFunc(p.rels, func(a, b string) int { // those of one folder together
		return cmp.Or(strings.Compare(path.Dir(a), path.Dir(b)), strings.Compare(a, b))
	})
	p.rels = slices.Compact(p.rels)
	return p
}

// Place implements source.Source.
func (p *Part) Place() *entry.Place { return &p.place }

// Capabilities implements source.Source.
func (p *Part) Capabilities() source.Capabilities {
	return source.Capabilities{Content: true, Facts: entry.AllFacts, Limits: errNamed, Untold: errNotListed}
}

// Read implements source.Source. Folders are given, and not gone into.
func (p *Part) Read(ctx context.Context, request source.Request, sink source.Sink) (source.Report, error) {
	if err := p.Capabilities().Check(&request); err != nil {
		return source.Report{}, err
	}
	run := &run{ctx: ctx, request: request, sink: sink, queue: newQueue(limiter.New()), seats: make([]seat, 1)}
	w := run.newWorker()
	defer func() { w.report.SortProblems() }()
	folders := map[string]*entry.Folder{".": {Place: &p.place}}
	var in func(rel string) *entry.Folder
	in = func(rel string) *entry.Folder {
		if folders[rel] == nil {
			folders[rel] = entry.NewFolder(in(path.Dir(rel)), path.Base(rel))
		}
		return folders[rel]
	}
	for _, rel := range p.rels {
		if err := ctx.Err(); err != nil {
			return w.report, err
		}
		folder := in(path.Dir(rel))
		if len(w.batch) > 0 && w.batch[0].Folder != folder || len(w.batch) == batchSize {
			if err := w.flush(); err != nil {
				return w.report, err
			}
		}
		w.batch = append(w.batch, entry.Entry{Folder: folder, Name: path.Base(rel)})
		if !w.lookAtPart(strings.TrimSuffix(p.root, "/")+"/"+rel, &w.batch[len(w.batch)-1]) {
			w.batch = w.batch[:len(w.batch)-1]
		}
	}
	return w.report, w.flush()
}

// lookAtPart looks at one of them, and reports whether it is given.
func (w *worker) lookAtPart(full string, e *entry.Entry) bool {
	at, name, done, err := near(full)
	if err == nil {
		defer done()
		err = w.status.Look(at, name, false)
	}
	switch {
	case err == nil:
		w.fill(e, at)
		if e.Kind == entry.KindFolder {
			e.Inside = entry.NewFolder(e.Folder, e.Name)
		}
		_, chosen := w.choose(at, name, e, fromStatus)
		return chosen
	case !gone(err) && err != unix.ENOTDIR:
		w.problem(e.Path(), "look at", err)
	}
	return w.test == nil || w.test(e, ^entry.Facts(0)) == source.Yes
}
