// Package duplicates finds files with the same content.
//
// It opens a file only while there is still another that may be the same: of
// the same size, then with the same first and last bytes, then with the same
// digest of all of it. The names of one file, hard links, are one file here: it
// is read once, and removing one of its names frees nothing.
package duplicates

import (
	"cmp"
	"context"
	"errors"
	"hash/maphash"
	"iter"
	"math"
	"math/bits"
	"slices"
	"strings"

	"frankledger/core/arrange"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/quantity"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Keep says which file of a set would stay.
type Keep uint8

const (
	FirstPlace   Keep = iota // of the place that was named first; there, the first in order of paths
	Oldest                   // by the time it was modified
	Newest                   // likewise
	ShortestPath             // by the bytes of its path
)

// Options say what to find.
type Options struct {
	Algorithm entry.Algorithm
	Empty     bool // files of no bytes too
	Across    bool // only sets with files of more than one place
	Keep      Keep
	// KeepIn are full paths of folders: what is in the first of them stays, before what is in the next one, before
	// all others, and before Keep decides.
	KeepIn  []string
	Confirm bool         // compare what has the same digest, byte by byte
	OnlyIn  *entry.Place // find what is in this place and in no other; nil: what is the same
	Folders Folders
}

// Copy is one name of one of the files of a set, or one of its folders.
type Copy struct {
	Entry *entry.Entry
	File  int  // the names of one file have the same number
	Stays bool // it is a name of the file that would stay, or the folder
}

// Set is files with the same content, or folders.
type Set struct {
	Kind        Kind
	Size        int64 // bytes of content of each
	Within      int64 // of folders: files in each, at any depth
	Algorithm   entry.Algorithm
	Digest      string // of folders a tree hash; "" if it is not known
	Files       int    // how many, however many names they have; or how many folders
	Copies      []Copy // all their names; the file that stays first
	Part        bool   // the first folder has all that the second has, and more:
	Beside      int64  // so many files
	BesideSize  int64  // of so many bytes
	Spares      int    // files that can go
	Reclaimable int64  // bytes that removing these would free
	// UpTo tells that it may be less: the spares are compressed by the file system,
	// or share blocks with one another that others may share too.
	UpTo bool
}

// Answer is what was found.
type Answer struct {
	Sets        []*Set // of folders, then of files; those that free most first
	Only        []*entry.Entry
	Folders     int              // sets of folders
	Copied      int              // folders that can go
	Files       int              // in sets of files
	Spares      int              // files that can go
	Reclaimable int64            // by all sets
	UpTo        bool             // it may be less, as of some set
	Empty       int              // files of no bytes that were left out
	Elsewhere   int              // spares that free nothing, as they have names outside of what was looked at
	Problems    []source.Problem // with content
	Matched     sums.Sum         // files that were looked at
	Report      source.Report    // with all problems

	folders []*Set // as they were found
	whole   []*Set // all files with the same content, those in folders that are copies too
	spare   func(e *entry.Entry) bool
	only    Folders
}

// Files is a sink that passes on files only, whose size is known.
func Files(next source.Sink) source.Sink {
	return source.Only(func(e *entry.Entry) bool { return e.Kind == entry.KindFile && e.HasSize() }, next)
}

// Find finds the files with the same content among those collected, which must come
// with their status; and if all else in their folders was collected too, the folders.
func Find(ctx context.Context, collected, others *arrange.Collector, pool *digest.Pool, o Options) (*Answer, error) {
	s := &search{ctx: ctx, pool: pool, o: o, enough: func(class []*file) bool {
		return len(class) > 1 && (!o.Across || severalPlaces(class))
	}}
	classes, err := s.run(collected)
	if err != nil {
		return nil, err
	}
	var folders *forest
	a := &s.answer
	a.only = o.Folders
	if others != nil {
		folders = build(s, collected, others, classes)
		a.Sets = folders.find()
		a.Folders, a.folders = len(a.Sets), slices.Clone(a.Sets)
		for _, set := range a.Sets {
			a.Copied += len(set.Copies) - 1
		}
	}
	a.spare = func(e *entry.Entry) bool { return folders.spareOf(e) != nil }
	for _, class := range classes {
		s.class(class, folders)
	}
	slices.SortFunc(a.Sets, byFreed)
	slices.SortFunc(a.whole, byFreed)
	for _, set := range a.Sets {
		if set.Kind == OfFiles {
			a.Files += set.Files
		}
		a.Spares += set.Spares
		a.Reclaimable = quantity.Add(a.Reclaimable, set.Reclaimable)
		a.UpTo = a.UpTo || set.UpTo
	}
	return a, nil
}

// byFreed puts sets of folders first, and those that free most.
func byFreed(a, b *Set) int {
	return cmp.Or(cmp.Compare(b.Kind, a.Kind), cmp.Compare(b.Reclaimable, a.Reclaimable), cmp.Compare(b.Size, a.Size), arrange.ByPlace(a.Copies[0].Entry, b.Copies[0].Entry))
}

// OnlyIn finds the files of one place whose content is nowhere in the others. Files that could not be read elsewhere
// count as different.
func OnlyIn(ctx context.Context, collected *arrange.Collector, pool *digest.Pool, o Options) (*Answer, error) {
	o.Empty = true
	place := o.OnlyIn.Index
	s := &search{ctx: ctx, pool: pool, o: o, enough: func(class []*file) bool {
		return slices.ContainsFunc(class, func(f *file) bool { return f.onlyIn(place) }) &&
			slices.ContainsFunc(class, func(f *file) bool { return !f.onlyIn(place) })
	}}
	s.settle = func(class []*file) {
		if slices.ContainsFunc(class, func(f *file) bool { return !f.onlyIn(place) }) {
			return
		}
		for _, f := range class {
			s.answer.Only = append(s.answer.Only, f.names()...)
		}
	}
	if _, err := s.run(collected); err != nil {
		return nil, err
	}
	slices.SortFunc(s.answer.Only, arrange.ByPlace)
	return &s.answer, nil
}

// file is a file with all the names it was met by.
type file struct {
	first   *entry.Entry
	others  []*entry.Entry
	key     uint64 // of its ends
	content []byte // while its class is in memory
	extents digest.Extents
	failed  bool
}

func (f *file) names() []*entry.Entry { return append([]*entry.Entry{f.first}, f.others...) }

// each gives all names.
func (f *file) each() iter.Seq[*entry.Entry] {
	return func(yield func(*entry.Entry) bool) {
		if !yield(f.first) {
			return
		}
		for _, e := range f.others {
			if !yield(e) {
				return
			}
		}
	}
}

// all reports whether something is so for all names.
func (f *file) all(is func(e *entry.Entry) bool) bool {
	for e := range f.each() {
		if !is(e) {
			return false
		}
	}
	return true
}

func (f *file) onlyIn(place int) bool {
	return f.first.Folder.Place.Index == place &&
		!slices.ContainsFunc(f.others, func(e *entry.Entry) bool { return e.Folder.Place.Index != place })
}

func severalPlaces(class []*file) bool {
	place := class[0].first.Folder.Place.Index
	return slices.ContainsFunc(class, func(f *file) bool { return !f.onlyIn(place) })
}

// search is a search under way. Classes are files that may still be the same.
type search struct {
	ctx    context.Context
	pool   *digest.Pool
	o      Options
	enough func(class []*file) bool // whether it has to be looked at further
	settle func(class []*file)      // called with those that have not; may be nil
	named  []*file                  // files with several names whose content no other has
	answer Answer
}

// run returns the classes whose files have the same content.
func (s *search) run(collected *arrange.Collector) ([][]*file, error) {
	var known, together, staged [][]*file
	recorded := func(f *file) bool { return recordOf(f.first) > 0 }
	for _, class := range s.bySize(collected) {
		switch size := class[0].first.Size; {
		case !slices.ContainsFunc(class, func(f *file) bool { return !f.first.Known.Has(s.o.Algorithm.Fact) }):
			known = append(known, class) // from a condition, or a record
		case slices.ContainsFunc(class, recorded):
			known = append(known, class) // by their digests, once the others have theirs
		case size > 0 && size <= small && size*int64(len(class)) <= batchBytes:
			together = append(together, class)
		default:
			staged = append(staged, class)
		}
	}
	smalls, err := s.readTogether(together)
	if err != nil {
		return nil, err
	}
	staged, err = s.refine(staged, 2*endBytes, s.readEnds, func(a, b *file) int { return cmp.Compare(a.key, b.key) })
	if err != nil {
		return nil, err
	}
	var pairs, more [][]*file
	for _, class := range staged {
		if len(class) == 2 && class[0].first.Size > 0 {
			pairs = append(pairs, class)
		} else {
			more = append(more, class)
		}
	}
	if pairs, err = s.readPairs(pairs); err != nil {
		return nil, err
	}
	classes, err := s.refine(append(known, more...), math.MaxInt64, s.readAll, func(a, b *file) int { return strings.Compare(s.sum(a), s.sum(b)) })
	if err != nil {
		return nil, err
	}
	classes = slices.Concat(classes, pairs, smalls)
	if s.o.Confirm {
		classes, err = s.confirm(classes)
	}
	s.answer.Problems = s.pool.Problems()
	return classes, err
}

func (s *search) sum(f *file) string { return f.first.More.Digests.Sum(s.o.Algorithm.Fact) }

// keep returns a class in a list, if it has to be looked at further.
func (s *search) keep(to [][]*file, class []*file) [][]*file {
	if len(class) == 0 {
		return to
	}
	if s.enough(class) {
		return append(to, class)
	}
	if s.settle != nil {
		s.settle(class)
	}
	if len(class) == 1 && len(class[0].others) > 0 {
		s.named = append(s.named, class[0])
	}
	return to
}

// bySize makes classes of the files of the same size.
func (s *search) bySize(collected *arrange.Collector) (classes [][]*file) {
	type sized struct {
		size  int64
		entry *entry.Entry
	}
	// Most sizes are there once. A table that counts roughly tells most of
	// these, and only the rest have to be put in order.
	seen := make([]uint8, 1<<bits.Len(uint(4*collected.Len())))
	slot := func(size int64) *uint8 { return &seen[uint64(size)*0x9e3779b97f4a7c15>>(65-bits.Len(uint(len(seen))))] }
	collected.Each(func(e *entry.Entry) {
		if n := slot(e.Size); *n < 2 {
			*n++
		}
	})
	var all []sized
	collected.Each(func(e *entry.Entry) {
		switch {
		case e.Size == 0 && !s.o.Empty:
			s.answer.Empty++
		case *slot(e.Size) > 1 || s.settle != nil:
			all = append(all, sized{e.Size, e})
		}
	})
	slices.SortFunc(all, func(a, b sized) int { return cmp.Compare(b.size, a.size) })
	for len(all) > 0 {
		n := 1
		for n < len(all) && all[n].size == all[0].size {
			n++
		}
		if n > 1 || s.settle != nil {
			same := make([]*entry.Entry, n)
			for i := range same {
				same[i] = all[i].entry
			}
			classes = s.keep(classes, filesOf(same))
		}
		all = all[n:]
	}
	return classes
}

// filesOf puts together the names of each file.
func filesOf(entries []*entry.Entry) (files []*file) {
	slices.SortFunc(entries, func(a, b *entry.Entry) int {
		if c := cmp.Or(cmp.Compare(a.Device, b.Device), cmp.Compare(a.Inode, b.Inode), cmp.Compare(recordOf(a), recordOf(b))); c != 0 {
			return c
		}
		return arrange.ByPlace(a, b)
	})
	var met map[string]bool // full paths of the names of the last one, once it has several
	for _, e := range entries {
		last := len(files) - 1
		if last < 0 || files[last].first.Inode != e.Inode || files[last].first.Device != e.Device || recordOf(files[last].first) != recordOf(e) {
			files = append(files, &file{first: e})
			met = nil
			continue
		}
		// Where one place lies in another, a name is met twice.
		f := files[last]
		if met == nil {
			met = map[string]bool{f.first.FullPath(): true}
		}
		if full := e.FullPath(); !met[full] {
			met[full] = true
			f.others = append(f.others, e)
		}
	}
	return files
}

// atSeveralTimes reports whether some of the files are of one machine at several times: of several
// records, or of now and of a record.
func atSeveralTimes(files []*file) bool {
	records := map[string]int64{} // by host
	for _, f := range files {
		r := f.first.Folder.Place.Record
		host := ""
		if r != nil {
			host = r.Host
		}
		if before, met := records[host]; met && before != recordOf(f.first) {
			return true
		}
		records[host] = recordOf(f.first)
	}
	_, now := records[""]
	return now && len(records) > 1
}

// recordOf returns the number of the record that an entry is of, 0 if it is there
// now.
func recordOf(e *entry.Entry) int64 {
	if r := e.Folder.Place.Record; r != nil {
		return r.Number
	}
	return 0
}

// refine reads something of all files in the classes, at most so many bytes of
// each, and parts these by it. What could not be read is left out.
func (s *search) refine(classes [][]*file, most int64, read func(w *digest.Worker, f *file) bool, compare func(a, b *file) int) (finer [][]*file, err error) {
	var files []*file
	var entries []*entry.Entry
	for _, class := range classes {
		files = append(files, class...)
	}
	byInode(files)
	for _, f := range files {
		entries = append(entries, f.first)
		s.pool.Expect(min(most, f.first.Size))
	}
	if err := s.pool.Each(s.ctx, entries, func(w *digest.Worker, i int) { files[i].failed = !read(w, files[i]) }); err != nil {
		return nil, err
	}
	for _, class := range classes {
		class = slices.DeleteFunc(class, func(f *file) bool { return f.failed })
		slices.SortStableFunc(class, compare)
		for len(class) > 0 {
			n := 1
			for n < len(class) && compare(class[0], class[n]) == 0 {
				n++
			}
			finer = s.keep(finer, class[:n:n])
			class = class[n:]
		}
	}
	return finer, nil
}

// byInode puts files in order of their inodes, which is about the order in which
// they lie on a disk.
func byInode(files []*file) {
	type placed struct {
		device, inode uint64
		file          *file
	}
	list := make([]placed, len(files))
	for i, f := range files {
		list[i] = placed{f.first.Device, f.first.Inode, f}
	}
	slices.SortFunc(list, func(a, b placed) int {
		return cmp.Or(cmp.Compare(a.device, b.device), cmp.Compare(a.inode, b.inode))
	})
	for i := range list {
		files[i] = list[i].file
	}
}

// endBytes is how much is read of each end of a file at first.
const endBytes = 4 << 10

// seed is for keys, which live as long as the program runs.
var seed = maphash.MakeSeed()

// readEnds reads the first and last bytes.
func (s *search) readEnds(w *digest.Worker, f *file) bool {
	e := f.first
	if e.Size == 0 {
		return true
	}
	return w.Open(e, "read", func(open digest.File) error {
		ends, err := w.Ends(open, e.Size, endBytes)
		if err == nil {
			f.key = maphash.Bytes(seed, ends)
			err = open.Unchanged(-1)
		}
		return err
	})
}

// readAll reads everything, unless that was done.
func (s *search) readAll(w *digest.Worker, f *file) bool {
	e := f.first
	switch {
	case e.Known.Has(s.o.Algorithm.Fact):
		return true
	case e.Size == 0:
		w.Set(e, digest.OfNothing(s.o.Algorithm.Fact))
		return true
	}
	return w.Open(e, "read", func(open digest.File) error {
		f.extents = open.Extents()
		return w.Take(e, open, s.o.Algorithm.Fact)
	})
}

var errDiffers = errors.New("it has the same digest as others, but different content")

// confirm compares the files of each class with the first one.
func (s *search) confirm(classes [][]*file) (confirmed [][]*file, err error) {
	var others []*file
	var entries []*entry.Entry
	first := map[*file]*entry.Entry{}
	for _, class := range classes {
		for _, f := range class[1:] {
			others, entries = append(others, f), append(entries, f.first)
			first[f] = class[0].first
		}
	}
	err = s.pool.Each(s.ctx, entries, func(w *digest.Worker, i int) {
		f := others[i]
		f.failed = !w.Open(first[f], "compare", func(a digest.File) error {
			f.failed = !w.OpenAlso(f.first, "compare", func(b digest.File) error {
				same, err := w.Same(a, b, [2]int64{first[f].Size, f.first.Size})
				if err == nil && !same {
					err = errDiffers
				}
				return err
			})
			return nil
		}) || f.failed
	})
	for _, class := range classes {
		confirmed = s.keep(confirmed, slices.DeleteFunc(class, func(f *file) bool { return f.failed }))
	}
	return confirmed, err
}

// class makes a set of files with the same content, and one of those of them that do not
// lie in folders that are copies.
func (s *search) class(class []*file, folders *forest) {
	compare := s.o.Keep.compare(folders)
	type ranked struct {
		*file
		gone bool // all of its names lie in spares
		rank int
	}
	order := make([]ranked, len(class))
	for i, f := range class {
		order[i] = ranked{f, folders != nil && f.all(s.answer.spare), s.o.rankOfFile(f)}
	}
	slices.SortFunc(order, func(a, b ranked) int {
		if c := cmp.Or(before(!a.gone, !b.gone), cmp.Compare(a.rank, b.rank)); c != 0 {
			return c
		}
		if c := compare(a.first, b.first); c != 0 {
			return c
		}
		return arrange.ByPlace(a.first, b.first)
	})
	for i := range order {
		class[i] = order[i].file
	}
	set := &Set{Size: class[0].first.Size, Algorithm: s.o.Algorithm, Digest: class[0].first.More.Digests.By(s.o.Algorithm.Fact), Files: len(class)}
	left := *set
	left.Files = 0
	// Where some are there now and others were recorded, one of those that are
	// there is to stay. What machines have is apart from what others have.
	mixed := atSeveralTimes(class)
	stays, places := false, map[int]bool{}
	var taken stretches // of the disk, by the file that stays and the spares before
	for i, f := range class {
		apart := false
		for e := range f.each() {
			set.Copies = append(set.Copies, Copy{Entry: e, File: i + 1, Stays: i == 0})
			if !s.answer.spare(e) {
				left.Copies = append(left.Copies, set.Copies[len(set.Copies)-1])
				places[e.Folder.Place.Index] = true
				apart = true
			}
		}
		into := folders.spareOf(f.first)
		if apart {
			into = &left
			left.Files++
		}
		if mixed && recordOf(f.first) > 0 {
			continue
		}
		if !stays {
			stays = true
			for _, e := range f.extents.Shared {
				taken.add(e)
			}
			continue
		}
		set.Spares++
		into.Spares++
		if int(f.first.Links) > 1+len(f.others) {
			s.answer.Elsewhere++
			continue
		}
		shared, more := int64(0), int64(0)
		for _, e := range f.extents.Shared {
			shared += int64(e.Length)
			more += int64(taken.add(e))
		}
		freed, upTo := max(0, min(f.first.Size, f.first.Disk-shared+more)), more > 0 || f.extents.Encoded
		set.Reclaimable = quantity.Add(set.Reclaimable, freed)
		set.UpTo = set.UpTo || upTo
		into.Reclaimable = quantity.Add(into.Reclaimable, freed)
		into.UpTo = into.UpTo || upTo
	}
	s.answer.whole = append(s.answer.whole, set)
	if left.Files > 1 && (!s.o.Across || len(places) > 1) && s.o.Folders != OnlyFolders {
		s.answer.Sets = append(s.answer.Sets, &left)
	}
}

// rankOfFile returns which of the folders to keep has the first name of a file; as many as there are for none.
func (o *Options) rankOfFile(f *file) int {
	best := len(o.KeepIn)
	if best == 0 {
		return 0
	}
	for e := range f.each() {
		best = min(best, o.rank(e.FullPath(), false))
	}
	return best
}

// rank returns which of the folders to keep a path lies in or, if that is asked, which of them lies in it; as many as
// there are for none.
func (o *Options) rank(full string, around bool) int {
	in := func(path, folder string) bool {
		return path == folder || strings.HasPrefix(path, strings.TrimSuffix(folder, "/")+"/")
	}
	for i, folder := range o.KeepIn {
		if in(full, folder) || around && in(folder, full) {
			return i
		}
	}
	return len(o.KeepIn)
}

func (k Keep) compare(folders *forest) func(a, b *entry.Entry) int {
	switch k {
	case Oldest:
		return func(a, b *entry.Entry) int { return a.Modified.Compare(b.Modified) }
	case Newest:
		return func(a, b *entry.Entry) int { return b.Modified.Compare(a.Modified) }
	case ShortestPath:
		return func(a, b *entry.Entry) int { return cmp.Compare(len(a.Path()), len(b.Path())) }
	}
	if folders == nil {
		return func(a, b *entry.Entry) int { return 0 }
	}
	return func(a, b *entry.Entry) int { // a folder that stays, stays whole
		if c := cmp.Compare(a.Folder.Place.Index, b.Folder.Place.Index); c != 0 {
			return c
		}
		return before(folders.node(a.Folder).kept, folders.node(b.Folder).kept)
	}
}
