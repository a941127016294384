// Package compare tells what differs between two places: what was added,
// removed, altered or moved, and what has other details only.
//
// Files are held against each other by size and by the time they were last
// modified; content is read where these leave it open, or always if that is
// asked for. What moved is found by content, among files of the same size.
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
	Way         string         // from the place
	From        string         // for Moved: the way before
	A, B        *entry.Entry   // before and after; nil where there is none
	Differences []*entry.Field // facts that differ
	Content     bool           // the content differs
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
	Bytes    int64 // of content in files that are the same
	Read     int   // files whose content was read
	Unknown  int   // entries that could not be compared
	Report   source.Report
	contents []pair
}

// pair is an entry in both places.
type pair struct {
	way  string
	a, b *entry.Entry
}

// side is one place, read.
type side struct {
	entries map[string]*entry.Entry // by their ways
	unread  map[string]bool         // ways of folders that could not be read
}

// Compare reads two places and tells what is different in the second.
func Compare(ctx context.Context, before, after source.Source, pool *digest.Pool, o Options) (*Answer, error) {
	answer := &Answer{}
	o.Request.Facts, o.Request.Depth = entry.FactStatus|entry.FactTarget, source.AllDepths
	a, err := answer.read(ctx, before, o.Request)
	if err != nil {
		return nil, err
	}
	b, err := answer.read(ctx, after, o.Request)
	if err != nil {
		return nil, err
	}
	var added, removed []*Result
	for way, y := range b.entries {
		x := a.entries[way]
		switch {
		case x == nil && a.unknown(way):
			answer.Unknown++
		case x == nil:
			added = append(added, &Result{Change: Added, Way: way, B: y})
		default:
			answer.pair(pair{way, x, y}, o.Content)
		}
	}
	for way, x := range a.entries {
		if b.entries[way] == nil {
			if b.unknown(way) {
				answer.Unknown++
			} else {
				removed = append(removed, &Result{Change: Removed, Way: way, A: x})
			}
		}
	}
	if err := answer.readContents(ctx, pool, o, added, removed, progressOf(o)); err != nil {
		return nil, err
	}
	for _, r := range append(added, removed...) {
		if r.Change != Moved || r.B != nil {
			answer.add(r)
		}
	}
	slices.SortFunc(answer.Results, func(x, y *Result) int {
		return cmp.Or(cmp.Compare(x.Change, y.Change), arrange.ByPlace(x.Entry(), y.Entry()), strings.Compare(x.Way, y.Way))
	})
	for i, r := range answer.Results {
		r.top, r.opens = i == 0, i == 0 || answer.Results[i-1].Change != r.Change
	}
	return answer, nil
}

func progressOf(o Options) *source.Progress {
	if o.Request.Progress == nil {
		return &source.Progress{}
	}
	return o.Request.Progress
}

func (answer *Answer) add(r *Result) {
	answer.Results = append(answer.Results, r)
	answer.Counts[r.Change]++
}

