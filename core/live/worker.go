package live

import (
	"bytes"
	"errors"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/sys/unix"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/live/calls"
	"frankledger/core/source"
	"frankledger/core/textfile"
)

const (
	bufferSize = 32 << 10 // records read in one call
	batchSize  = 256      // entries handed to a visitor at once
	// shareAbove is how much of the buffer must be full for a folder to be
	// large enough to share out.
	shareAbove = bufferSize / 2
	// leastShared and leastSlow are how many bytes of records are handed out as one piece of
	// work, at least: the latter where the system takes long to tell about each.
	leastShared, leastSlow = 4 << 10, 512
	// manyFolders found in one folder are read before reading on in it.
	manyFolders = 1024
)

// worker is one goroutine's share of a reading.
type worker struct {
	*run
	number    int
	test      source.Test // nil: everything is given
	testNeeds entry.Facts
	report    source.Report
	link      *unix.Stat_t // the place, if it is a link: see Source
	status    calls.Status
	buffer    []byte
	batch     []entry.Entry
	more      []entry.More
	folders   []work // found and not yet pushed
	hashers   digest.Hashers
	searcher  *textfile.Searcher
	beside    struct { // the names in the folder that was looked at last
		folder *entry.Folder
		path   string         // where it is, of what was named itself
		names  map[string]int // how many there are, by what they are in small letters
	}
	mounts calls.Mounts
	asked  int       // about so many entries
	since  time.Time // the last time that it was seen how long that takes
	long   bool      // it took long the last time
	slow   bool      // and before
	made   struct {  // whether a file system makes what is in its files as they are read
		device uint64
		how    sizes
		known  bool
	}
}

// sizes is what the sizes say that a file system tells of its files.
type sizes uint8

const (
	sizesTold   sizes = iota
	sizesOfNone       // 0 of any file whose size is not known, too
	sizesMade         // nothing: the content is made as it is read
)

// unsized reports whether the size of an entry is not known.
func (s sizes) unsized(e *entry.Entry) bool {
	return e.Kind == entry.KindFile && (s == sizesMade || s == sizesOfNone && e.Size == 0)
}

// isUnsized reports whether the size that the system tells of a file is none.
func (w *worker) isUnsized(at int, e *entry.Entry) bool {
	if m := &w.made; !m.known || m.device != e.Device {
		m.device, m.known, m.how = e.Device, true, madeWhenRead(at, e)
	}
	return w.made.how.unsized(e)
}

func (r *run) newWorker() *worker {
	w := &worker{
		run:    r,
		buffer: make([]byte, bufferSize),
	}
	if c := r.request.Condition; c != nil {
		w.test, w.testNeeds = c.Test(), c.Needs()
	}
	return w
}

// work does work until there is none.
func (w *worker) work() {
	for {
		item, ok := w.queue.pop()
		if !ok {
			return
		}
		if err := w.do(item); err != nil {
			w.fail(err)
		}
		w.queue.finish()
	}
}

func (w *worker) do(item work) error {
	if item.records != nil {
		err := w.lookAt(item.open, item.records)
		w.pushFolders()
		w.handles.letGo(item.open, 1)
		return err
	}
	o := item.open
	if o == nil {
		if o = w.openFolder(item); o == nil {
			return nil
		}
	}
	if inside, unchanged := w.unchanged(o); unchanged {
		return w.lookAtFolders(o, inside)
	}
	return w.readFolder(o)
}

// unchanged reports whether an open folder is as it was recorded earlier, and if so, which
// folders are in it.
func (w *worker) unchanged(o *opened) (inside []string, unchanged bool) {
	if w.request.Earlier == nil || o.shared || w.status.OfOpen(o.dir) != nil {
		return nil, false
	}
	var e entry.Entry
	w.status.Fill(&e)
	return w.request.Earlier.Unchanged(o.folder, &e)
}

// lookAtFolders looks at the folders in one that is not read.
func (w *worker) lookAtFolders(o *opened, inside []string) error {
	w.request.Earlier.Keep(o.folder)
	var err error
	for i := 0; i < len(inside) && err == nil; i++ {
		name := (inside[i] + "\x00")[:len(inside[i])] // ended as records are
		w.batch = append(w.batch, entry.Entry{Folder: o.folder, Name: name, Kind: entry.KindFolder})
		e := &w.batch[len(w.batch)-1]
		if !w.ask(o.dir.Handle(), name, e, w.request.Facts) {
			w.batch = w.batch[:len(w.batch)-1]
			continue
		}
		if e.Kind == entry.KindFolder && w.request.Enters(o.folder) {
			e.Inside = w.found(o, e)
		}
		if len(w.batch) == batchSize {
			err = w.flush()
		}
	}
	if err == nil {
		err = w.flush()
	}
	w.leave(o)
	return err
}

