package compare

import (
	"cmp"
	"context"
	"path"
	"slices"
	"strings"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/quantity"
	"frankledger/core/sides"
	"frankledger/core/source"
)

// fact returns the digest to compare a pair by: one that is known of what cannot
// be read, or the one given. It is 0 if nothing can be told.
func (p pair) fact(otherwise entry.Facts) entry.Facts {
	switch {
	case isNow(p.a) && isNow(p.b):
		return otherwise
	case isNow(p.a):
		return p.b.FirstDigest()
	case isNow(p.b):
		return p.a.FirstDigest()
	}
	return sides.CommonDigest(p.a, p.b)
}

// held holds two files with digests against each other.
func held(x, y *entry.Entry) verdict {
	if sides.OtherContent(x, y) {
		return otherContent
	}
	return sameContent
}

// toRead is what has to be read, each file once, and by which digests.
type toRead struct {
	entries []*entry.Entry
	wanted  map[*entry.Entry]entry.Facts
}

func (r *toRead) add(e *entry.Entry, fact entry.Facts) {
	if !isNow(e) || e.Known.Has(fact) {
		return
	}
	if r.wanted[e] == 0 {
		r.entries = append(r.entries, e)
	}
	r.wanted[e] |= fact
}

// readContents reads what has to be read: of pairs that may differ, and of
// files that may have moved.
func (answer *Answer) readContents(ctx context.Context, pool *digest.Pool, o Options, found *finding) error {
	read := &toRead{wanted: map[*entry.Entry]entry.Facts{}}
	for _, p := range found.contents {
		fact := p.fact(o.Fact)
		read.add(p.a, fact)
		read.add(p.b, fact)
	}
	sizes := sizesOf(found.asked, found.added, found.removed)
	for _, s := range sizes {
		if s.fact = s.choose(o.Fact); s.fact == 0 {
			continue
		}
		for _, r := range slices.Concat(s.added, s.removed) {
			read.add(r.Entry(), s.fact)
		}
	}
	slices.SortFunc(read.entries, func(x, y *entry.Entry) int {
		return cmp.Or(cmp.Compare(x.Device, y.Device), cmp.Compare(x.Inode, y.Inode))
	})
	for _, e := range read.entries {
		pool.Expect(e.Size)
	}
	if err := pool.Each(ctx, read.entries, func(w *digest.Worker, i int) { w.Digest(read.entries[i], read.wanted[read.entries[i]]) }); err != nil {
		return err
	}
	answer.Report.Problems = append(answer.Report.Problems, pool.Problems()...)
	answer.Read = len(read.entries)
	for _, p := range found.contents {
		if sides.CommonDigest(p.a, p.b) == 0 {
			found.unknown++
			continue
		}
		found.judge(p, held(p.a, p.b))
	}
	for _, s := range sizes {
		match(s.added, s.removed, func(e *entry.Entry) (sum string, ok bool) {
			if !e.Known.Has(s.fact) || s.fact == 0 {
				return "", false
			}
			return e.More.Digests.Sum(s.fact), true
		})
	}
	return nil
}

// sameSize is files of the same size that are on one side only.
type sameSize struct {
	added, removed []*Result
	fact           entry.Facts // to compare them by; 0 if they cannot be
}

// wanted reports whether a condition leaves it possible that an entry is in the answer.
func wanted(r *Result) bool { return sides.Decide(r.Entry(), r.Entry()) != source.No }

// sizesOf puts together files that may have moved, by their sizes; if a condition is asked, those
// sizes of which some may be in the answer.
func sizesOf(asked bool, added, removed []*Result) map[int64]*sameSize {
	sizes := map[int64]*sameSize{}
	each := func(list []*Result, to func(*sameSize) *[]*Result) {
		for _, r := range list {
			e := r.Entry()
			if r.Change == Moved || e.Kind != entry.KindFile || e.Size == 0 {
				continue
			}
			if sizes[e.Size] == nil {
				sizes[e.Size] = &sameSize{}
			}
			list := to(sizes[e.Size])
			*list = append(*list, r)
		}
	}
	each(added, func(s *sameSize) *[]*Result { return &s.added })
	each(removed, func(s *sameSize) *[]*Result { return &s.removed })
	for size, s := range sizes {
		if len(s.added) == 0 || len(s.removed) == 0 || asked && !slices.ContainsFunc(slices.Concat(s.added, s.removed), wanted) {
			delete(sizes, size)
		}
	}
	return sizes
}

