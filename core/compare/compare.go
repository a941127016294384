// Package compare tells what differs between two places: what was added,
// removed, altered or moved, and what has other details only.
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
	"slices"
	"strings"

	"frankledger/core/arrange"
	"frankledger/core/digest"
	"frankledger/core/entry"
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
)

var changeWords = [...]string{"added", "removed", "altered", "moved", "details"}

func (c Change) String() string { return changeWords[c] }

// Result is one entry that differs.
type Result struct {
	Change      Change
	Path        string         // from the place
	From        string         // for Moved: the way before
	A, B        *entry.Entry   // before and after; nil where there is none
	Differences []*entry.Field // facts that differ
	Content     bool           // the content differs
	Along       int            // for a folder that moved: entries that came along, at any depth
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
	Content bool           // read the content of all files
	Fact    entry.Facts    // the digest to compare content by
}

// Answer is what differs.
type Answer struct {
	Results  []*Result
	Counts   [len(changeWords)]int
	Same     int   // entries that do not differ
	Bytes    int64 // of content in files that are the same, as far as their sizes are known
	Unsized  int64 // files that are the same, and whose size is not known
	Read     int   // files whose content was read
	Unknown  int   // entries that could not be compared
	ByTime   int   // files taken for altered by their times, as nothing is known of their content before
	Report   source.Report
	contents []pair
	counted  map[entry.Node]bool // files of several names that are the same, which count once
}

// same counts the bytes of a file that is the same.
func (answer *Answer) same(e *entry.Entry) {
	if e.Links > 1 {
		file := e.Node()
		if answer.counted[file] {
			return
		}
		answer.counted[file] = true
	}
	if e.HasSize() {
		answer.Bytes += e.Size
	} else {
		answer.Unsized++
	}
}

// Recorded is a source that was recorded, and so can tell without reading where
// another one holds the same.
type Recorded interface {
	source.Source
	// Alike returns a function that reports whether a folder and all that is in it
	// holds the same in both, and how much this one has in all. The function is nil if nothing can be told.
	Alike(ctx context.Context, other source.Source) (alike func(*entry.Folder) bool, held source.Amount, err error)
}

// pair is an entry in both places.
type pair struct {
	way  string
	a, b *entry.Entry
}

// side is one place, read.
type side struct {
	entries map[string]*entry.Entry // by their paths
	unread  map[string]bool         // paths of folders that could not be read
}

// Compare reads two places and tells what is different in the second.
func Compare(ctx context.Context, before, after source.Source, pool *digest.Pool, o Options) (*Answer, error) {
	answer := &Answer{counted: map[entry.Node]bool{}}
	o.Request.Facts, o.Request.Depth = entry.FactStatus|entry.FactTarget, source.AllDepths
	if before.Place().Record != nil || after.Place().Record != nil {
		o.Request.Facts |= entry.FactCreated // to know again what has moved
	}
	stepped, err := answer.stepOver(ctx, before, after, &o.Request)
	if err != nil {
		return nil, err
	}
	a, err := answer.read(ctx, before, o.Request)
	if err != nil {
		return nil, err
	}
	b, err := answer.read(ctx, after, o.Request)
	if err != nil {
		return nil, err
	}
	stepped(b)
	var added, removed []*Result
	for way, y := range b.entries {
		x := a.entries[way]
		switch {
		case x == nil && a.unknown(way):
			answer.Unknown++
		case x == nil:
			added = append(added, &Result{Change: Added, Path: way, B: y})
		default:
			answer.pair(pair{way, x, y}, o.Content)
		}
	}
	for way, x := range a.entries {
		if b.entries[way] == nil {
			if b.unknown(way) {
				answer.Unknown++
			} else {
				removed = append(removed, &Result{Change: Removed, Path: way, A: x})
			}
		}
	}
	identified(added, removed)
	if err := answer.readContents(ctx, pool, o, added, removed); err != nil {
		return nil, err
	}
	for _, r := range append(added, removed...) {
		if r.Change != Moved || r.B != nil {
			answer.add(r)
		}
	}
	slices.SortFunc(answer.Results, func(x, y *Result) int {
		return cmp.Or(cmp.Compare(x.Change, y.Change), arrange.ByPlace(x.Entry(), y.Entry()), strings.Compare(x.Path, y.Path))
	})
	carried(answer.Results)
	for i, r := range answer.Results {
		r.top, r.opens = i == 0, i == 0 || answer.Results[i-1].Change != r.Change
	}
	return answer, nil
}