// leave gives back the hold on a folder, of which all is known that is in it.
func (w *worker) leave(o *opened) {
	if len(w.folders) > 0 && !o.shared && w.handles.tooMany() {
		w.handles.shutEarly(o)
	}
	w.pushFolders()
	w.handles.letGo(o, 1)
}

// openFolder opens a folder and gives back the hold on the one above. It
// returns nil if the folder is not to be read after all.
func (w *worker) openFolder(item work) *opened {
	above := item.above
	defer w.handles.letGo(above, 1)
	at := above.dir
	if above.shut {
		d, err := w.handles.reach(above)
		if err != nil {
			w.unread(item.folder, "open the folder", err)
			return nil
		}
		defer d.Close()
		at = d
	}
	d, err := calls.OpenDir(at.Handle(), item.folder.Name, false)
	if err != nil {
		w.unread(item.folder, "open the folder", err)
		return nil
	}
	o := w.handles.opened(item.folder, above, d)
	if !w.enter(o) {
		w.report.Repeated++
		w.handles.letGo(o, 1)
		return nil
	}
	return o
}

// readFolder reads an open folder to its end and gives back the hold on it.
func (w *worker) readFolder(o *opened) error {
	for w.ctx.Err() == nil {
		n, err := o.dir.Read(w.buffer)
		if err != nil {
			w.unread(o.folder, "read the folder", err)
			break
		}
		if n == 0 {
			break
		}
		if (n > shareAbove || w.waits() || w.reads()) && w.asks() && w.share(o, w.buffer[:n]) {
			continue
		}
		if err := w.lookAt(o, w.buffer[:n]); err != nil {
			w.handles.letGo(o, 1)
			return err
		}
		if len(w.folders) >= manyFolders && !w.handles.tooMany() {
			// What was found is done first, then the rest of this folder.
			o.shared = true
			w.queue.push(true, work{open: o})
			w.pushFolders()
			return nil
		}
	}
	w.report.Folders++
	if w.request.Progress != nil {
		w.request.Progress.Folders.Add(1)
	}
	w.leave(o)
	return nil
}

// asks reports whether anything is asked of the system about each entry.
func (w *worker) asks() bool { return w.request.Facts != 0 || w.testNeeds != 0 }

// reads reports whether files are read to their ends, so that few of them are much work.
func (w *worker) reads() bool {
	return (w.request.Facts|w.testNeeds)&entry.FactText != 0
}

// waits reports whether the system takes long to answer.
func (w *worker) waits() bool { return w.slow || w.queue.limiter.Grown() }

// share hands out the records of a folder, if there is anybody who would begin with them
// at once. It returns whether it did.
func (w *worker) share(o *opened, records []byte) bool {
	wants := w.queue.wants()
	if wants <= 0 {
		return false
	}
	if !o.shared { // else others look at it just now
		o.shared = true
	}
	least := leastShared
	switch {
	case w.reads():
		least, wants = 1, wants+1 // this one goes on with them, too
	case w.waits():
		least = leastSlow
	}
	var items []work
	for each := max(least, len(records)/wants); len(records) > 0; {
		n := 0
		for n < each && n < len(records) {
			_, _, rest := calls.NextRecord(records[n:])
			n = len(records) - len(rest)
		}
		o.refs.Add(1)
		items = append(items, work{open: o, records: bytes.Clone(records[:n])})
		records = records[n:]
	}
	w.queue.push(true, items...)
	return true
}

func (w *worker) pushFolders() {
	if len(w.folders) == 0 {
		return
	}
	if w.request.Progress != nil {
		w.request.Progress.Found.Add(int64(len(w.folders)))
	}
	w.queue.push(false, w.folders...)
	clear(w.folders)
	w.folders = w.folders[:0]
}

