package checksum

import (
	"cmp"
	"context"
	"errors"
	"io/fs"
	"path"
	"path/filepath"
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
	Status Status
	Line   *Line        // nil for an unlisted file
	Entry  *entry.Entry // what is there: name, and status unless it is missing
	Err    error        // why it is unreadable
}

// Name is the name as it is on the list, or would be.
func (r *Result) Name() string {
	if r.Line != nil {
		return r.Line.Name
	}
	return r.Entry.Relative()
}

// Path is the folder as it was given, joined with the name.
func (r *Result) Path() string {
	name := r.Name()
	if path.IsAbs(name) {
		return name
	}
	return path.Join(r.Entry.Folder.Place.Given, name)
}

// Digests are the digest that is expected and the one there is, "" where there
// is none, in hexadecimal, and their algorithm.
func (r *Result) Digests() (expected, actual string, a entry.Algorithm) {
	if r.Line == nil {
		return "", "", a
	}
	if r.Status == Same || r.Status == Different {
		actual, a, _ = r.Line.Value.Among(r.Entry.More.Digests)
		return r.Line.Value.Hex, actual, a
	}
	return r.Line.Value.Hex, "", r.Line.Value.Algorithms[0]
}

// CheckOptions say how to hold files against a list.
type CheckOptions struct {
	AllowOutside bool            // names that lead out of the folder too
	Others       source.Source   // the folder, to look for files that are not on the list; may be nil
	List         string          // the full path of the list, which is not on itself
	Known        map[string]bool // paths of files that are known without a digest, and so are not unlisted
}

// Checked is how files stand to a list.
type Checked struct {
	Results []Result // trouble first, then by name
	Refused []Line
	Counts  [len(statusWords)]int
	Report  source.Report
}

// Trouble reports whether anything is not as the list says.
func (a *Checked) Trouble() bool { return len(a.Results) > a.Counts[Same] }

// Single returns a list that says of one file what its digest is, and the folder that
// it is in: for Check. The file is given by the path it is named by, and its full path.
func Single(given, full string, v Value) (*List, *entry.Folder) {
	place := &entry.Place{Given: filepath.Dir(given), Full: filepath.Dir(full)}
	return &List{Lines: []Line{{Number: 1, Name: filepath.Base(given), Value: v}}}, &entry.Folder{Place: place}
}

// check is a file with all the lines on it.
type check struct {
	entry entry.Entry
	lines []Line
	err   error
}

// Check reads the files of a list, in a folder, and holds them against it.
func Check(ctx context.Context, list *List, folder *entry.Folder, pool *digest.Pool, progress *source.Progress, o CheckOptions) (*Checked, error) {
	a := &Checked{}
	checks := a.checks(list.Lines, folder, o)
	entries := make([]*entry.Entry, len(checks))
	for i := range checks {
		entries[i] = &checks[i].entry
	}
	if err := pool.Each(ctx, entries, func(w *digest.Worker, i int) {
		if checks[i].err = w.Look(entries[i]); checks[i].err == nil {
			progress.ToRead.Add(entries[i].Size)
		}
	}); err != nil {
		return nil, err
	}
	// Now that the sizes are known: large ones first.
	if err := pool.Each(ctx, entries, func(w *digest.Worker, i int) {
		c := &checks[i]
		if c.err != nil {
			return
		}
		var wanted entry.Facts
		for _, line := range c.lines {
			wanted |= line.Value.Facts()
		}
		c.err = w.Use(entries[i], func(file digest.File) error { return w.Take(entries[i], file, wanted) })
	}); err != nil {
		return nil, err
	}
	a.Results = make([]Result, 0, len(list.Lines))
	for i := range checks {
		for at := range checks[i].lines {
			a.add(checks[i].result(at))
		}
		if r := checks[i].result(0); r.Status == Unreadable { // once, whatever number of lines it has
			a.Report.Problems = append(a.Report.Problems, source.Problem{Path: r.Path(), Tried: "read", Err: r.Err, Entries: 1})
		}
	}
	if o.Others != nil {
		if err := a.findUnlisted(ctx, checks, progress, o); err != nil {
			return nil, err
		}
	}
	slices.SortStableFunc(a.Results, func(x, y Result) int {
		return cmp.Or(cmp.Compare(x.Status, y.Status), strings.Compare(x.Name(), y.Name()))
	})
	return a, nil
}

// checks puts the lines together that are about the same file. They are in
// order of names.
func (a *Checked) checks(lines []Line, folder *entry.Folder, o CheckOptions) []check {
	names := 0
	for i := range lines {
		if i == 0 || lines[i].Name != lines[i-1].Name {
			names++
		}
	}
	checks := make([]check, 0, names)
	for len(lines) > 0 {
		n := 1
		for n < len(lines) && lines[n].Name == lines[0].Name {
			n++
		}
		if lines[0].Leads() && !o.AllowOutside {
			a.Refused = append(a.Refused, lines[:n]...)
		} else {
			checks = append(checks, check{entry: entry.Entry{Folder: folder, Name: lines[0].Name}, lines: lines[:n]})
		}
		lines = lines[n:]
	}
	return checks
}

func (c *check) result(at int) Result {
	r := Result{Line: &c.lines[at], Entry: &c.entry, Err: c.err}
	switch {
	case c.err == nil:
		if _, _, same := r.Line.Value.Among(c.entry.More.Digests); same {
			r.Status = Same
		}
	case errors.Is(c.err, fs.ErrNotExist) || errors.Is(c.err, syscall.ENOTDIR):
		r.Status = Missing
	default:
		r.Status = Unreadable
	}
	return r
}

func (a *Checked) add(r Result) {
	a.Results = append(a.Results, r)
	a.Counts[r.Status]++
}

// findUnlisted looks for files that are not on the list.
func (a *Checked) findUnlisted(ctx context.Context, checks []check, progress *source.Progress, o CheckOptions) error {
	var mu sync.Mutex
	report, err := o.Others.Read(ctx, source.Request{Depth: source.AllDepths, Facts: entry.FactStatus, Progress: progress}, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			for _, e := range entries {
				if e.Kind != entry.KindFile || e.FullPath() == o.List {
					continue
				}
				way := e.Relative()
				if o.Known[way] {
					continue
				}
				if _, listed := slices.BinarySearchFunc(checks, way, func(c check, way string) int { return strings.Compare(c.entry.Name, way) }); listed {
					continue
				}
				e.Name, e.More = strings.Clone(e.Name), nil
				mu.Lock()
				a.add(Result{Status: Unlisted, Entry: &e})
				mu.Unlock()
			}
			return nil
		}
	}))
	a.Report.Add(report)
	return err
}
