package live

import (
	"errors"
	"io"
	"path"
	"path/filepath"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/live/calls"
	"frankledger/core/media"
	"frankledger/core/posix"
	"frankledger/core/text"
	"frankledger/core/textfile"
)

// lookCloser gets facts that cost calls of their own. The name is relative to
// the open folder at.
func (w *worker) lookCloser(at int, name string, e *entry.Entry, wanted entry.Facts) {
	name = strings.Clone(name)
	if e.Kind == entry.KindLink {
		if wanted&entry.FactTarget != 0 {
			w.readLink(at, name, e)
		}
		if wanted&entry.FactReach != 0 {
			w.tryLink(at, name, e)
		}
		w.noteRead(at, name, e)
	}
	w.askAccess(at, name, e, wanted)
	w.askDetails(at, name, e, wanted)
	if e.Kind == entry.KindFolder && wanted&entry.FactInside != 0 {
		w.lookInside(at, name, e)
	}
	if wanted&entry.FactTwins != 0 {
		w.findTwin(at, name, e)
	}
	if e.Kind == entry.KindFile && wanted&entry.FactContent != 0 {
		w.sniff(at, name, e)
	}
	if e.Kind == entry.KindFile && wanted&entry.FactText != 0 {
		w.search(at, name, e)
	}
	if e.Kind == entry.KindFile && wanted&entry.FactDigests != 0 {
		w.digest(at, name, e, wanted)
	}
}

// extra returns the entry's room for facts that few questions ask for.
func (w *worker) extra(e *entry.Entry) *entry.More {
	if e.More == nil {
		w.more = append(w.more, entry.More{})
		e.More = &w.more[len(w.more)-1]
	}
	return e.More
}

func (w *worker) readLink(at int, name string, e *entry.Entry) {
	for size := 256; ; size *= 4 {
		buf := make([]byte, size)
		n, err := posix.Retry(func() (int, error) { return unix.Readlinkat(at, name, buf) })
		if err != nil {
			w.untold(entry.FactTarget, e, "read the link", err)
			return
		}
		if n < size {
			w.extra(e).Target = string(buf[:n])
			e.Known |= entry.FactTarget
			return
		}
	}
}

// noteRead notes a link that counts as read just now because of this program: the system has no other
// way to tell where it leads.
func (w *worker) noteRead(at int, name string, e *entry.Entry) {
	if !e.Known.Has(entry.FactStatus) {
		return
	}
	var now entry.Entry
	var s calls.Status
	if s.Look(at, name, false) == nil {
		if s.Fill(&now); now.Inode == e.Inode && now.Accessed != e.Accessed {
			touchedLinks.Add(1)
		}
	}
}

// tryLink finds out whether a link leads anywhere. That a folder on the way may
// not be entered leaves it unknown.
func (w *worker) tryLink(at int, name string, e *entry.Entry) {
	var s calls.Status
	switch err := s.Look(at, name, true); err {
	case nil:
		e.Marks |= entry.MarkReaches
		e.Known |= entry.FactReach
	case unix.ENOENT, unix.ENOTDIR, unix.ELOOP:
		e.Known |= entry.FactReach
	default:
		w.untold(entry.FactReach, e, "follow the link", err)
	}
}

// untold notes that a fact could not be told, if that is a problem.
func (w *worker) untold(fact entry.Facts, e *entry.Entry, tried string, err error) {
	if !w.request.Aside.Has(fact) {
		w.problem(e.Path(), tried, err)
	}
}

// askAccess asks the system what the person running the program may do. It
// knows more than the permission bits: access lists, read-only file systems,
// special rights.
func (w *worker) askAccess(at int, name string, e *entry.Entry, wanted entry.Facts) {
	questions := [...]struct {
		fact entry.Facts
		mode uint32
		mark entry.Marks
	}{
		{entry.FactReadable, unix.R_OK, entry.MarkReadable},
		{entry.FactWritable, unix.W_OK, entry.MarkWritable},
		{entry.FactExecutable, unix.X_OK, entry.MarkExecutable},
	}
	for _, q := range questions {
		if wanted&q.fact == 0 {
			continue
		}
		e.Known |= q.fact
		if q.fact == entry.FactExecutable && !w.isFile(at, name, e) {
			continue
		}
		if _, err := posix.Retry(func() (int, error) { return 0, unix.Faccessat(at, name, q.mode, 0) }); err == nil {
			e.Marks |= q.mark
		}
	}
}

// isFile reports whether the entry is a file or a link that leads to one.
func (w *worker) isFile(at int, name string, e *entry.Entry) bool {
	if e.Kind != entry.KindLink {
		return e.Kind == entry.KindFile
	}
	var s calls.Status
	return s.Look(at, name, true) == nil && s.Kind() == entry.KindFile
}

