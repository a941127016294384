package digest

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"io"
	"io/fs"
	"slices"
	"sync"
	"sync/atomic"

	"frankledger/core/entry"
	"frankledger/core/limiter"
	"frankledger/core/source"
)

// ErrChanged is returned for a file that changed since it was looked at, or
// while it was read. It has no digest: one would be of content that it never
// had.
var ErrChanged = errors.New("it changed during the run")

// NoFile is the error of something that has no content to be read.
type NoFile struct{ Kind entry.Kind }

func (n NoFile) Error() string {
	if n.Kind == entry.KindBlock || n.Kind == entry.KindChar {
		return "it is not a file but a device"
	}
	return "it is not a file but a " + n.Kind.String()
}

// Files opens files for several goroutines.
type Files interface {
	// Opener is called once for each goroutine.
	Opener() Opener
}

// Opener opens files for one goroutine.
type Opener interface {
	// Open opens the content of an entry. What is no file is not opened but
	// gives a NoFile, and a file that is no longer what the entry says, by
	// identity, size or the time it was modified, ErrChanged or the like.
	Open(e *entry.Entry) (File, error)
	// Look gets the kind and the status of an entry of which only the folder
	// and the name are known; the name may be a relative path. Links are
	// followed.
	Look(e *entry.Entry) error
	Close()
}

// File is the open content of a file.
type File interface {
	io.Reader
	io.ReaderAt
	// Unchanged returns ErrChanged if the file changed since it was opened, or
	// is not of that length, where that is not negative.
	Unchanged(length int64) error
	// Extents returns where the file is on disk, as far as others may share that.
	Extents() Extents
	Close()
}

// Pool reads the content of files on all cores.
type Pool struct {
	files    Files
	progress *source.Progress

	mu       sync.Mutex
	problems []source.Problem
}

// NewPool returns a pool. It counts what it reads in the progress.
func NewPool(files Files, progress *source.Progress) *Pool {
	return &Pool{files: files, progress: progress}
}

// Note adds a problem with a file that is not to be read.
func (p *Pool) Note(problem source.Problem) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.problems = append(p.problems, problem)
}

// Problems returns what could not be read so far.
func (p *Pool) Problems() []source.Problem {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.problems
}

// Read returns how many bytes of content were read so far.
func (p *Pool) Read() int64 { return p.progress.Read.Load() }

// Expect announces that so many more bytes will be read.
func (p *Pool) Expect(bytes int64) { p.progress.ToRead.Add(bytes) }

const (
	// Large is the size from which on a file is work of its own.
	Large = 1 << 20
	// fewSmall is how many smaller files are one piece of work at most.
	fewSmall = 32
	// pieces is of how many at least the work of smaller files is, if there are so many.
	pieces = 4 * limiter.Most
)

// Each calls a function for each of the entries, on all cores. The large files
// come first, so that no core is left alone with one in the end; the others in
// their order, a few neighbours on the same core, and by more than there are cores
// where the disk takes its time. It returns when all are done, or the context is.
func (p *Pool) Each(ctx context.Context, entries []*entry.Entry, do func(w *Worker, i int)) error {
	var work [][]int
	var small []int
	few := max(1, min(fewSmall, len(entries)/pieces))
	large := 0
	for i, e := range entries {
		if e.Size >= Large {
			work = append(work, []int{i})
			large++
			continue
		}
		if small = append(small, i); len(small) == few {
			work = append(work, small)
			small = nil
		}
	}
	if len(small) > 0 {
		work = append(work, small)
	}
	slices.SortStableFunc(work, func(a, b []int) int { // whole pieces of small ones count as none
		return cmp.Compare(largeSize(entries[b[0]]), largeSize(entries[a[0]]))
	})
	return p.share(ctx, len(work), large, func(w *Worker, at int) {
		for _, i := range work[at] {
			if ctx.Err() == nil {
				do(w, i)
			}
		}
	})
}

// Digest gives files the digests that are wanted. They must come with their
// status: the names of one file are read once. What could not be read becomes a
// problem.
func (p *Pool) Digest(ctx context.Context, files []*entry.Entry, wanted entry.Facts) error {
	once := map[entry.Node]*entry.Entry{}
	var toRead, again []*entry.Entry
	for _, e := range files {
		if e.Known.Has(wanted) {
			p.Expect(-e.Size)
			continue
		}
		if e.Links > 1 {
			id := e.Node()
			if once[id] != nil {
				again = append(again, e)
				p.Expect(-e.Size)
				continue
			}
			once[id] = e
		}
		toRead = append(toRead, e)
	}
	if err := p.Each(ctx, toRead, func(w *Worker, i int) { w.Digest(toRead[i], wanted) }); err != nil {
		return err
	}
	for _, e := range again {
		if read := once[e.Node()]; read.Known.Has(wanted) {
			Set(e, slices.Clone(read.More.Digests))
		}
	}
	return nil
}

