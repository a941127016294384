// Package compare finds what differs between two places: what was added, removed, altered or moved, and what has
// other details only.
//
// Files are compared with each other by size and by the time they were last
// modified; content is read where these leave it open, or always if that is
// asked for. What moved is found by content, among files of the same size.
//
// Of a place that was recorded, the digests that the record has stand for
// content. Where it has none, another time is taken for another content. And as a
// record knows inodes, what moved since is the same thing under another path.
package compare

import (
	"cmp"
	"context"
	"path"
	"slices"
	"strings"

	"frankledger/core/arrange"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/quantity"
	"frankledger/core/sides"
	"frankledger/core/source"
)

// Change is how an entry differs.
type Change uint8

const (
	Added Change = iota
	Removed
	Altered // its content, its kind, or where a link points
	Moved   // the same content under another path
	Details // the same content, but other permissions, owner, group or time
	Unclear // on one side only, but the other is a record of what met a condition, and may have passed it over
)

var changeWords = [...]string{"added", "removed", "altered", "moved", "details", "unclear"}

func (c Change) String() string { return changeWords[c] }

// Result is one entry that differs.
type Result struct {
	Change      Change
	Path        string         // from the place
	From        string         // for Moved: the relative path before
	A, B        *entry.Entry   // before and after; nil where there is none
	Differences []*entry.Field // facts that differ
	Content     bool           // the content differs
	Along       int            // for a folder that moved, was added or removed: entries that came along, at any depth
	Size        int64          // of the content of these that were added or removed, as far as it is known
	Carried     bool           // it came along with its folder
	top         bool           // of all
	opens       bool           // of its kind of change
}

// Entry returns what is there now, or what was there.
func (r *Result) Entry() *entry.Entry {
	if r.B != nil {
		return r.B
	}
	return r.A
}

// Options say how to compare.
type Options struct {
	Request source.Request // facts and depth are set by Compare
	Scopes  [2]sides.Scope // of both places
	// Attributes has access lists, extended attributes, capabilities and flags compared, too, of
	// what has them on both sides.
	Attributes bool
	Content    bool // read the content of all files
	// Ignore are the names of details that make no difference.
	Ignore []string
	// Copy asks whether all files of the first place are in the second one, with the same content: what is only in
	// that one, and details, make no difference.
	Copy bool
	// Opened is how many levels of a folder are told that was added or removed: 0 for it alone.
	Opened int
	Fact   entry.Facts // the digest to compare content by
}

// Answer is what differs.
type Answer struct {
	Results   []*Result
	Counts    [len(changeWords)]int
	Same      int   // entries that do not differ
	Bytes     int64 // of content in files that are the same, as far as their sizes are known
	Unsized   int64 // files that are the same, and whose size is not known
	Read      int   // files whose content was read
	Unknown   int   // entries that could not be compared
	Outside   int   // entries that only one side looked at
	Only      int   // with Copy: entries that only the second place has
	Elsewhere int   // with Copy: files that are in the second place under another path
	ByTime    int   // files taken for altered by their times, as nothing is known of their content before
	Report    source.Report
}

// Recorded is a source that was recorded, and so can tell without reading where
// another one holds the same.
type Recorded interface {
	source.Source
	// Alike returns a function that reports whether a folder and all that is in it
	// holds the same in both, and how much this one has in all. The function is nil if nothing can be told.
	Alike(ctx context.Context, other source.Source) (alike func(*entry.Folder) bool, held source.Amount, err error)
}

