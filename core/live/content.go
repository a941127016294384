package live

import (
	"io"
	"path/filepath"
	"strings"
	"sync/atomic"

	"golang.org/x/sys/unix"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/live/calls"
	"frankledger/core/posix"
)

// content is the open content of a file.
type content struct {
	fd     int
	kept   bool        // its access time stays as it is
	status unix.Stat_t // when it was opened
}

// touched counts the files that count as read just now because of this program.
var touched atomic.Int64

// Touched returns of how many files reading their content has changed the access
// time, since it was last called: the system keeps that only for their owner.
func Touched() int64 { return touched.Swap(0) }

// touchedLinks counts the links that count as read just now because of this program.
var touchedLinks atomic.Int64

// TouchedLinks returns of how many links it has changed the access time to read where they lead, since it
// was last called: nobody can keep that.
func TouchedLinks() int64 { return touchedLinks.Swap(0) }

// openContent opens a file that a folder says is one, and makes sure that
// nothing else has taken its place.
func openContent(at int, name string, follow bool) (*content, error) {
	fd, kept, err := calls.OpenFile(at, name, follow)
	if err != nil {
		return nil, err
	}
	c := &content{fd: fd, kept: kept}
	if err := unix.Fstat(fd, &c.status); err != nil || entry.KindOfMode(uint32(c.status.Mode)) != entry.KindFile {
		c.Close()
		return nil, errMoved
	}
	return c, nil
}

// Read implements io.Reader.
func (c *content) Read(p []byte) (int, error) {
	n, err := posix.Retry(func() (int, error) { return unix.Read(c.fd, p) })
	return end(n, len(p), err)
}

// ReadAt implements io.ReaderAt.
func (c *content) ReadAt(p []byte, offset int64) (int, error) {
	all := 0
	for all < len(p) {
		n, err := posix.Retry(func() (int, error) { return unix.Pread(c.fd, p[all:], offset+int64(all)) })
		if n, err = end(n, len(p)-all, err); err != nil {
			return all, err
		}
		all += n
	}
	return all, nil
}

// end turns what a read returned into what io.Reader asks for.
func end(n, wanted int, err error) (int, error) {
	switch {
	case err != nil:
		return 0, err
	case n == 0 && wanted > 0:
		return 0, io.EOF
	}
	return n, nil
}

// Unchanged implements digest.File.
func (c *content) Unchanged(length int64) error {
	var now unix.Stat_t
	if err := unix.Fstat(c.fd, &now); err != nil {
		return err
	}
	then := &c.status
	// What the system makes up as it is read, with no block on disk, may be of
	// another length than it says.
	if length >= 0 && length != now.Size && now.Blocks > 0 || now.Size != then.Size || now.Mtim != then.Mtim || now.Ctim != then.Ctim {
		return digest.ErrChanged
	}
	return nil
}

// Close closes it.
func (c *content) Close() {
	var now unix.Stat_t
	if !c.kept && unix.Fstat(c.fd, &now) == nil && now.Atim != c.status.Atim {
		touched.Add(1)
	}
	unix.Close(c.fd)
}

// Content is the open content of a file.
type Content interface {
	digest.File
	// Length is how many bytes the file had when it was opened.
	Length() int64
}

// Length implements [Content].
func (c *content) Length() int64 { return c.status.Size }

// OpenContent opens a file, or one that a link leads to, for reading as the reader itself does: never a pipe or a
// device, and leaving its access time alone where the system allows.
func OpenContent(path string) (Content, error) {
	c, err := openContent(unix.AT_FDCWD, path, true)
	if err != nil {
		return nil, err
	}
	return c, nil
}

// Resolved is the path of a folder with links followed, or as it is if they lead nowhere.
func Resolved(folder string) string {
	if resolved, err := filepath.EvalSymlinks(folder); err == nil {
		return resolved
	}
	return folder
}

// Files opens the files of entries on the running system.
type Files struct{ Follow bool } // open also what a link leads to

// Opener implements digest.Files.
func (f Files) Opener() digest.Opener { return &opener{Files: f} }

// opener opens files by their folders.
type opener struct {
	Files
	folders visited
}

// Open implements digest.Opener.
func (o *opener) Open(e *entry.Entry) (digest.File, error) {
	if e.Kind != entry.KindFile {
		return nil, digest.NoFile{Kind: e.Kind}
	}
	at, name, done, err := o.locate(e)
	if err != nil {
		return nil, err
	}
	defer done()
	c, err := openContent(at, name, e.Self || o.Follow)
	if err != nil {
		return nil, err
	}
	switch now := &c.status; {
	case e.Known&entry.FactStatus == 0:
	case uint64(now.Ino) != e.Inode || uint64(now.Dev) != e.Device:
		err = errMoved
	case now.Size != e.Size || posix.TimeOf(now.Mtim) != e.Modified:
		err = digest.ErrChanged
	}
	if err != nil {
		c.Close()
		return nil, err
	}
	return c, nil
}

// Look implements digest.Opener.
func (o *opener) Look(e *entry.Entry) error {
	at, name, done, err := o.locate(e)
	if err != nil {
		return err
	}
	defer done()
	var s calls.Status
	if err := s.Look(at, name, true); err != nil {
		return err
	}
	s.Fill(e)
	if madeWhenRead(at, e).unsized(e) {
		e.Marks |= entry.MarkUnsized
	}
	return nil
}

// locate returns the open folder that an entry is to be opened in, and by what
// name. What is done with that must be before done is called.
func (o *opener) locate(e *entry.Entry) (at int, name string, done func(), err error) {
	done = func() {}
	if e.Self {
		return unix.AT_FDCWD, e.Folder.Place.Given, done, nil
	}
	dir, err := o.folders.enter(e.Folder)
	if err != nil {
		return 0, "", nil, err
	}
	if len(e.Name) <= longestRelative {
		return dir.Handle(), e.Name, done, nil
	}
	var trail []*entry.Folder // the name is a long relative path
	names := strings.Split(e.Name, "/")
	for _, name := range names[:len(names)-1] {
		trail = append(trail, &entry.Folder{Name: name})
	}
	d, err := openTrail(dir, trail)
	if err != nil {
		return 0, "", nil, err
	}
	return d.Handle(), names[len(names)-1], d.Close, nil
}

// Close implements digest.Opener.
func (o *opener) Close() { o.folders.close() }