// Share calls a function for each of so many pieces of work, on all cores. It
// returns when all are done, or the context is.
func (p *Pool) Share(ctx context.Context, work int, do func(w *Worker, at int)) error {
	return p.share(ctx, work, work, do)
}

// share is Share, where from one piece on more than there are cores may be at work.
func (p *Pool) share(ctx context.Context, work, manyFrom int, do func(w *Worker, at int)) error {
	c := limiter.New()
	cores := c.Limit()
	var next, working atomic.Int64
	var group sync.WaitGroup
	one := func(stays bool) {
		w := &Worker{pool: p, ctx: ctx, opener: p.files.Opener()}
		defer w.close()
		defer working.Add(-1)
		for ctx.Err() == nil && (stays || working.Load() <= int64(c.Limit())) {
			at := int(next.Add(1)) - 1
			if at >= work {
				return
			}
			w.ahead = work-at-1 < cores-1 // there will be idle cores
			do(w, at)
		}
	}
	join := func() {
		for range min(c.Limit()-int(working.Load()), work-int(next.Load())) {
			working.Add(1)
			group.Go(func() { one(false) })
		}
	}
	working.Add(1) // the caller
	if work > 1 {
		join()
	}
	if work > manyFrom {
		c.Watch(func() bool { return next.Load() >= int64(manyFrom) && next.Load() < int64(work) }, join)
	}
	one(true)
	c.Stop() // nobody joins any more
	group.Wait()
	return ctx.Err()
}

func (w *Worker) close() {
	w.opener.Close()
	if w.also != nil {
		w.also.close()
	}
}

func largeSize(e *entry.Entry) int64 {
	if e.Size < Large {
		return 0
	}
	return e.Size
}

// Worker reads for one goroutine.
type Worker struct {
	pool    *Pool
	ctx     context.Context
	opener  Opener
	ahead   bool
	hashers Hashers
	buffer  []byte // for ends
	room    []byte // for what a caller reads
	also    *Worker
	more    []entry.More // room for more
}

// Digest gives an entry the digests that are wanted and not known yet. It
// returns whether it could.
func (w *Worker) Digest(e *entry.Entry, wanted entry.Facts) bool {
	wanted &^= e.Known
	if wanted == 0 {
		return true
	}
	return w.Open(e, "read", func(file File) error { return w.Take(e, file, wanted) })
}

// Take reads open content to its end and gives its entry the digests. It
// returns ErrChanged if the file changed in the meantime.
func (w *Worker) Take(e *entry.Entry, file File, wanted entry.Facts) error {
	digests, n, err := w.hashers.For(wanted).Take(w.ctx, file, e.Size, w.ahead && e.Size >= Large, &w.pool.progress.Read)
	if err == nil {
		err = file.Unchanged(n)
	}
	if err == nil {
		w.Set(e, digests)
	}
	return err
}

// Set gives an entry digests.
func (w *Worker) Set(e *entry.Entry, digests entry.Digests) {
	if e.More == nil {
		if len(w.more) == cap(w.more) {
			w.more = make([]entry.More, 0, keptDigests)
		}
		w.more = append(w.more, entry.More{})
		e.More = &w.more[len(w.more)-1]
	}
	Set(e, digests)
}

// Set gives an entry digests.
func Set(e *entry.Entry, digests entry.Digests) {
	if e.More == nil {
		e.More = &entry.More{}
	}
	if e.More.Digests == nil {
		e.More.Digests = digests
	} else {
		e.More.Digests = append(e.More.Digests, digests...)
	}
	for _, d := range digests {
		e.Known |= d.Fact
	}
}

// Look gets the status of an entry, as Opener.Look does.
func (w *Worker) Look(e *entry.Entry) error { return w.opener.Look(e) }

// Ends reads the first and the last bytes of open content of that size, so many
// of each, or all of it if it is no longer than both. The slice is the worker's.
func (w *Worker) Ends(file File, size int64, each int) ([]byte, error) {
	if w.buffer == nil {
		w.buffer = make([]byte, 2*each)
	}
	ends := w.buffer[:min(size, int64(2*each))]
	if size <= int64(2*each) {
		return ends, w.ReadFull(file, ends, 0)
	}
	if err := w.ReadFull(file, ends[:each], 0); err != nil {
		return nil, err
	}
	return ends, w.ReadFull(file, ends[each:], size-int64(each))
}