// lookInside finds out whether a folder has anything in it.
func (w *worker) lookInside(at int, name string, e *entry.Entry) {
	d, err := calls.OpenDir(at, name, e.Self)
	if err != nil {
		w.problem(e.Path(), "look into the folder", err)
		return
	}
	defer d.Close()
	buf := make([]byte, 4096)
	e.Marks |= entry.MarkVoid
	for e.Marks&entry.MarkVoid != 0 {
		n, err := d.Read(buf)
		if err != nil {
			w.problem(e.Path(), "look into the folder", err)
			return
		}
		if n == 0 {
			break
		}
		for rest := buf[:n]; len(rest) > 0; {
			var inside string
			if inside, _, rest = calls.NextRecord(rest); inside != "." && inside != ".." {
				e.Marks &^= entry.MarkVoid
			}
		}
	}
	e.Known |= entry.FactInside
}

// findTwin finds out whether another name in the folder differs only in letter case.
func (w *worker) findTwin(at int, name string, e *entry.Entry) {
	names, err := w.namesBeside(at, name, e)
	if err != nil {
		w.problem(e.Path(), "look into the folder of", err)
		return
	}
	if names[folded(e.Name[strings.LastIndexByte(e.Name, '/')+1:])] > 1 {
		e.Marks |= entry.MarkTwin
	}
	e.Known |= entry.FactTwins
}

// namesBeside returns how many names there are in the folder of an entry, by what they are in small letters.
// It keeps those of one folder.
func (w *worker) namesBeside(at int, name string, e *entry.Entry) (map[string]int, error) {
	beside, of := path.Dir(name), ""
	if e.Self { // what is beside a place that was named is no part of what is read
		of = filepath.Dir(e.Folder.Place.Full)
	}
	if w.beside.names != nil && w.beside.path == of && (e.Self || w.beside.folder == e.Folder) {
		return w.beside.names, nil
	}
	if e.Self {
		outer, last, done, err := near(of)
		if err != nil {
			return nil, err
		}
		defer done()
		at, beside = outer, last
	}
	d, err := calls.OpenDir(at, beside, e.Self)
	if err != nil {
		return nil, err
	}
	defer d.Close()
	names := map[string]int{}
	for buf := make([]byte, bufferSize); ; {
		n, err := d.Read(buf)
		if err != nil {
			return nil, err
		}
		if n == 0 {
			break
		}
		for rest := buf[:n]; len(rest) > 0; {
			var one string
			one, _, rest = calls.NextRecord(rest)
			names[folded(one)]++
		}
	}
	w.beside.folder, w.beside.path, w.beside.names = e.Folder, of, names
	return names, nil
}

// folded returns a name in small letters.
func folded(name string) string { return string(text.Fold([]byte(name), false)) }

// sniff reads the start of a file and tells its media type from it.
func (w *worker) sniff(at int, name string, e *entry.Entry) {
	file, err := openContent(at, name, false)
	if err != nil {
		w.problem(e.Path(), "open", err)
		return
	}
	defer file.Close()
	head := make([]byte, media.HeadSize)
	n, err := io.ReadFull(file, head)
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
		w.problem(e.Path(), "read", err)
		return
	}
	_, ext := entry.SplitName(e.Name)
	found, mislabelled := media.Detect(head[:n], ext)
	w.extra(e).Type = found
	if mislabelled {
		e.Marks |= entry.MarkMislabelled
	}
	e.Known |= entry.FactContent
}

// search looks for text in a file.
func (w *worker) search(at int, name string, e *entry.Entry) {
	if w.request.Sought == nil {
		e.Known |= entry.FactText
		return
	}
	if w.searcher == nil {
		w.searcher = w.request.Sought.NewSearcher()
	}
	file, err := openContent(at, name, false)
	if err != nil {
		w.problem(e.Path(), "open", err)
		return
	}
	defer file.Close()
	texts := &w.report.Texts
	found, err := w.searcher.Search(file, func(bytes int) error {
		texts.Bytes += int64(bytes)
		return w.ctx.Err()
	})
	texts.Files++
	switch {
	case w.ctx.Err() != nil:
		return
	case err != nil:
		w.problem(e.Path(), "read", err)
		return
	case found.Encoding == textfile.None:
		texts.Others++
	case found.Encoding == textfile.Latin1:
		texts.Guessed++
	}
	w.extra(e).Lines = entry.Lines{Met: found.Met, Number: found.Line, First: found.Text}
	e.Known |= entry.FactText
}

// digest reads all of a file. One that changes in the meantime gets no digest, since
// it would be of content that the file never had.
func (w *worker) digest(at int, name string, e *entry.Entry, wanted entry.Facts) {
	file, err := openContent(at, name, false)
	if err != nil {
		w.problem(e.Path(), "open", err)
		return
	}
	defer file.Close()
	wanted &= entry.FactDigests
	digests, n, err := w.hashers.For(wanted).Take(w.ctx, file, file.status.Size, false, nil)
	switch {
	case w.ctx.Err() != nil:
	case err != nil:
		w.problem(e.Path(), "read", err)
	case file.Unchanged(n) != nil:
		w.problem(e.Path(), "take the digest of", digest.ErrChanged)
	default:
		more := w.extra(e)
		more.Digests = append(more.Digests, digests...)
		e.Known |= wanted
	}
}
