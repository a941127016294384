package tree

import (
	"context"
	"errors"
	"io"

	"github.com/zeebo/blake3"

	"frankledger/core/act/sys"
)

// IgnoreNone ignores that there are no flags here.
func IgnoreNone(err error) error {
	if errors.Is(err, sys.ErrNotSupported) {
		return nil
	}
	return err
}

// IsLabel reports whether an attribute is one that a system gives every file itself.
func IsLabel(key string) bool { return key == "security.selinux" || key == "security.SMACK64" }

// Piece is how much is copied before looking whether to stop.
const Piece = 256 << 10

// Stream reads an open file to its end.
func (s *Surveyor) Stream(ctx context.Context, fd int, take func(p []byte) error) (length int64, err error) {
	room := make([]byte, Piece)
	for {
		if err := ctx.Err(); err != nil {
			return length, err
		}
		n, err := s.Calls.Read(fd, room)
		if err == io.EOF {
			return length, nil
		}
		if err == nil {
			err = take(room[:n])
		}
		if err != nil {
			return length, err
		}
		length += int64(n)
		if s.Progress != nil {
			s.Progress.Read.Add(int64(n))
		}
	}
}

var zeros [32 << 10]byte

// Sparse writes to an open file, and leaves holes where there are only zeros.
func (s *Surveyor) Sparse(fd int, p []byte) error {
	for len(p) > 0 {
		part := p[:min(len(p), len(zeros))]
		p = p[len(part):]
		var err error
		if string(part) == string(zeros[:len(part)]) {
			_, err = s.Calls.Seek(fd, int64(len(part)), io.SeekCurrent)
		} else {
			_, err = s.Calls.Write(fd, part)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// digest returns the digest of a file.
func (s *Surveyor) digest(ctx context.Context, at int, name string) (sum [32]byte, err error) {
	fd, err := s.Calls.OpenFile(at, name)
	if err != nil {
		return sum, err
	}
	defer s.Calls.Close(fd)
	hash := blake3.New()
	_, err = s.Stream(ctx, fd, func(p []byte) error { hash.Write(p); return nil })
	return [32]byte(hash.Sum(nil)), err
}
