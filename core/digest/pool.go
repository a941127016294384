package digest

import (
	"cmp"
	"context"
	"errors"
	"io"
	"io/fs"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// ErrChanged is returned for a file that changed since it was looked at, or
// while it was read. It has no digest: one would be of content that it never
// had.
var ErrChanged = errors.New("it changed while this ran")

// NoFile is the error of something that has no content to be read.
type NoFile struct{ Kind entry.Kind }

func (n NoFile) Error() string { return "it is no file but a " + n.Kind.String() }

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
	Close()
}

// File is the open content of a file.
type File interface {
	io.Reader
	io.ReaderAt
	// Unchanged returns ErrChanged if the file changed since it was opened, or
	// is not of that length, where that is not negative.
	Unchanged(length int64) error
	// Shared returns how many bytes of it other files share on disk, as far as
	// the system tells.
	Shared() int64
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

// Problems returns what could not be read so far.
func (p *Pool) Problems() []source.Problem {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.problems
}

// Read returns how many bytes of content were read so far.
func (p *Pool) Read() int64 { return p.progress.Read.Load() }

const (
	// large is the size from which on a file is work of its own.
	large = 1 << 20
	// fewSmall is how many smaller files are one piece of work.
	fewSmall = 32
)

// Each calls a function for each of the entries, on all cores. The large files
// come first, so that no core is left alone with one in the end; the others in
// their order, a few neighbours on the same core. It returns when all are done,
// or the context is.
func (p *Pool) Each(ctx context.Context, entries []*entry.Entry, do func(w *Worker, i int)) error {
	var work [][]int
	var small []int
	for i, e := range entries {
		if e.Size >= large {
			work = append(work, []int{i})
			continue
		}
		if small = append(small, i); len(small) == fewSmall {
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
	cores := min(runtime.GOMAXPROCS(0), len(work))
	var next atomic.Int64
	var group sync.WaitGroup
	for range cores {
		group.Go(func() {
			w := &Worker{pool: p, ctx: ctx, opener: p.files.Opener()}
			defer w.opener.Close()
			for ctx.Err() == nil {
				at := int(next.Add(1)) - 1
				if at >= len(work) {
					return
				}
				w.ahead = len(work)-at-1 < runtime.GOMAXPROCS(0)-1 // there will be idle cores
				for _, i := range work[at] {
					if ctx.Err() == nil {
						do(w, i)
					}
				}
			}
		})
	}
	group.Wait()
	return ctx.Err()
}

func largeSize(e *entry.Entry) int64 {
	if e.Size < large {
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
	buffer  []byte
}

// Digest gives an entry the digests that are wanted and not known yet. It
// returns whether it could.
func (w *Worker) Digest(e *entry.Entry, wanted entry.Facts) bool {
	wanted &^= e.Known
	if wanted == 0 {
		return true
	}
	return w.Open(e, "read", func(file File) error {
		digests, n, err := w.hashers.For(wanted).Take(w.ctx, file, w.ahead && e.Size >= large, &w.pool.progress.Read)
		if err == nil {
			err = file.Unchanged(n)
		}
		if err == nil {
			Set(e, digests)
		}
		return err
	})
}

// Set gives an entry digests.
func Set(e *entry.Entry, digests entry.Digests) {
	if e.More == nil {
		e.More = &entry.More{}
	}
	e.More.Digests = append(e.More.Digests, digests...)
	for _, d := range digests {
		e.Known |= d.Fact
	}
}

// Open calls a function with the open content of an entry. What goes wrong
// becomes a problem, with what was tried, to follow "could not". It returns
// whether all went well.
func (w *Worker) Open(e *entry.Entry, tried string, use func(File) error) bool {
	file, err := w.opener.Open(e)
	if err == nil {
		err = use(file)
		file.Close()
	}
	if err != nil {
		w.Problem(e, tried, err)
	}
	return err == nil
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