// read reads one place.
func (answer *Answer) read(ctx context.Context, s source.Source, request source.Request) (*side, error) {
	collected := arrange.NewCollector(arrange.Order{}, nil, 0)
	report, err := s.Read(ctx, request, collected)
	answer.Report.Add(report)
	if err != nil {
		return nil, err
	}
	read := &side{entries: map[string]*entry.Entry{}, unread: map[string]bool{}}
	collected.Each(func(e *entry.Entry) {
		way := e.Way()
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

// unknown tells whether an entry may be there although it was not found: in a
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
	switch {
	case !x.Known.Has(entry.FactStatus) || !y.Known.Has(entry.FactStatus):
		answer.Unknown++
	case x.Kind == entry.KindFile && y.Kind == entry.KindFile && x.Size == y.Size &&
		!sameFile(x, y) && (content || x.Modified != y.Modified) && x.Size > 0:
		answer.contents = append(answer.contents, p)
	default:
		answer.judge(p, false)
	}
}

func sameFile(x, y *entry.Entry) bool { return x.Device == y.Device && x.Inode == y.Inode }

// judge decides on a pair, whose content differs or not.
func (answer *Answer) judge(p pair, content bool) {
	x, y := p.a, p.b
	r := &Result{Change: Details, Way: p.way, A: x, B: y, Content: content}
	differs := func(name string, so bool) {
		if so {
			r.Differences = append(r.Differences, entry.FieldNamed(name))
		}
	}
	differs("kind", x.Kind != y.Kind)
	if x.Kind == y.Kind {
		differs("size", x.Kind == entry.KindFile && x.Size != y.Size)
		differs("target", x.Kind == entry.KindLink && x.More.Target != y.More.Target)
	}
	if len(r.Differences) > 0 || content {
		r.Change = Altered
	}
	differs("mode", x.Kind != entry.KindLink && y.Kind != entry.KindLink && x.Permissions != y.Permissions)
	differs("owner", x.UID != y.UID)
	differs("group", x.GID != y.GID)
	differs("modified", x.Kind == entry.KindFile && y.Kind == entry.KindFile && x.Modified != y.Modified)
	if r.Change == Details && len(r.Differences) == 0 {
		answer.Same++
		if x.Kind == entry.KindFile {
			answer.Bytes += x.Size
		}
		return
	}
	answer.add(r)
}

// readContents reads what has to be read: of pairs that may differ, and of
// files that may have moved.
func (answer *Answer) readContents(ctx context.Context, pool *digest.Pool, o Options, added, removed []*Result, progress *source.Progress) error {
	var toRead []*entry.Entry
	for _, p := range answer.contents {
		toRead = append(toRead, p.a, p.b)
	}
	sizes := map[int64]uint8{}
	movable := func(r *Result) bool { e := r.Entry(); return e.Kind == entry.KindFile && e.Size > 0 }
	for i, list := range [][]*Result{added, removed} {
		for _, r := range list {
			if movable(r) {
				sizes[r.Entry().Size] |= 1 << i
			}
		}
	}
	candidate := func(r *Result) bool { return movable(r) && sizes[r.Entry().Size] == 3 }
	for _, r := range slices.Concat(added, removed) {
		if candidate(r) {
			toRead = append(toRead, r.Entry())
		}
	}
	slices.SortFunc(toRead, func(x, y *entry.Entry) int {
		return cmp.Or(cmp.Compare(x.Device, y.Device), cmp.Compare(x.Inode, y.Inode))
	})
	for _, e := range toRead {
		progress.ToRead.Add(e.Size)
	}
	if err := pool.Each(ctx, toRead, func(w *digest.Worker, i int) { w.Digest(toRead[i], o.Fact) }); err != nil {
		return err
	}
	answer.Report.Problems = append(answer.Report.Problems, pool.Problems()...)
	answer.Read = len(toRead)
	sum := func(e *entry.Entry) string {
		if !e.Known.Has(o.Fact) {
			return ""
		}
		return e.More.Digests.Sum(o.Fact)
	}
	for _, p := range answer.contents {
		x, y := sum(p.a), sum(p.b)
		if x == "" || y == "" {
			answer.Unknown++
			continue
		}
		answer.judge(p, x != y)
	}
	gone := map[string][]*Result{} // by content
	for _, r := range removed {
		if candidate(r) && sum(r.A) != "" {
			gone[sum(r.A)] = append(gone[sum(r.A)], r)
		}
	}
	for _, list := range gone {
		slices.SortFunc(list, byWay)
	}
	slices.SortFunc(added, byWay)
	for _, sameName := range []bool{true, false} { // first those that kept their name
		for _, r := range added {
			if r.Change == Moved || !candidate(r) || sum(r.B) == "" {
				continue
			}
			list := gone[sum(r.B)]
			at := slices.IndexFunc(list, func(from *Result) bool { return !sameName || from.A.Name == r.B.Name })
			if at < 0 {
				continue
			}
			from := list[at]
			gone[sum(r.B)] = slices.Delete(list, at, at+1)
			from.Change = Moved
			r.Change, r.From, r.A = Moved, from.Way, from.A
		}
	}
	return nil
}

func byWay(x, y *Result) int { return strings.Compare(x.Way, y.Way) }