// Room returns memory of that size, which is the worker's.
func (w *Worker) Room(size int) []byte {
	if len(w.room) < size {
		w.room = make([]byte, size)
	}
	return w.room[:size]
}

// Fill reads open content that is as long as the buffer. It returns ErrChanged
// if it is not.
func (w *Worker) Fill(file File, buffer []byte) error {
	if err := w.ReadFull(file, buffer, 0); err != nil {
		return err
	}
	return file.Unchanged(int64(len(buffer)))
}

// ReadFull fills the buffer from open content. It returns ErrChanged if there is less.
func (w *Worker) ReadFull(file File, buffer []byte, offset int64) error {
	n, err := file.ReadAt(buffer, offset)
	w.pool.progress.Read.Add(int64(n))
	if err == io.EOF {
		return ErrChanged
	}
	return err
}

// Digester returns a hasher that takes content piece by piece, from its start.
func (w *Worker) Digester(wanted entry.Facts) *Hasher {
	h := w.hashers.For(wanted)
	h.Reset()
	return h
}

// together is how much of each of two files is read in turn.
const together = 1 << 20

// Together reads two open files side by side, and calls a function with what both have from the same offset on, which
// is valid only during the call: less of the shorter one, or nothing, at its end. It stops when the function returns
// false. The errors are of the first and of the second; a file that is shorter than its size has changed.
func (w *Worker) Together(a, b File, sizes [2]int64, each func(offset int64, mine, other []byte) bool) (first, second error) {
	room := w.Room(2 * together)
	for offset := int64(0); offset < max(sizes[0], sizes[1]); offset += together {
		if err := w.ctx.Err(); err != nil {
			return err, nil
		}
		mine := room[:max(0, min(sizes[0]-offset, together))]
		other := room[together : together+max(0, min(sizes[1]-offset, together))]
		if err := w.ReadFull(a, mine, offset); err != nil {
			return err, nil
		}
		if err := w.ReadFull(b, other, offset); err != nil {
			return nil, err
		}
		if !each(offset, mine, other) {
			return nil, nil
		}
	}
	return nil, nil
}

// Same compares the content of two open files of some sizes byte by byte.
func (w *Worker) Same(a, b File, sizes [2]int64) (same bool, err error) {
	same = true
	first, second := w.Together(a, b, sizes, func(_ int64, mine, other []byte) bool {
		same = bytes.Equal(mine, other)
		return same
	})
	err = cmp.Or(first, second)
	return same && err == nil, err
}

// Open calls a function with the open content of an entry. What goes wrong
// becomes a problem, with what was tried, to follow "could not". It returns
// whether all went well.
func (w *Worker) Open(e *entry.Entry, tried string, use func(File) error) bool {
	err := w.Use(e, use)
	if err != nil {
		w.Problem(e, tried, err)
	}
	return err == nil
}

// Use calls a function with the open content of an entry.
func (w *Worker) Use(e *entry.Entry, use func(File) error) error {
	file, err := w.opener.Open(e)
	if err != nil {
		return err
	}
	defer file.Close()
	return use(file)
}

// OpenAlso is Open while another file is open, which may be in another folder.
func (w *Worker) OpenAlso(e *entry.Entry, tried string, use func(File) error) bool {
	if w.also == nil {
		w.also = &Worker{pool: w.pool, ctx: w.ctx, opener: w.pool.files.Opener()}
	}
	return w.also.Open(e, tried, use)
}

// Problem notes that something could not be done with an entry, unless all is
// being stopped.
func (w *Worker) Problem(e *entry.Entry, tried string, err error) {
	if w.ctx.Err() != nil {
		return
	}
	w.pool.mu.Lock()
	defer w.pool.mu.Unlock()
	w.pool.problems = append(w.pool.problems, source.Problem{Path: e.Path(), Tried: tried, Err: err, Entries: 1, Vanished: errors.Is(err, fs.ErrNotExist)})
}

// Extents is where a file is on disk, as far as that tells what removing it frees.
type Extents struct {
	Shared []Extent // that other files may have too
	// Encoded tells that some of it is compressed, or the like: how much of the
	// disk that takes is not told.
	Encoded bool
}

// Extent is a stretch of a disk, in bytes.
type Extent struct{ At, Length uint64 }
