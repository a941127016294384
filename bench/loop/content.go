package loop

import (
	"crypto/sha256"
	"io/fs"
	"path/filepath"
	"runtime"
	"sync"
	"sync/atomic"

	"golang.org/x/sys/unix"

	"frankledger/bench/gen"
)

// hasher opens, reads, digests and closes one file after another.
type hasher struct{ buffer []byte }

func (h *hasher) file(path string) error {
	if h.buffer == nil {
		h.buffer = make([]byte, 128<<10)
	}
	fd, err := unix.Open(path, unix.O_RDONLY|unix.O_CLOEXEC, 0)
	if err != nil {
		return err
	}
	defer unix.Close(fd)
	sum := sha256.New()
	for {
		n, err := unix.Read(fd, h.buffer)
		if n == 0 || err != nil {
			sum.Sum(nil)
			return err
		}
		sum.Write(h.buffer[:n])
	}
}

// hashAll is the loop over content: it digests every file on one thread.
func hashAll(root string) error {
	var h hasher
	return filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		return h.file(path)
	})
}

// hashCopies is the least that finding copies takes for one who knows them: to
// see every entry, and to digest the files in sets on all cores.
func hashCopies(folder string) error {
	if _, err := entries(folder, true); err != nil {
		return err
	}
	made, err := gen.ReadCopies(folder)
	if err != nil {
		return err
	}
	var next atomic.Int64
	var group sync.WaitGroup
	errs := make([]error, runtime.NumCPU())
	for core := range errs {
		group.Go(func() {
			var h hasher
			for errs[core] == nil {
				i := int(next.Add(1)) - 1
				if i >= len(made.InSets) {
					return
				}
				errs[core] = h.file(made.InSets[i])
			}
		})
	}
	group.Wait()
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}
