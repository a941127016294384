// Package live reads the folders of a running system.
//
// A few workers take folders off one stack. A worker opens a folder relative
// to the open folder above it, reads the kernel's directory records, asks for
// further facts only where the request needs them, hands the entries to its
// visitor in batches, and puts the folders it found on the stack. A folder of
// very many entries is shared out among workers that have nothing else to do.
//
// Nothing in a folder is ever opened but folders, and files when their media
// type is asked for.
package live

import (
	"container/heap"
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/limiter"
	"frankledger/core/live/calls"
	"frankledger/core/source"
)

var errMoved = errors.New("it was moved or replaced during the run")

// Source is a place on the running system.
type Source struct {
	place entry.Place
	link  *unix.Stat_t // a link, before it was followed: that sets when it was last read
}

// Open looks at a place: a folder or link to a folder, whose entries it will
// give, or anything else, which it will give itself. The index is the place's
// position among those asked about. The error is the system's, if there is
// nothing of that name.
func Open(given string, index int) (*Source, error) {
	before, err := os.Lstat(given)
	if err != nil {
		return nil, err
	}
	var link *unix.Stat_t
	if before.Mode()&fs.ModeSymlink != 0 {
		link = &unix.Stat_t{}
		if unix.Lstat(given, link) != nil {
			link = nil
		}
	}
	full, err := filepath.Abs(given)
	if err != nil {
		return nil, err
	}
	place := entry.Place{Index: index, Given: given, Full: full}
	info, err := os.Stat(given)
	place.Leaf = err != nil || !info.IsDir()
	if resolved, err := filepath.EvalSymlinks(full); !place.Leaf && err == nil && resolved != full {
		place.Real = resolved
	}
	return &Source{place, link}, nil
}

// OpenAsIs looks at a place like Open, but that a link is given itself, as what is on a list is.
func OpenAsIs(given string, index int) (*Source, error) {
	info, err := os.Lstat(given)
	if err != nil {
		return nil, err
	}
	full, err := filepath.Abs(given)
	return &Source{place: entry.Place{Index: index, Given: given, Full: full, Leaf: !info.IsDir()}}, err
}

// Place implements source.Source.
func (s *Source) Place() *entry.Place { return &s.place }

// Capabilities implements source.Source.
func (s *Source) Capabilities() source.Capabilities {
	return source.Capabilities{Below: true, Follow: true, SameDisk: true, Content: true, Whole: true, Facts: entry.AllFacts, Untold: source.ErrUntold}
}

// Read implements source.Source.
func (s *Source) Read(ctx context.Context, request source.Request, sink source.Sink) (source.Report, error) {
	root := &entry.Folder{Place: &s.place}
	run := &run{ctx: ctx, request: request, sink: sink, handles: newHandles(), queue: newQueue(limiter.New()), seats: make([]seat, limiter.Cores())}
	run.queue.join = run.join
	defer run.queue.limiter.Stop()
	if request.Self || request.Depth == 0 || s.place.Leaf {
		w := run.newWorker()
		w.link = s.link
		err := w.lookAtPlace(root)
		if err != nil || request.Depth == 0 || s.place.Leaf {
			return w.report, err
		}
		run.report = w.report
	}
	d, err := calls.OpenDir(unix.AT_FDCWD, s.place.Given, true)
	if err != nil {
		problem := source.Problem{Path: s.place.Given, Tried: source.OpenFolder, Err: err, Entries: 1, Shut: true}
		root.MarkUnread()
		run.report.Problems = append(run.report.Problems, problem)
		return run.report, ctx.Err()
	}
	run.root = run.handles.opened(root, nil, d)
	defer run.handles.letGo(run.root, 1)
	if request.SameDisk {
		var status calls.Status
		if err := status.Identity(d); err == nil {
			run.device = status.Node().Device
		}
	}
	run.root.refs.Add(1)
	run.enter(run.root)
	run.queue.push(false, work{open: run.root})
	run.work()
	run.followLinks()
	run.report.SortProblems()
	if run.err == nil {
		run.err = ctx.Err()
	}
	return run.report, run.err
}

// run is one reading.
type run struct {
	ctx     context.Context
	request source.Request
	sink    source.Sink
	handles *handles
	queue   *queue
	root    *opened
	device  uint64 // the file system to stay on, with SameDisk
	working sync.WaitGroup

	seats   []seat
	handing atomic.Int64 // nanoseconds that workers spent on handing over entries, since they were looked at
	asked   time.Time    // when that was
	mu      sync.Mutex
	workers []*worker           // all there ever were
	resting []*worker           // those of them that do nothing
	report  source.Report       // of the work that is finished
	err     error               // the first that a visitor returned
	links   []*entry.Folder     // links still to be followed, with Follow
	entered map[entry.Node]bool // folders read, with Follow
}

// work is something for a worker to do. Either a folder to open and read: the
// open folder above it is held. Or an open folder to read on in, which is held
// itself; with records, only to look at the entries these name.
type work struct {
	folder  *entry.Folder
	above   *opened
	open    *opened
	records []byte
}

// work does all the work on the stack. The caller is the first worker; others join while
// there is work for them.
func (r *run) work() {
	stop := context.AfterFunc(r.ctx, r.queue.stop)
	defer stop()
	r.queue.begin()
	r.working.Add(1)
	r.begin()()
	r.working.Wait()
	for _, w := range r.workers {
		r.report.Add(w.report)
		w.report = source.Report{}
		r.letGo(w.folders)
		w.folders = nil
	}
	r.letGo(r.queue.rest()) // there is some only after a stop
}