// lookAt hands the entries that the records name to the visitor, with the
// facts that the request needs, and gathers the folders to go into.
func (w *worker) lookAt(o *opened, records []byte) error {
	request := &w.request
	at := o.dir.Handle()
	descend := request.Enters(o.folder)
	w.asked, w.since = 0, time.Now()
	for len(records) > 0 {
		var name string
		var kind entry.Kind
		name, kind, records = calls.NextRecord(records)
		if name == "." || name == ".." {
			continue
		}
		treatment := request.Hidden.Treat(entry.HiddenName(name))
		if treatment == source.Left {
			w.report.Hidden++
			continue
		}
		shown := treatment == source.Given
		if !shown && !entry.HiddenFlag && kind != entry.KindFolder && kind != entry.KindUnknown && !(request.Follow && kind == entry.KindLink) {
			continue
		}

		w.batch = append(w.batch, entry.Entry{Folder: o.folder, Name: name, Kind: kind})
		e := &w.batch[len(w.batch)-1]
		asked := entry.Facts(0)
		there := true
		flagCounts := entry.HiddenFlag && request.Hidden != source.ShowHidden
		if kind == entry.KindUnknown || request.SameDisk && kind == entry.KindFolder || flagCounts {
			there, asked = w.ask(at, name, e, fromStatus), fromStatus
		}
		if flagCounts {
			if treatment = request.Hidden.Treat(e.Hidden()); treatment == source.Left {
				w.report.Hidden++
				w.batch = w.batch[:len(w.batch)-1]
				continue
			}
			shown = treatment == source.Given
		}
		if there && shown {
			there, shown = w.choose(at, name, e, asked)
		}
		if there && descend && e.Kind == entry.KindFolder {
			e.Inside = w.found(o, e)
		}
		if there && descend && e.Kind == entry.KindLink && request.Follow {
			w.foundLink(o, e)
		}
		if !shown || !there {
			w.batch = w.batch[:len(w.batch)-1]
			continue
		}
		if len(w.batch) == batchSize {
			if err := w.flush(); err != nil {
				return err
			}
		}
		if w.slow && len(records) > 0 && w.share(o, records) {
			break
		}
	}
	return w.flush()
}

// feelPace looks now and then how long the system takes to tell about an entry.
func (w *worker) feelPace() {
	if w.asked++; w.asked%paceOf != 0 {
		return
	}
	now := time.Now()
	long := now.Sub(w.since) > paceOf*slowAnswer
	if w.slow = long && w.long; w.slow { // once can be that the processor was taken away
		w.queue.limiter.Expect()
	}
	w.long, w.since = long, now
}

const (
	// paceOf is of how many entries it is seen how long they take.
	paceOf = 8
	// slowAnswer is how long a disk takes that others should be asked beside: what is in
	// memory is answered in a hundredth of that.
	slowAnswer = 250 * time.Microsecond
)

// fromStatus are the facts that one call gives together.
const fromStatus = entry.FactStatus | entry.FactCreated

// choose asks the condition about an entry, with ever more facts while it is
// undecided, and then gets the facts that the request needs beside. Some were
// got before. It returns whether the entry is still there and whether it is to
// be given.
func (w *worker) choose(at int, name string, e *entry.Entry, got entry.Facts) (there, chosen bool) {
	if w.test != nil {
		w.report.Tested++
		asked := got
		verdict := w.test(e, asked)
		for stage := 0; verdict == source.Open && stage < len(source.Stages); stage++ {
			asked |= source.Stages[stage]
			if wanted := source.Stages[stage] & w.testNeeds &^ got; wanted != 0 {
				if wanted&fromStatus != 0 {
					wanted |= fromStatus
				}
				if !w.ask(at, name, e, wanted) {
					return false, false
				}
				got |= wanted
			}
			verdict = w.test(e, asked)
		}
		if verdict != source.Yes {
			return true, false
		}
	}
	if wanted := w.request.Facts &^ got; wanted != 0 {
		return w.ask(at, name, e, wanted), true
	}
	return true, true
}

// ask gets facts of an entry. It returns whether the entry is still there.
func (w *worker) ask(at int, name string, e *entry.Entry, wanted entry.Facts) bool {
	w.feelPace()
	if wanted&fromStatus != 0 {
		switch err := w.status.LookRecord(at, name); {
		case err == nil:
			w.fill(e, at)
		case gone(err):
			w.vanished(e)
			return false
		default:
			w.problemBelow(e.Folder, "look at what is in the folder", err)
		}
	}
	if wanted &^= fromStatus; wanted != 0 {
		w.lookCloser(at, name, e, wanted)
	}
	return true
}

// fill writes the status just asked for into the entry, which is in an open folder.
func (w *worker) fill(e *entry.Entry, at int) {
	w.status.Fill(e)
	if e.Kind == entry.KindFile && w.isUnsized(at, e) {
		e.Marks |= entry.MarkUnsized
	}
	if w.status.FlaggedHidden() {
		e.Marks |= entry.MarkFlaggedHidden
	}
	if (w.request.Facts|w.testNeeds)&entry.FactCreated != 0 {
		if t, known := w.status.Created(); known {
			w.extra(e).Created = t
			e.Known |= entry.FactCreated
		}
	}
}

