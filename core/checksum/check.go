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
	"frankledger/core/digestlist"
	"frankledger/core/entry"
	"frankledger/core/source"
)

// ErrNotListed is the trouble with a file that was to be checked alone.
var ErrNotListed = errors.New("it is not on the list")

// Status is how a file stands to the list.
type Status uint8

const (
	Different Status = iota
	Missing
	Moved      // not there by this name, but by another
	Unreadable // or no file, or changing while it was read
	Unlisted   // there, but not on the list
	Same
)

// statusWords are in the order of the statuses: trouble first.
var statusWords = [...]string{"different", "missing", "moved", "unreadable", "unlisted", "same"}

func (s Status) String() string { return statusWords[s] }

// Result is what was found of one line of the list, or of a file that is not
// on it.
type Result struct {
	Status Status
	Line   *digestlist.Line // nil for an unlisted file
	Entry  *entry.Entry     // what is there: name, and status unless it is missing
	Err    error            // why it is unreadable
	Found  *entry.Entry     // what has its content, if it was moved
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

// SizeDiffers reports whether the file has another size than the list says. It was not
// read for that line then.
func (r *Result) SizeDiffers() bool {
	return r.Line != nil && r.Line.Sized && r.Entry.Known.Has(entry.FactStatus) && r.Entry.Size != r.Line.Size
}

// Digests are the digest that is expected and the one there is, "" where there
// is none, in hexadecimal, and their algorithm.
func (r *Result) Digests() (expected, actual string, a entry.Algorithm) {
	if r.Line == nil {
		return "", "", a
	}
	if (r.Status == Same || r.Status == Different) && !r.SizeDiffers() {
		actual, a, _ = r.Line.Digest.Among(r.Entry.More.Digests)
		return r.Line.Digest.Hex, actual, a
	}
	return r.Line.Digest.Hex, "", r.Line.Digest.Algorithms[0]
}

// CheckOptions say how to check files against a list.
type CheckOptions struct {
	AllowOutside bool            // names that lead out of the folder too
	Others       source.Source   // the folder, to look for files that are not on the list; may be nil
	Moved        bool            // look among these for what is missing, by content
	Unlisted     bool            // tell the rest of them
	List         string          // the full path of the list, which is not on itself
	Trouble      bool            // only what is not as the list says is of interest
	Known        map[string]bool // paths of files that are known without a digest, and so are not unlisted
}

// Checked is how files stand to a list.
type Checked struct {
	Results []Result // trouble first, then by name; without what is the same, if only trouble was asked for
	Refused []digestlist.Line
	Counts  [len(statusWords)]int
	Report  source.Report

	tried, found entry.Facts
}

// Trouble reports whether anything is not as the list says.
func (a *Checked) Trouble() bool {
	return slices.ContainsFunc(a.Counts[:Same], func(n int) bool { return n > 0 })
}

// Tried returns the algorithms that digests were tried as for which the list names none,
// and the ones that any of these turned out to be of.
func (a *Checked) Tried() (tried, found []string) {
	for _, algorithm := range entry.Algorithms {
		if a.tried.Has(algorithm.Fact) {
			tried = append(tried, algorithm.Name)
		}
		if a.found.Has(algorithm.Fact) {
			found = append(found, algorithm.Name)
		}
	}
	return tried, found
}

// Single returns a list that says of one file what its digest is, and the folder that
// it is in: for Check. The file is given by the path it is named by, and its full path.
func Single(given, full string, v digestlist.Digest) (*digestlist.List, *entry.Folder) {
	place := &entry.Place{Given: filepath.Dir(given), Full: filepath.Dir(full)}
	return &digestlist.List{Lines: []digestlist.Line{{Number: 1, Name: filepath.Base(given), Digest: v}}}, &entry.Folder{Place: place}
}

// check is a file with all the lines on it.
type check struct {
	entry entry.Entry
	lines []digestlist.Line
	err   error
}

// batch is how many files are looked at before the first of them is read: what is known of
// them takes room.
const batch = 1 << 16

// Check reads the files of a list, in a folder, and checks them against it.
func Check(ctx context.Context, list *digestlist.List, folder *entry.Folder, pool *digest.Pool, progress *source.Progress, o CheckOptions) (*Checked, error) {
	a := &Checked{}
	var likely likely
	var listed map[string]bool
	if o.Others != nil {
		listed = make(map[string]bool, len(list.Lines))
	}
	for lines := list.Lines; len(lines) > 0; {
		var checks []check
		checks, lines = a.checks(lines, folder, o)
		if err := a.checkSome(ctx, checks, pool, progress, &likely, o); err != nil {
			return nil, err
		}
		for i := range checks {
			if listed != nil {
				listed[checks[i].entry.Name] = true
			}
		}
	}
	if o.Others != nil {
		unlisted, err := a.findUnlisted(ctx, listed, progress, o)
		if err == nil && o.Moved {
			unlisted, err = a.findMoved(ctx, unlisted, pool, progress)
		}
		if err != nil {
			return nil, err
		}
		for _, e := range unlisted {
			if o.Unlisted {
				a.add(Result{Status: Unlisted, Entry: e})
			}
		}
	}
	slices.SortStableFunc(a.Results, func(x, y Result) int {
		return cmp.Or(cmp.Compare(x.Status, y.Status), strings.Compare(x.Name(), y.Name()))
	})
	return a, nil
}

// checkSome looks at some files and reads them.
func (a *Checked) checkSome(ctx context.Context, checks []check, pool *digest.Pool, progress *source.Progress, likely *likely, o CheckOptions) error {
	entries := make([]*entry.Entry, len(checks))
	for i := range checks {
		entries[i] = &checks[i].entry
	}
	if err := pool.Each(ctx, entries, func(w *digest.Worker, i int) {
		if checks[i].look(w); checks[i].err == nil {
			progress.ToRead.Add(entries[i].Size)
		}
	}); err != nil {
		return err
	}
	// Now that the sizes are known: large ones first.
	if err := pool.Each(ctx, entries, func(w *digest.Worker, i int) {
		if c := &checks[i]; c.err == nil {
			c.err = c.read(w, likely)
		}
	}); err != nil {
		return err
	}
	var nowhere *entry.Entry
	if len(checks) > 0 {
		nowhere = &entry.Entry{Folder: checks[0].entry.Folder}
	}
	for i := range checks {
		for at := range checks[i].lines {
			r := checks[i].result(at)
			if a.note(&r); r.Status == Same && o.Trouble {
				a.Counts[Same]++
				continue
			}
			if r.Status == Missing {
				r.Entry = nowhere // of which there is only the name in its line
			} else {
				kept := *r.Entry // without those beside it
				r.Entry = &kept
			}
			a.add(r)
		}
		if r := checks[i].result(0); r.Status == Unreadable { // once, whatever number of lines it has
			a.Report.Problems = append(a.Report.Problems, source.Problem{Path: r.Path(), Tried: "read", Err: r.Err, Entries: 1})
		}
	}
	return nil
}

// note notes by which algorithms digests were tried that the list does not name.
func (a *Checked) note(r *Result) {
	if len(r.Line.Digest.Algorithms) < 2 || r.Status != Same && r.Status != Different || r.SizeDiffers() {
		return
	}
	a.tried |= r.Line.Digest.Facts()
	if r.Status == Same {
		_, _, by := r.Digests()
		a.found |= by.Fact
	}
}

// checks puts the lines together that are about the same file, of so many files as are looked
// at together, in order of names. It returns the lines that are left.
func (a *Checked) checks(lines []digestlist.Line, folder *entry.Folder, o CheckOptions) (checks []check, left []digestlist.Line) {
	checks = make([]check, 0, min(batch, len(lines)))
	for len(lines) > 0 && len(checks) < batch {
		n := 1
		for n < len(lines) && lines[n].Name == lines[0].Name {
			n++
		}
		if digestlist.LeadsOut(lines[0].Name) && !o.AllowOutside {
			a.Refused = append(a.Refused, lines[:n]...)
		} else {
			checks = append(checks, check{entry: entry.Entry{Folder: folder, Name: lines[0].Name}, lines: lines[:n]})
		}
		lines = lines[n:]
	}
	return checks, lines
}

// look gets the status of a file. A name that is not there may be that of another system,
// which parts folders with a backslash.
func (c *check) look(w *digest.Worker) {
	if c.err = w.Look(&c.entry); !errors.Is(c.err, fs.ErrNotExist) {
		return
	}
	name := strings.ReplaceAll(c.entry.Name, `\`, "/")
	if other := c.entry; name != c.entry.Name && !digestlist.LeadsOut(path.Clean(name)) {
		other.Name = path.Clean(name)
		if err := w.Look(&other); err == nil {
			c.entry, c.err = other, nil
		}
	}
}

// likely tells by which algorithm digests are where nothing but their length tells: the
// one that was so before.
type likely struct {
	mu sync.Mutex
	by map[int]entry.Facts // by how many digits they have
}

func (l *likely) of(v digestlist.Digest) entry.Facts {
	l.mu.Lock()
	defer l.mu.Unlock()
	if by := l.by[len(v.Hex)]; by != 0 {
		return by
	}
	return v.Algorithms[0].Fact
}

func (l *likely) is(v digestlist.Digest, a entry.Algorithm) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.by == nil {
		l.by = map[int]entry.Facts{}
	}
	l.by[len(v.Hex)] = a.Fact
}

// read takes the digests that the lines are of. Of several algorithms that one may be of,
// the others are only tried if the likely one does not tell the same. A file of another
// size is not read.
func (c *check) read(w *digest.Worker, likely *likely) error {
	take := func(wanted entry.Facts) error {
		return w.Use(&c.entry, func(file digest.File) error { return w.Take(&c.entry, file, wanted&^c.entry.Known) })
	}
	var wanted entry.Facts
	for i := range c.lines {
		if r := c.result(i); !r.SizeDiffers() {
			wanted |= likely.of(c.lines[i].Digest)
		}
	}
	if wanted == 0 {
		return nil
	}
	if err := take(wanted); err != nil {
		return err
	}
	wanted = 0
	for i, line := range c.lines {
		if r := c.result(i); r.Status != Same && !r.SizeDiffers() {
			wanted |= line.Digest.Facts()
		}
	}
	if wanted &^= c.entry.Known; wanted != 0 {
		if err := take(wanted); err != nil {
			return err
		}
	}
	for _, line := range c.lines {
		if _, a, same := line.Digest.Among(c.entry.More.Digests); same && len(line.Digest.Algorithms) > 1 {
			likely.is(line.Digest, a)
		}
	}
	return nil
}

func (c *check) result(at int) Result {
	r := Result{Line: &c.lines[at], Entry: &c.entry, Err: c.err}
	switch {
	case c.err == nil:
		if r.SizeDiffers() || c.entry.More == nil {
			break
		}
		if _, _, same := r.Line.Digest.Among(c.entry.More.Digests); same {
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

// findMoved looks among files that are not on the list for those that are missing: by
// size, where that is known, and then by digest. It returns the files that are left.
func (a *Checked) findMoved(ctx context.Context, unlisted []*entry.Entry, pool *digest.Pool, progress *source.Progress) (left []*entry.Entry, err error) {
	var wanted entry.Facts // of files of any size
	sized := map[int64]entry.Facts{}
	var missing []*Result
	for i := range a.Results {
		r := &a.Results[i]
		if r.Status != Missing {
			continue
		}
		missing = append(missing, r)
		if r.Line.Sized || r.Line.Size > 0 {
			sized[r.Line.Size] |= r.Line.Digest.Facts()
		} else {
			wanted |= r.Line.Digest.Facts()
		}
	}
	var tried []*entry.Entry
	for _, e := range unlisted {
		if e.HasSize() && wanted|sized[e.Size] != 0 {
			tried = append(tried, e)
			progress.ToRead.Add(e.Size)
		}
	}
	if err := pool.Each(ctx, tried, func(w *digest.Worker, i int) {
		w.Open(tried[i], "read", func(open digest.File) error { return w.Take(tried[i], open, wanted|sized[tried[i].Size]) })
	}); err != nil {
		return nil, err
	}
	a.Report.Problems = append(a.Report.Problems, pool.Problems()...)
	slices.SortFunc(tried, func(a, b *entry.Entry) int { return strings.Compare(a.Relative(), b.Relative()) })
	by := map[string][]*entry.Entry{}
	for _, e := range tried {
		for _, algorithm := range entry.Algorithms {
			if e.Known.Has(algorithm.Fact) {
				key := algorithm.Name + e.More.Digests.By(algorithm.Fact)
				by[key] = append(by[key], e)
			}
		}
	}
	taken := map[*entry.Entry]bool{}
	for _, r := range missing {
		for _, algorithm := range r.Line.Digest.Algorithms {
			key := algorithm.Name + r.Line.Digest.Hex
			for len(by[key]) > 0 && taken[by[key][0]] {
				by[key] = by[key][1:]
			}
			at := slices.IndexFunc(by[key], func(e *entry.Entry) bool {
				return !taken[e] && (!r.Line.Sized || r.Line.Size == e.Size)
			})
			if r.Found == nil && at >= 0 {
				a.Counts[r.Status]--
				r.Status, r.Found = Moved, by[key][at]
				taken[r.Found] = true
				a.Counts[r.Status]++
			}
		}
	}
	return slices.DeleteFunc(unlisted, func(e *entry.Entry) bool { return taken[e] }), nil
}

// findUnlisted looks for files that are not on the list.
func (a *Checked) findUnlisted(ctx context.Context, listed map[string]bool, progress *source.Progress, o CheckOptions) (unlisted []*entry.Entry, err error) {
	var mu sync.Mutex
	report, err := o.Others.Read(ctx, source.Request{Depth: source.AllDepths, Facts: entry.FactStatus, Progress: progress}, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			for _, e := range entries {
				if e.Kind != entry.KindFile || e.FullPath() == o.List {
					continue
				}
				rel := e.Relative()
				if o.Known[rel] {
					continue
				}
				if listed[rel] {
					continue
				}
				e.Name, e.More = strings.Clone(e.Name), nil
				mu.Lock()
				unlisted = append(unlisted, &e)
				mu.Unlock()
			}
			return nil
		}
	}))
	a.Report.Add(report)
	return unlisted, err
}