// stepOver has folders passed over that are known to hold the same in both, if
// all is compared. It returns a function to count these in, given the second
// side as it was read.
func (answer *Answer) stepOver(ctx context.Context, before, after source.Source, request *source.Request) (func(b *side), error) {
	nothing := func(*side) {}
	recorded, is := after.(Recorded)
	if !is || request.Condition != nil || request.Skip != nil || request.Hidden != source.ShowHidden {
		return nothing, nil
	}
	alike, held, err := recorded.Alike(ctx, before)
	if alike == nil || err != nil {
		return nothing, err
	}
	if alike(&entry.Folder{Place: after.Place()}) {
		request.Depth = 0 // nothing has to be read
	}
	request.Skip = alike
	return func(b *side) {
		names := map[entry.Node]uint32{} // that were read, of files of several
		for _, e := range b.entries {
			held.Entries--
			if !e.HasSize() {
				if e.Kind == entry.KindFile {
					held.Unsized--
				}
				continue
			}
			if e.Links > 1 {
				file := e.Node()
				if names[file]++; names[file] < e.Links {
					continue
				}
			}
			held.Bytes -= e.Size
		}
		for _, e := range b.entries { // other names are where nothing was read: it is counted there
			if file := e.Node(); e.HasSize() && e.Links > 1 && names[file] < e.Links {
				answer.counted[file] = true
			}
		}
		answer.Same += int(held.Entries)
		answer.Bytes += held.Bytes
		answer.Unsized += held.Unsized
		answer.Report.Skipped = 0
	}, nil
}

func (answer *Answer) add(r *Result) {
	answer.Results = append(answer.Results, r)
	answer.Counts[r.Change]++
}

// read reads one place.
func (answer *Answer) read(ctx context.Context, s source.Source, request source.Request) (*side, error) {
	if s.Place().Record != nil { // it was chosen so when it was recorded
		request.Follow, request.SameDisk = false, false
	}
	collected := arrange.NewCollector(arrange.Order{}, nil, 0)
	report, err := s.Read(ctx, request, collected)
	answer.Report.Add(report)
	if err != nil {
		return nil, err
	}
	read := &side{entries: map[string]*entry.Entry{}, unread: map[string]bool{}}
	collected.Each(func(e *entry.Entry) {
		if e.Self {
			return
		}
		way := e.Relative()
		read.entries[way] = e
		if e.Inside != nil && e.Inside.Unread() {
			read.unread[way] = true
		}
	})
	for _, p := range report.Problems { // also where nothing of a folder was given
		if way, below := strings.CutPrefix(p.Path, strings.TrimSuffix(s.Place().Given, "/")); below {
			read.unread[strings.TrimPrefix(way, "/")] = true
		}
	}
	return read, nil
}

// unknown reports whether an entry may be there although it was not found: in a
// folder that could not be read.
func (s *side) unknown(way string) bool {
	for way != "" {
		if s.unread[way] {
			return true
		}
		way = way[:max(0, strings.LastIndexByte(way, '/'))]
	}
	return s.unread[""]
}

// pair holds two entries against each other, or notes that their content has to
// be read.
func (answer *Answer) pair(p pair, content bool) {
	x, y := p.a, p.b
	if !x.Known.Has(entry.FactStatus) || !y.Known.Has(entry.FactStatus) {
		answer.Unknown++
		return
	}
	if x.Kind != entry.KindFile || y.Kind != entry.KindFile || otherSize(x, y) || x.Size == 0 && x.HasSize() && y.HasSize() {
		answer.judge(p, sameContent)
		return
	}
	if known(x, y) != 0 {
		answer.judge(p, held(x, y))
		return
	}
	fact := p.fact(entry.FactDigests) // some, if there is a choice
	switch sameTime := x.Modified == y.Modified; {
	case isNow(x) && isNow(y) && x.Device == y.Device && x.Inode == y.Inode:
		answer.judge(p, sameContent)
	case sameTime && !content && (fact == 0 || isNow(x) && isNow(y) || x.Inode != y.Inode || x.Changed == y.Changed):
		answer.judge(p, sameContent)
	case fact != 0: // also where a time was put back, which another time tells
		answer.contents = append(answer.contents, p)
	case content:
		answer.Unknown++
	default:
		answer.ByTime++
		answer.judge(p, otherTime)
	}
}

// otherSize reports whether two files are known to be of other sizes.
func otherSize(x, y *entry.Entry) bool { return x.HasSize() && y.HasSize() && x.Size != y.Size }

// isNow reports whether an entry is there now, and can be read.
func isNow(e *entry.Entry) bool { return e.Folder.Place.Record == nil }

// verdict is what was found of the content of a pair.
type verdict uint8

const (
	sameContent verdict = iota
	otherContent
	otherTime // taken for another content
)

// judge decides on a pair.
func (answer *Answer) judge(p pair, content verdict) {
	x, y := p.a, p.b
	r := &Result{Change: Details, Path: p.way, A: x, B: y, Content: content == otherContent}
	differs := func(name string, so bool) {
		if so {
			r.Differences = append(r.Differences, entry.FieldNamed(name))
		}
	}
	differs("kind", x.Kind != y.Kind)
	if x.Kind == y.Kind {
		differs("size", x.Kind == entry.KindFile && otherSize(x, y))
		differs("target", x.Kind == entry.KindLink && x.More.Target != y.More.Target)
	}
	if len(r.Differences) > 0 || content != sameContent {
		r.Change = Altered
	}
	differs("mode", x.Kind != entry.KindLink && y.Kind != entry.KindLink && x.Permissions != y.Permissions)
	differs("owner", x.UID != y.UID)
	differs("group", x.GID != y.GID)
	differs("modified", x.Kind == entry.KindFile && y.Kind == entry.KindFile && x.Modified != y.Modified)
	if r.Change == Details && len(r.Differences) == 0 {
		answer.Same++
		if x.Kind == entry.KindFile {
			answer.same(y)
		}
		return
	}
	answer.add(r)
}