// flush hands the batch to the visitor.
func (w *worker) flush() error {
	if len(w.batch) == 0 {
		return nil
	}
	if w.request.Progress != nil {
		bytes := int64(0)
		for i := range w.batch {
			if w.batch[i].HasSize() {
				bytes += w.batch[i].Size
			}
		}
		w.request.Progress.Entries.Add(int64(len(w.batch)))
		w.request.Progress.Bytes.Add(bytes)
	}
	err := w.visit(w.batch)
	w.batch, w.more = w.batch[:0], w.more[:0]
	return err
}

// found notes a folder to go into, unless it is not to be entered.
func (w *worker) found(o *opened, e *entry.Entry) *entry.Folder {
	folder := entry.NewFolder(o.folder, strings.Clone(e.Name))
	if w.request.Skips(folder) {
		w.report.Skipped++
		return nil
	}
	if w.request.SameDisk && e.Known&entry.FactStatus != 0 && e.Device != w.device {
		w.report.OtherDisks++
		return nil
	}
	if earlier := w.request.Earlier; earlier != nil && e.Known.Has(entry.FactStatus) {
		if inside, unchanged := earlier.Unchanged(folder, e); unchanged && len(inside) == 0 {
			earlier.Keep(folder) // and need not even be opened
			return folder
		}
	}
	o.refs.Add(1)
	w.folders = append(w.folders, work{folder: folder, above: o})
	return folder
}

// foundLink notes a link to follow later.
func (w *worker) foundLink(o *opened, e *entry.Entry) {
	folder := entry.NewFolder(o.folder, strings.Clone(e.Name))
	if w.request.Skips(folder) {
		return
	}
	w.mu.Lock()
	w.links = append(w.links, folder)
	w.mu.Unlock()
}

// lookAtPlace hands the place itself to the visitor.
func (w *worker) lookAtPlace(folder *entry.Folder) error {
	given := folder.Place.Given
	w.batch = append(w.batch, entry.Entry{Folder: folder, Name: filepath.Base(folder.Place.Full), Self: true})
	e := &w.batch[0]
	at, name, done, err := near(given)
	if err == nil {
		defer done()
		err = w.status.Look(at, name, w.request.Through)
	}
	if err != nil {
		w.report.Problems = append(w.report.Problems, source.Problem{Path: given, Tried: "look at", Err: err, Entries: 1})
		w.batch = w.batch[:0]
		return nil
	}
	w.fill(e, at)
	if w.link != nil && e.Kind == entry.KindLink && e.Inode == w.link.Ino {
		e.Accessed = entry.Time{Sec: int64(w.link.Atim.Sec), Nsec: uint32(w.link.Atim.Nsec)}
	}
	if e.Kind == entry.KindFolder {
		e.Inside = folder
	}
	if there, chosen := w.choose(at, name, e, fromStatus); !there || !chosen {
		w.batch = w.batch[:0]
	}
	return w.flush()
}

func (w *worker) problem(path, tried string, err error) {
	p := source.Problem{Path: path, Tried: tried, Err: err, Entries: 1}
	p.Vanished = gone(err)
	w.report.Problems = append(w.report.Problems, p)
}

// gone reports whether an error means that the thing is no longer there. The
// system says so in other words of processes, and of files on other machines.
func gone(err error) bool {
	return errors.Is(err, unix.ENOENT) || errors.Is(err, unix.ESRCH) || errors.Is(err, unix.ESTALE)
}

// unread notes that a folder could not be read.
func (w *worker) unread(folder *entry.Folder, tried string, err error) {
	folder.MarkUnread()
	w.problem(folder.Path(), tried, err)
	w.report.Problems[len(w.report.Problems)-1].Shut = true
}

// problemBelow notes that something in a folder could not be looked at. A
// folder that lets nothing in it be looked at makes one problem, not thousands.
func (w *worker) problemBelow(folder *entry.Folder, tried string, err error) {
	path := folder.Path()
	if last := len(w.report.Problems) - 1; last >= 0 {
		p := &w.report.Problems[last]
		if p.Path == path && p.Tried == tried && p.Err == err {
			p.Entries++
			return
		}
	}
	w.report.Problems = append(w.report.Problems, source.Problem{Path: path, Tried: tried, Err: err, Entries: 1})
}

func (w *worker) vanished(e *entry.Entry) {
	w.report.Problems = append(w.report.Problems,
		source.Problem{Path: e.Path(), Tried: "look at", Err: unix.ENOENT, Entries: 1, Vanished: true})
}
