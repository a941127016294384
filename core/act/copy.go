package act

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/zeebo/blake3"
	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/exact"
)

// Across file systems, to move is to copy, to make sure that the copy is the
// same, and then to remove. The copy has another name until it is whole.

var (
	errCopy    = errors.New("the copy is not the same as what was copied; the copy was removed")
	errNoCopy  = errors.New("it is neither file, folder nor link, and cannot be copied to another disk")
	errDiffers = errors.New("it changed while it was copied")
	errHalf    = errors.New("it was copied whole, but not all of it could be removed")
)

// copyName is the name of a copy until it is whole.
func copyName(journal int64, step int) string { return fmt.Sprintf(".frank-act-%d-%d", journal, step) }

// copyOver copies an entry, by its full path and its name in an open folder, to
// another file system and removes it here. What comes into a folder while it is
// copied is not removed with it: then nothing is.
func copyOver(ctx context.Context, full string, fromFd int, from string, toFd int, to, under string) error {
	var before *Holds
	if st, err := status(fromFd, from, false); err == nil && entry.KindOfMode(uint32(st.Mode)) == entry.KindFolder {
		if before, err = holds(ctx, full); err != nil {
			return err
		}
	}
	if _, err := status(toFd, to, false); err == nil {
		return errTaken
	}
	if err := removeAll(toFd, under); err != nil && !errors.Is(err, unix.ENOENT) {
		return err
	}
	err := copyEntry(ctx, fromFd, from, toFd, under)
	if err == nil && before != nil {
		var after *Holds
		if after, err = holds(ctx, full); err == nil && *after != *before {
			err = errDiffers
		}
	}
	if err == nil {
		err = rename(toFd, under, toFd, to)
	}
	if err != nil {
		removeAll(toFd, under) // what of it there is
		return err
	}
	if err = removeAll(fromFd, from); err == nil {
		return nil
	}
	// If nothing of it could be removed, there is to be no copy either.
	if before != nil {
		if after, looking := holds(ctx, full); looking != nil || *after != *before {
			return fmt.Errorf("%w: %w", errHalf, err)
		}
	}
	removeAll(toFd, to)
	return err
}

// copyEntry copies one entry, with all that is in it.
func copyEntry(ctx context.Context, fromFd int, from string, toFd int, to string) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	st, err := status(fromFd, from, false)
	if err != nil {
		return err
	}
	switch entry.KindOfMode(uint32(st.Mode)) {
	case entry.KindFile:
		err = copyFile(ctx, fromFd, from, toFd, to, &st)
	case entry.KindFolder:
		err = copyFolder(ctx, fromFd, from, toFd, to)
	case entry.KindLink:
		room := make([]byte, 1<<16)
		n, reading := retry(func() (int, error) { return unix.Readlinkat(fromFd, from, room) })
		if err = reading; err == nil {
			err = unix.Symlinkat(string(room[:n]), toFd, to)
		}
	default:
		return fmt.Errorf("%s: %w", from, errNoCopy)
	}
	if err != nil {
		return err
	}
	return likeBefore(toFd, to, &st)
}

// likeBefore gives a copy owner, permissions and times of what it is a copy of.
// Only an administrator can give things away.
func likeBefore(fd int, name string, st *unix.Stat_t) error {
	if err := unix.Fchownat(fd, name, int(st.Uid), int(st.Gid), unix.AT_SYMLINK_NOFOLLOW); err != nil && !errors.Is(err, unix.EPERM) {
		return err
	}
	if entry.KindOfMode(uint32(st.Mode)) != entry.KindLink {
		if err := permit(fd, name, uint32(st.Mode)&0o7777); err != nil {
			return err
		}
	}
	modified, accessed := exact.Time(timeOf(st.Mtim)), exact.Time(timeOf(st.Atim))
	return setTimes(fd, name, &modified, &accessed)
}

func copyFolder(ctx context.Context, fromFd int, from string, toFd int, to string) error {
	names, in, err := namesIn(fromFd, from)
	if err != nil {
		return err
	}
	defer in.Close()
	if err := unix.Mkdirat(toFd, to, 0o700); err != nil {
		return err
	}
	_, out, err := namesIn(toFd, to)
	if err != nil {
		return err
	}
	defer out.Close()
	for _, name := range names {
		if err := copyEntry(ctx, int(in.Fd()), name, int(out.Fd()), name); err != nil {
			return err
		}
	}
	return nil
}

func openAt(fd int, name string, flags int, mode uint32) (*os.File, error) {
	file, err := retry(func() (int, error) { return unix.Openat(fd, name, flags|unix.O_NOFOLLOW|unix.O_CLOEXEC, mode) })
	if err != nil {
		return nil, err
	}
	return os.NewFile(uintptr(file), name), nil
}

// copyFile copies the content of a file, has it on disk, and reads it again.
func copyFile(ctx context.Context, fromFd int, from string, toFd int, to string, before *unix.Stat_t) error {
	in, err := openAt(fromFd, from, unix.O_RDONLY|unix.O_NONBLOCK, 0)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := openAt(toFd, to, unix.O_RDWR|unix.O_CREAT|unix.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	defer out.Close()
	wanted := blake3.New()
	length, err := io.Copy(&sparse{ctx: ctx, file: out}, io.TeeReader(in, wanted))
	if err == nil {
		err = out.Truncate(length)
	}
	if err == nil {
		err = out.Sync()
	}
	if err == nil {
		_, err = out.Seek(0, io.SeekStart)
	}
	if err != nil {
		return reason(err)
	}
	got := blake3.New()
	if _, err := io.Copy(got, out); err != nil {
		return reason(err)
	}
	if !bytes.Equal(wanted.Sum(nil), got.Sum(nil)) {
		return errCopy
	}
	now, err := status(fromFd, from, false)
	if err == nil && (now.Size != length || now.Size != before.Size || now.Mtim != before.Mtim || now.Ino != before.Ino) {
		err = errDiffers
	}
	return err
}

// reason is what the system said, without the call and the name.
func reason(err error) error {
	var p *os.PathError
	if errors.As(err, &p) {
		return p.Err
	}
	return err
}

// sparse writes a file, and leaves holes where there are only zeros.
type sparse struct {
	ctx  context.Context
	file *os.File
}

var zeros [32 << 10]byte

// Write implements io.Writer.
func (s *sparse) Write(p []byte) (int, error) {
	if err := s.ctx.Err(); err != nil {
		return 0, err
	}
	if len(p) <= len(zeros) && bytes.Equal(p, zeros[:len(p)]) {
		_, err := s.file.Seek(int64(len(p)), io.SeekCurrent)
		return len(p), err
	}
	return s.file.Write(p)
}