// letGo gives back what work holds that is not to be done.
func (r *run) letGo(items []work) {
	for _, item := range items {
		if item.open != nil {
			r.handles.letGo(item.open, 1)
		} else {
			r.handles.letGo(item.above, 1)
		}
	}
}

// join has one more worker begin.
func (r *run) join() {
	r.queue.limiter.Watch(r.isShort, r.queue.grown)
	r.working.Add(1)
	go r.begin()()
}

// isShort reports whether more workers would get more done: there is work for them, and
// those there are spend their time on reading, not on handing over what they read.
func (r *run) isShort() bool {
	now := time.Now()
	handing := time.Duration(r.handing.Swap(0))
	passed := now.Sub(r.asked)
	r.asked = now
	return handing < passed*time.Duration(r.queue.working())/4 && r.queue.isShort()
}

// begin returns what a worker does, from its begin to its end.
func (r *run) begin() func() {
	r.mu.Lock()
	defer r.mu.Unlock()
	var w *worker
	if last := len(r.resting) - 1; last >= 0 {
		w, r.resting = r.resting[last], r.resting[:last]
	} else {
		w = r.newWorker()
		w.number = len(r.workers)
		r.workers = append(r.workers, w)
	}
	return func() {
		defer r.working.Done()
		w.work()
		r.mu.Lock()
		defer r.mu.Unlock()
		r.resting = append(r.resting, w)
	}
}

// seat is for one visitor: there are as many as cores, however many read, since what a
// visitor keeps takes memory. Mostly it is the same worker's.
type seat struct {
	sync.Mutex
	visitor source.Visitor
	_       [64]byte // so that no other core minds
}

// visit gives entries to a visitor that nobody else has.
func (w *worker) visit(entries []entry.Entry) error {
	begun := time.Now()
	s := w.seat()
	defer func() {
		s.Unlock()
		w.handing.Add(int64(time.Since(begun)))
	}()
	if s.visitor == nil {
		s.visitor = w.sink.Visitor()
	}
	return s.visitor(entries)
}

// seat returns a seat, locked.
func (w *worker) seat() *seat {
	own := w.number % len(w.seats)
	for i := range w.seats {
		if s := &w.seats[(own+i)%len(w.seats)]; s.TryLock() {
			return s
		}
	}
	w.seats[own].Lock()
	return &w.seats[own]
}

// fail ends the reading with an error of a visitor.
func (r *run) fail(err error) {
	r.mu.Lock()
	if r.err == nil {
		r.err = err
	}
	r.mu.Unlock()
	r.queue.stop()
}

// enter reports whether a folder is new, and keeps that in mind. It matters only
// when links are followed: without, there is one way to each folder.
func (r *run) enter(o *opened) bool {
	if !r.request.Follow {
		return true
	}
	var s calls.Status
	if s.Identity(o.dir) != nil {
		return true
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.entered == nil {
		r.entered = make(map[entry.Node]bool)
	}
	known := r.entered[s.Node()]
	r.entered[s.Node()] = true
	return !known
}

// waitingLink is a link that is to be followed, by its path from the place.
type waitingLink struct {
	rel    string
	folder *entry.Folder
}

// waitingLinks has the one on top whose path comes first.
type waitingLinks []waitingLink

func (l waitingLinks) Len() int           { return len(l) }
func (l waitingLinks) Less(i, j int) bool { return l[i].rel < l[j].rel }
func (l waitingLinks) Swap(i, j int)      { l[i], l[j] = l[j], l[i] }
func (l *waitingLinks) Push(one any)      { *l = append(*l, one.(waitingLink)) }
func (l *waitingLinks) Pop() any {
	last := (*l)[len(*l)-1]
	*l = (*l)[:len(*l)-1]
	return last
}

// followLinks enters the folders that links lead to, after everything that
// is there without them. One link is done at a time, in order of their paths:
// so which of two links to a folder shows its content does not depend on
// timing, and links that lead to one another end soon.
func (r *run) followLinks() {
	var waiting waitingLinks
	for !r.queue.isStopped() {
		for _, link := range r.links {
			heap.Push(&waiting, waitingLink{link.Relative(), link})
		}
		if r.links = nil; len(waiting) == 0 {
			return
		}
		link := heap.Pop(&waiting).(waitingLink).folder
		d, err := openRelative(r.root, link)
		if err != nil {
			// A link to a file, to nothing, or to itself leads to no folder.
			if err != unix.ENOTDIR && err != unix.ENOENT && err != unix.ELOOP {
				r.report.Problems = append(r.report.Problems,
					source.Problem{Path: link.Path(), Tried: "follow the link", Err: err, Entries: 1})
			}
			continue
		}
		o := r.handles.opened(link, r.root, d)
		var s calls.Status
		switch {
		case r.request.SameDisk && s.Identity(d) == nil && s.Node().Device != r.device:
			r.report.OtherDisks++
			r.handles.letGo(o, 1)
		case !r.enter(o):
			r.report.Repeated++
			r.handles.letGo(o, 1)
		default:
			r.queue.push(false, work{open: o})
			r.work()
		}
	}
}
