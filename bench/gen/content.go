package gen

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
)

// What the tree of content holds, a folder each.
const (
	contentMiB  = 8*256 + 1024
	smallFiles  = 100_000
	copiesFiles = 200_000
	copiesShare = 0.3 // of them are copies of another
)

// content builds files to read, in folders named after the cases.
func content(root string) error {
	random := rand.NewChaCha8([32]byte{18, 67})
	for _, kind := range []struct {
		name string
		make func(string, *rand.ChaCha8) error
	}{{"eight", large(8, 256<<20)}, {"one", large(1, 1<<30)}, {"small", small}, {"copies", copies}, {"unlike", unlike}} {
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

func large(count, size int) func(string, *rand.ChaCha8) error {
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

func small(folder string, random *rand.ChaCha8) error {
	content := make([]byte, 4096)
	return inFolders(folder, smallFiles, func(path string, _ int) error {
		random.Read(content)
		return os.WriteFile(path, content, 0o644)
	})
}

// Copies is what is kept beside a tree of files with copies, for the loop over these.
type Copies struct {
	InSets []string // files that have copies, and these
	Bytes  int64    // of them
	Shared int64    // files of a size that another has
}

func (Copies) file(folder string) string { return folder + ".json" }

// copies writes files from 100 B to 10 MB, most of them small, and copies
// of some.
func copies(folder string, source *rand.ChaCha8) error {
	random := rand.New(source)
	originals := int(copiesFiles * (1 - copiesShare))
	paths, sizes, copied := make([]string, copiesFiles), make([]int64, copiesFiles), make([]bool, copiesFiles)
	var made Copies
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

// unlike writes files no two of which have the same size.
func unlike(folder string, _ *rand.ChaCha8) error {
	return inFolders(folder, copiesFiles, func(path string, i int) error {
		if err := os.WriteFile(path, nil, 0o644); err != nil {
			return err
		}
		return os.Truncate(path, int64(i)+1)
	})
}

// ReadCopies reads what is kept beside a tree.
func ReadCopies(folder string) (made Copies, err error) {
	text, err := os.ReadFile(made.file(folder))
	if err != nil {
		return made, err
	}
	return made, json.Unmarshal(text, &made)
}