// Compare reads two places and returns what is different in the second.
//
// What the first one has is kept packed, and what the second one has is compared with that as it comes, so that only
// what differs takes room.
func Compare(ctx context.Context, before, after source.Source, pool *digest.Pool, o Options) (*Answer, error) {
	answer := &Answer{}
	o.Request.Facts, o.Request.Depth = entry.FactStatus|entry.FactTarget, source.AllDepths
	if before.Place().Kept || after.Place().Kept {
		o.Request.Facts |= entry.FactCreated // to know again what has moved
	}
	if o.Attributes {
		o.Request.Facts |= entry.FactXattrs | entry.FactFlags
		o.Request.Aside |= entry.FactXattrs | entry.FactFlags
	}
	for _, scope := range o.Scopes {
		if scope.Condition != nil {
			o.Request.Facts |= scope.Condition.Needs()
		}
	}
	asked := o.Request.Condition != nil
	if asked {
		o.Request = sides.Marking(o.Request)
	}
	stepped, err := answer.stepOver(ctx, before, after, &o.Request, o.Scopes)
	if err != nil {
		return nil, err
	}
	first := &side{}
	if err := answer.read(ctx, before, o, &first.shut, first); err != nil {
		return nil, err
	}
	if err := first.assemble(); err != nil {
		return nil, err
	}
	second := &against{first: first, content: o.Content, asked: asked, stepped: stepped != nil, ignore: o.Ignore}
	if err := answer.read(ctx, after, o, &second.shut, second); err != nil {
		return nil, err
	}
	found, err := second.finish()
	if err != nil {
		return nil, err
	}
	identified(found.added, found.removed)
	if err := answer.readContents(ctx, pool, o, found); err != nil {
		return nil, err
	}
	if stepped != nil {
		stepped(found)
	}
	for _, e := range found.several {
		found.count(e)
	}
	answer.Results = found.results
	found.settle(answer, o.Scopes)
	answer.Same, answer.Bytes, answer.Unsized = answer.Same+found.same, quantity.Add(answer.Bytes, found.bytes), answer.Unsized+found.unsized
	answer.Unknown, answer.ByTime, answer.Outside = found.unknown, found.byTime, found.outside
	for i, place := range []source.Source{before, after} {
		sides.NoteUnclear(&answer.Report, place.Place(), found.unclear[i])
	}
	sides.Settle(&answer.Report, int64(found.undecided))
	if o.Copy {
		answer.onlyMissing()
	}
	for _, r := range answer.Results {
		if !o.Copy || r.Entry().Kind != entry.KindFolder { // whose files are counted
			answer.Counts[r.Change]++
		}
	}
	slices.SortFunc(answer.Results, func(x, y *Result) int {
		return cmp.Or(cmp.Compare(x.Change, y.Change), arrange.ByPlace(x.Entry(), y.Entry()), strings.Compare(x.Path, y.Path))
	})
	carried(answer.Results)
	alongside(answer.Results, o.Opened)
	for i, r := range answer.Results {
		r.top, r.opens = i == 0, i == 0 || answer.Results[i-1].Change != r.Change
	}
	return answer, nil
}

// onlyMissing leaves out what makes no difference to a copy. Of folders there are those with files that are missing.
func (answer *Answer) onlyMissing() {
	holding := map[string]bool{}
	for _, r := range answer.Results {
		if r.Change != Removed || r.A.Kind == entry.KindFolder {
			continue
		}
		for rel := path.Dir(r.Path); rel != "." && !holding[rel]; rel = path.Dir(rel) {
			holding[rel] = true
		}
	}
	answer.Results = slices.DeleteFunc(answer.Results, func(r *Result) bool {
		switch r.Change {
		case Added:
			answer.Only++
		case Moved:
			if r.A.Kind == entry.KindFile {
				answer.Elsewhere++
			}
		case Removed:
			return r.A.Kind == entry.KindFolder && !holding[r.Path]
		default:
			return false
		}
		return true
	})
}

