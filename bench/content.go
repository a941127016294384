package main

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io/fs"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"sync"
	"sync/atomic"

	"golang.org/x/sys/unix"
)

// What the tree of content holds, a folder each.
const (
	contentMiB  = 8*256 + 1024
	smallFiles  = 100_000
	copiesFiles = 200_000
	copiesShare = 0.3 // of them are copies of another
)

// makeContent builds files to read, in folders named after the cases.
func makeContent(root string) error {
	random := rand.NewChaCha8([32]byte{18, 67})
	for _, kind := range []struct {
		name string
		make func(string, *rand.ChaCha8) error
	}{{"eight", makeLarge(8, 256<<20)}, {"one", makeLarge(1, 1<<30)}, {"small", makeSmall}, {"copies", makeCopies}, {"unlike", makeUnlike}} {
		folder := filepath.Join(root, kind.name)
		if err := os.Mkdir(folder, 0o755); err != nil {
			return err
		}
		if err := kind.make(folder, random); err != nil {
			return err
		}
	}
	return nil
}

func makeLarge(count, size int) func(string, *rand.ChaCha8) error {
	return func(folder string, random *rand.ChaCha8) error {
		piece := make([]byte, 1<<20)
		for i := range count {
			file, err := os.Create(filepath.Join(folder, fmt.Sprintf("card-%d.img", i)))
			if err != nil {
				return err
			}
			for range size / len(piece) {
				random.Read(piece)
				if _, err := file.Write(piece); err != nil {
					file.Close()
					return err
				}
			}
			if err := file.Close(); err != nil {
				return err
			}
		}
		return nil
	}
}

// inFolders writes files, a thousand in a folder.
func inFolders(folder string, count int, write func(path string, i int) error) error {
	for i := range count {
		below := filepath.Join(folder, fmt.Sprintf("site-%d", i/1000))
		if i%1000 == 0 {
			if err := os.Mkdir(below, 0o755); err != nil {
				return err
			}
		}
		if err := write(filepath.Join(below, fmt.Sprintf("rec%06d.wav", i)), i); err != nil {
			return err
		}
	}
	return nil
}

func makeSmall(folder string, random *rand.ChaCha8) error {
	content := make([]byte, 4096)
	return inFolders(folder, smallFiles, func(path string, _ int) error {
		random.Read(content)
		return os.WriteFile(path, content, 0o644)
	})
}

// copiesMade is what makeCopies keeps beside its tree.
type copiesMade struct {
	InSets []string // files that have copies, and these
	Bytes  int64    // of them
	Shared int64    // files of a size that another has
}

func (copiesMade) file(folder string) string { return folder + ".json" }

// makeCopies writes files from 100 B to 10 MB, most of them small, and copies
// of some.
func makeCopies(folder string, source *rand.ChaCha8) error {
	random := rand.New(source)
	originals := int(copiesFiles * (1 - copiesShare))
	paths, sizes, copied := make([]string, copiesFiles), make([]int64, copiesFiles), make([]bool, copiesFiles)
	var made copiesMade
	bySize := map[int64]int64{}
	between := func(least, most float64) int64 {
		return int64(least * math.Pow(most/least, random.Float64()))
	}
	err := inFolders(folder, copiesFiles, func(path string, i int) error {
		paths[i] = path
		if i < originals {
			switch n := random.IntN(1000); {
			case n < 970:
				sizes[i] = between(100, 16e3)
			case n < 999:
				sizes[i] = between(16e3, 256e3)
			default:
				sizes[i] = between(256e3, 10e6)
			}
			content := make([]byte, sizes[i])
			source.Read(content)
			bySize[sizes[i]]++
			return os.WriteFile(path, content, 0o644)
		}
		of := random.IntN(originals)
		content, err := os.ReadFile(paths[of])
		if err != nil {
			return err
		}
		if !copied[of] {
			copied[of] = true
			made.InSets, made.Bytes = append(made.InSets, paths[of]), made.Bytes+sizes[of]
		}
		made.InSets, made.Bytes = append(made.InSets, path), made.Bytes+sizes[of]
		bySize[sizes[of]]++
		return os.WriteFile(path, content, 0o644)
	})
	if err != nil {
		return err
	}
	for _, count := range bySize {
		if count > 1 {
			made.Shared += count
		}
	}
	text, err := json.Marshal(made)
	if err != nil {
		return err
	}
	return os.WriteFile(made.file(folder), text, 0o644)
}

// makeUnlike writes files no two of which have the same size.
func makeUnlike(folder string, _ *rand.ChaCha8) error {
	return inFolders(folder, copiesFiles, func(path string, i int) error {
		if err := os.WriteFile(path, nil, 0o644); err != nil {
			return err
		}
		return os.Truncate(path, int64(i)+1)
	})
}

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
	if _, err := loop(folder, true); err != nil {
		return err
	}
	made, err := readMade(folder)
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

func readMade(folder string) (made copiesMade, err error) {
	text, err := os.ReadFile(made.file(folder))
	if err != nil {
		return made, err
	}
	return made, json.Unmarshal(text, &made)
}

// printReads tells how much content a program read.
func (c benchCase) printReads(program []string, folder string) error {
	out, err := exec.Command(program[0], program[1:]...).Output()
	if err != nil {
		return err
	}
	var answer struct {
		Summary struct {
			BytesRead int64 `json:"bytes_read"`
			Sets      int
		}
	}
	if err := json.Unmarshal(out, &answer); err != nil {
		return err
	}
	read := float64(answer.Summary.BytesRead)
	if c.reads == 0 {
		fmt.Printf("%-24s read %.0f bytes, found %d sets\n", "", read, answer.Summary.Sets)
		return nil
	}
	made, err := readMade(folder)
	if err != nil {
		return err
	}
	fmt.Printf("%-24s read %.1f MiB of %s %.1f MiB: the files in sets %.1f MiB by %.2f, and 16 KiB for each of %d files\n", "",
		read/(1<<20), "at most", (c.reads*float64(made.Bytes)+16384*float64(made.Shared))/(1<<20), float64(made.Bytes)/(1<<20), c.reads, made.Shared)
	return nil
}
