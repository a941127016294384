package output

import (
	"bufio"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"frankledger/core/posix"
)

// ErrExists is returned for a file that is there already and is to be kept.
var ErrExists = errors.New("it exists already; --replace replaces it")

// file is written under another name, or none, and gets its own when whole.
type file struct {
	*bufio.Writer
	path    string
	file    *os.File
	replace bool
	unnamed bool
	private bool
}

// ToPrivateFile returns a destination that takes the place of a file, if there is
// one, and that only its owner may read.
func ToPrivateFile(path string) (Destination, error) {
	d, err := ToFile(path, true)
	if f, is := d.(*file); is {
		f.private = true
	}
	return d, err
}

// ToFile returns a destination that appears at path when it is closed whole,
// and never in part. A file that is there is kept unless replace is set. A
// device or pipe is written to straight.
func ToFile(path string, replace bool) (Destination, error) {
	info, err := os.Stat(path)
	switch {
	case err == nil && info.IsDir():
		return nil, fmt.Errorf("%s is a folder; name a file to write to", path)
	case err == nil && !info.Mode().IsRegular():
		opened, err := os.OpenFile(path, os.O_WRONLY, 0)
		if err != nil {
			return nil, err
		}
		return device{opened}, nil
	case err == nil && !replace:
		return nil, fmt.Errorf("%s: %w", path, ErrExists)
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		return nil, fmt.Errorf("write %s: %w", path, posix.Reason(err))
	}
	f := &file{path: path, replace: replace}
	if f.file, err = openUnnamed(filepath.Dir(path)); err == nil {
		f.unnamed = true
	} else if f.file, err = os.CreateTemp(filepath.Dir(path), ".frank-*"); err != nil {
		return nil, fmt.Errorf("write %s: %w", path, posix.Reason(err))
	}
	f.Writer = bufio.NewWriterSize(f.file, 64<<10)
	return f, nil
}

// Close implements Destination.
func (f *file) Close(whole bool) error {
	if !whole {
		return f.drop(nil)
	}
	if err := f.Flush(); err != nil {
		return f.drop(err)
	}
	if err := f.setMode(); err != nil {
		return f.drop(err)
	}
	if err := f.file.Sync(); err != nil {
		return f.drop(err)
	}
	name := f.file.Name()
	if f.unnamed {
		if !f.replace {
			return f.drop(exists(linkUnnamed(f.file, f.path)))
		}
		name = filepath.Join(filepath.Dir(f.path), fmt.Sprintf(".frank-%d", os.Getpid()))
		if err := linkUnnamed(f.file, name); err != nil {
			return f.drop(err)
		}
		defer os.Remove(name)
	}
	if f.replace {
		if err := os.Rename(name, f.path); err != nil {
			return f.drop(err)
		}
		return f.file.Close()
	}
	return f.drop(exists(os.Link(name, f.path)))
}

// setMode gives the file the permissions that a new one would have had, or
// those of the file it replaces.
func (f *file) setMode() error {
	if f.private {
		return f.file.Chmod(0o600)
	}
	if info, err := os.Stat(f.path); err == nil {
		return f.file.Chmod(info.Mode().Perm())
	}
	return f.file.Chmod(0o666 &^ Umask())
}

// drop closes the file and removes the name it had for the time being.
func (f *file) drop(err error) error {
	f.file.Close()
	if !f.unnamed {
		os.Remove(f.file.Name())
	}
	if err != nil {
		return fmt.Errorf("write %s: %w", f.path, posix.Reason(err))
	}
	return nil
}

func exists(err error) error {
	if errors.Is(err, fs.ErrExist) {
		return ErrExists
	}
	return err
}

// device is something that is no regular file.
type device struct{ *os.File }

func (d device) Close(bool) error { return d.File.Close() }