// settle decides what becomes of what only one side has, and of what has moved.
func (f *finding) settle(answer *Answer, scopes [2]sides.Scope) {
	stands := [2]func(*entry.Entry) sides.Standing{scopes[0].Test(), scopes[1].Test()}
	for _, r := range slices.Concat(f.added, f.removed) {
		e, verdict, standing := r.Entry(), source.Yes, sides.Missing
		switch {
		case r.Change == Moved && r.B == nil:
			continue // with what it became
		case r.Change == Moved:
			verdict = sides.Decide(r.A, r.B)
		case r.Change == Added:
			verdict, standing = sides.Decide(e, e), stands[0](e)
		default:
			verdict, standing = sides.Decide(e, e), stands[1](e)
		}
		switch {
		case f.asked && verdict == source.No:
			continue
		case standing == sides.Outside:
			f.outside++
			continue
		case f.asked && verdict == source.Unknown:
			f.unknown++
			f.undecided++
			continue
		case standing == sides.Unclear && r.Change == Added:
			f.unclear[0]++
			r.Change = Unclear
		case standing == sides.Unclear:
			f.unclear[1]++
			r.Change = Unclear
		}
		answer.Results = append(answer.Results, r)
	}
	scopes[0].Forget()
	scopes[1].Forget()
}

// stepOver has folders passed over that are known to hold the same in both, if
// all is compared. It returns a function to count these in, given what was found of what was
// read; nil if nothing is passed over.
func (answer *Answer) stepOver(ctx context.Context, before, after source.Source, request *source.Request, scopes [2]sides.Scope) (func(read *finding), error) {
	recorded, is := after.(Recorded)
	for _, s := range scopes { // else not all that the record holds is looked at
		is = is && s.Hidden == source.ShowHidden && s.Skip == nil && !s.SameDisk
	}
	if !is || request.Condition != nil || request.Skip != nil || request.Hidden != source.ShowHidden {
		return nil, nil
	}
	alike, held, err := recorded.Alike(ctx, before)
	if alike == nil || err != nil {
		return nil, err
	}
	if alike(&entry.Folder{Place: after.Place()}) {
		request.Depth = 0 // nothing has to be read
	}
	request.Skip = alike
	return func(read *finding) {
		held.Entries, held.Bytes, held.Unsized = held.Entries-read.given.Entries, held.Bytes-read.given.Bytes, held.Unsized-read.given.Unsized
		for file, n := range read.names {
			if n.read >= n.links {
				held.Bytes -= n.size
			} else { // other names are where nothing was read: it is counted there
				delete(read.several, file)
			}
		}
		answer.Same += int(held.Entries)
		answer.Bytes = quantity.Add(answer.Bytes, held.Bytes)
		answer.Unsized += held.Unsized
		answer.Report.Skipped = 0
	}, nil
}

// read reads one place into a sink, and notes what it did not look into.
func (answer *Answer) read(ctx context.Context, s source.Source, o Options, shut *sides.Shut, sink source.Sink) error {
	report, err := s.Read(ctx, sides.Narrowed(o.Request, s.Capabilities(), o.Scopes[:]...), sink)
	shut.NoteProblems(s.Place(), "", report.Problems)
	report.NoteUntold(s, o.Request.Condition)
	answer.Report.Add(report)
	return err
}

// isNow reports whether an entry is there now, and can be read.
func isNow(e *entry.Entry) bool { return !e.Folder.Place.Kept }

// verdict is what was found of the content of a pair.
type verdict uint8

const (
	sameContent verdict = iota
	otherContent
	otherTime // taken for another content
)

// judge decides on a pair.
func (f *finding) judge(p pair, content verdict) {
	x, y := p.a, p.b
	altered, details := sides.Differing(x, y)
	r := Result{Change: Details, Content: content == otherContent}
	if len(altered) > 0 || content != sameContent {
		r.Change = Altered
	}
	details = slices.DeleteFunc(details, func(name string) bool { return slices.Contains(f.ignore, name) })
	for _, name := range slices.Concat(altered, details) {
		r.Differences = append(r.Differences, entry.FieldNamed(name))
	}
	if r.Change == Details && len(r.Differences) == 0 {
		f.same++
		if x.Kind == entry.KindFile {
			f.sameFile(y)
		}
		return
	}
	p = f.keep(p)
	r.Path, r.A, r.B = p.rel, p.a, p.b
	f.results = append(f.results, &r)
}
