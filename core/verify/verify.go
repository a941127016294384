// Package verify holds files against the digests that a list says they have.
package verify

import (
	"cmp"
	"context"
	"errors"
	"io/fs"
	"path"
	"slices"
	"strings"
	"sync"
	"syscall"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/source"
)

// Status is how a file stands to the list.
type Status uint8

const (
	Different Status = iota
	Missing
	Unreadable // or no file, or changing while it was read
	Unlisted   // there, but not on the list
	Same
)

// statusWords are in the order of the statuses: trouble first.
var statusWords = [...]string{"different", "missing", "unreadable", "unlisted", "same"}

func (s Status) String() string { return statusWords[s] }

// Result is what was found of one line of the list, or of a file that is not
// on it.
type Result struct {
	Line      int // number of the line; 0 for an unlisted file
	Name      string
	Path      string // the folder as it was given, joined with the name
	Status    Status
	Algorithm entry.Algorithm
	Expected  string       // digests in hexadecimal
	Actual    string       // "" if there is none
	Entry     *entry.Entry // what is there, with its status; nil if nothing is known
	Err       error        // why it is unreadable
}

// Options say how to hold files against a list.
type Options struct {
	AllowOutside bool          // names that lead out of the folder too
	Others       source.Source // the folder, to look for files that are not on the list; may be nil
	List         string        // the full path of the list, which is not on itself
}

// Answer is what was found.
type Answer struct {
	Results []Result // trouble first, then by name
	Refused []digest.Line
	Counts  [len(statusWords)]int
	Report  source.Report
}

// Trouble tells whether anything is not as the list says.
func (a *Answer) Trouble() bool { return len(a.Results) > a.Counts[Same] }

// Check reads the files of a list, in a folder, and holds them against it.
func Check(ctx context.Context, list *digest.List, folder *entry.Folder, pool *digest.Pool, progress *source.Progress, o Options) (*Answer, error) {
	a := &Answer{}
	type check struct {
		facts entry.Facts
		lines []digest.Line
		err   error
	}
	checks := map[string]*check{}
	var entries []*entry.Entry
	for _, line := range list.Lines {
		if line.Leads() && !o.AllowOutside {
			a.Refused = append(a.Refused, line)
			continue
		}
		c := checks[line.Name]
		if c == nil {
			c = &check{}
			checks[line.Name] = c
			entries = append(entries, &entry.Entry{Folder: folder, Name: line.Name})
		}
		c.facts |= line.Value.Facts()
		c.lines = append(c.lines, line)
	}
	if err := pool.Each(ctx, entries, func(w *digest.Worker, i int) {
		c := checks[entries[i].Name]
		if c.err = w.Look(entries[i]); c.err == nil {
			progress.ToRead.Add(entries[i].Size)
		}
	}); err != nil {
		return nil, err
	}
	// In order of what they are: large ones first, neighbours together.
	if err := pool.Each(ctx, entries, func(w *digest.Worker, i int) {
		e := entries[i]
		if c := checks[e.Name]; c.err == nil {
			c.err = w.Use(e, func(file digest.File) error { return w.Take(e, file, c.facts) })
		}
	}); err != nil {
		return nil, err
	}
	for _, e := range entries {
		c := checks[e.Name]
		for _, line := range c.lines {
			a.add(result(folder, e, line, c.err))
		}
	}
	if o.Others != nil {
		if err := a.findUnlisted(ctx, folder, func(way string) bool { return checks[way] != nil }, progress, o); err != nil {
			return nil, err
		}
	}
	slices.SortFunc(a.Results, func(x, y Result) int {
		return cmp.Or(cmp.Compare(x.Status, y.Status), strings.Compare(x.Name, y.Name), cmp.Compare(x.Line, y.Line))
	})
	return a, nil
}

func result(folder *entry.Folder, e *entry.Entry, line digest.Line, err error) Result {
	r := Result{Line: line.Number, Name: line.Name, Path: joined(folder, line.Name), Algorithm: line.Value.Algorithms[0],
		Expected: line.Value.Hex, Entry: e, Err: err}
	switch {
	case err == nil:
		var same bool
		if r.Actual, r.Algorithm, same = line.Value.Among(e.More.Digests); same {
			r.Status = Same
		}
	case errors.Is(err, fs.ErrNotExist) || errors.Is(err, syscall.ENOTDIR):
		r.Status, r.Entry, r.Err = Missing, nil, nil
	default:
		r.Status = Unreadable
	}
	return r
}

func joined(folder *entry.Folder, name string) string {
	if path.IsAbs(name) {
		return name
	}
	return path.Join(folder.Place.Given, name)
}

func (a *Answer) add(r Result) {
	a.Results = append(a.Results, r)
	a.Counts[r.Status]++
	if r.Status == Unreadable {
		a.Report.Problems = append(a.Report.Problems, source.Problem{Path: r.Path, Tried: "read", Err: r.Err, Entries: 1})
	}
}

// findUnlisted looks for files that are not on the list.
func (a *Answer) findUnlisted(ctx context.Context, folder *entry.Folder, listed func(way string) bool, progress *source.Progress, o Options) error {
	var mu sync.Mutex
	report, err := o.Others.Read(ctx, source.Request{Depth: source.AllDepths, Facts: entry.FactStatus, Progress: progress}, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			for _, e := range entries {
				if e.Kind != entry.KindFile || listed(e.Way()) || e.FullPath() == o.List {
					continue
				}
				e.Name, e.More = strings.Clone(e.Name), nil
				mu.Lock()
				a.add(Result{Name: e.Way(), Path: joined(folder, e.Way()), Status: Unlisted, Entry: &e})
				mu.Unlock()
			}
			return nil
		}
	}))
	a.Report.Add(report)
	return err
}