// choose returns the digest to compare the files by: one that those have which
// cannot be read, or the one given.
func (s *sameSize) choose(otherwise entry.Facts) entry.Facts {
	for _, list := range [][]*Result{s.added, s.removed} {
		if !isNow(list[0].Entry()) { // all of a side are
			var all entry.Facts
			for _, r := range list {
				all |= r.Entry().Known
			}
			otherwise = (&entry.Entry{Known: all}).FirstDigest()
		}
	}
	return otherwise
}

// identified finds what has moved and is still the same thing. That of two
// places that are there now, two names of one file would be taken for it.
func identified(added, removed []*Result) {
	if len(added) > 0 && len(removed) > 0 && (!isNow(added[0].B) || !isNow(removed[0].A)) {
		match(added, removed, (*entry.Entry).Identity)
	}
}

// match takes for moved what is the same, by some key, under another path: first
// what kept its name. It alters the order of what was added.
func match[K comparable](added, removed []*Result, key func(*entry.Entry) (K, bool)) {
	type named struct {
		key  K
		name string
	}
	gone, goneAs := map[K][]*Result{}, map[named][]*Result{}
	slices.SortFunc(removed, byPath)
	slices.SortFunc(added, byPath)
	for _, r := range removed {
		if k, ok := key(r.A); ok && r.Change != Moved {
			gone[k] = append(gone[k], r)
			goneAs[named{k, r.A.Name}] = append(goneAs[named{k, r.A.Name}], r)
		}
	}
	// take takes the first that has not moved.
	take := func(list []*Result, r *Result) []*Result {
		for len(list) > 0 && list[0].Change == Moved {
			list = list[1:]
		}
		if len(list) > 0 {
			from := list[0]
			from.Change = Moved
			r.Change, r.From, r.A = Moved, from.Path, from.A
		}
		return list
	}
	for _, sameName := range []bool{true, false} {
		for _, r := range added {
			k, ok := key(r.B)
			switch {
			case !ok || r.Change == Moved:
			case sameName:
				as := named{k, r.B.Name}
				goneAs[as] = take(goneAs[as], r)
			default:
				gone[k] = take(gone[k], r)
			}
		}
	}
}

func byPath(x, y *Result) int { return strings.Compare(x.Path, y.Path) }

// alongside finds what was added or removed with its folder, and adds it up there. So many levels of such folders are
// still told.
func alongside(results []*Result, opened int) {
	type name struct {
		folder *Result
		node   entry.Node
	}
	folders := [2]map[string]*Result{{}, {}}
	for _, r := range results {
		if r.Change <= Removed && r.Entry().Kind == entry.KindFolder {
			folders[r.Change][r.Path] = r
		}
	}
	counted := map[name]bool{}
	for _, r := range results {
		if r.Change > Removed {
			continue
		}
		e := r.Entry()
		levels := 0
		for rel := r.Path; ; levels++ {
			slash := strings.LastIndexByte(rel, '/')
			if slash < 0 {
				break
			}
			rel = rel[:slash]
			folder := folders[r.Change][rel]
			if folder == nil {
				break
			}
			folder.Along++
			if again := e.Links > 1 && counted[name{folder, e.Node()}]; e.Kind == entry.KindFile && e.HasSize() && !again {
				folder.Size = quantity.Add(folder.Size, e.Size)
			}
			if e.Kind == entry.KindFile && e.Links > 1 {
				counted[name{folder, e.Node()}] = true
			}
		}
		r.Carried = r.Carried || levels > opened
	}
}

// carried finds what moved only because its folder did.
func carried(results []*Result) {
	folders := map[string]*Result{}
	for _, r := range results {
		if r.Change == Moved && r.B.Kind == entry.KindFolder {
			folders[r.Path] = r
		}
	}
	for _, r := range results {
		if r.Change != Moved {
			continue
		}
		rel, from := path.Dir(r.Path), path.Dir(r.From)
		if folder := folders[rel]; folder == nil || folder.From != from || path.Base(r.Path) != path.Base(r.From) {
			continue
		}
		r.Carried = true
		for rel, from := rel, from; folders[rel] != nil && folders[rel].From == from; rel, from = path.Dir(rel), path.Dir(from) {
			if folders[rel].Along++; path.Base(rel) != path.Base(from) {
				break // it moved by itself
			}
		}
	}
}
