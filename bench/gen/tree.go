package gen

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"time"
)

// tree builds a tree of about that many entries under root: folders of 5
// to 60 entries each, one folder in about every 23 entries. It is the same for
// the same number.
func tree(root string, entries int) (files, folders int, err error) {
	random := rand.New(rand.NewPCG(7, 11))
	extensions := []string{".wav", ".csv", ".txt", ".json", ".png", ".md", ".log"}
	now := time.Now()
	open := []string{root}
	for files+folders < entries {
		// Mostly go on below a recent folder, so that the tree is deep as well
		// as wide.
		pick := len(open) - 1 - random.IntN(min(len(open), 2000))
		folder := open[pick]
		open[pick] = open[len(open)-1]
		open = open[:len(open)-1]
		for range 5 + random.IntN(56) {
			if files+folders >= entries {
				break
			}
			if random.IntN(23) == 0 || len(open) == 0 {
				name := filepath.Join(folder, fmt.Sprintf("site-%d", folders))
				if err := os.Mkdir(name, 0o755); err != nil {
					return files, folders, err
				}
				open = append(open, name)
				folders++
				continue
			}
			name := filepath.Join(folder, "rec"+fmt.Sprintf("%06d", files)+"-"+strconv.Itoa(random.IntN(100))+extensions[random.IntN(len(extensions))])
			file, err := os.OpenFile(name, os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o644)
			if err != nil {
				return files, folders, err
			}
			// Sparse, so that the tree takes little space: size without blocks.
			if err := file.Truncate(int64(random.IntN(20000))); err != nil {
				file.Close()
				return files, folders, err
			}
			file.Close()
			// Altered at some time in the last three years.
			when := now.Add(-time.Duration(random.IntN(3*365*24)) * time.Hour)
			if err := os.Chtimes(name, when, when); err != nil {
				return files, folders, err
			}
			files++
		}
	}
	return files, folders, nil
}

// flat builds one folder of that many files.
func flat(root string, entries int) error {
	for i := range entries {
		file, err := os.Create(filepath.Join(root, fmt.Sprintf("rec%06d-%d.wav", i, i%100)))
		if err != nil {
			return err
		}
		if err := file.Truncate(int64(i % 20000)); err != nil {
			file.Close()
			return err
		}
		file.Close()
	}
	return nil
}

// chain builds that many folders, one in the other, far past the longest
// path that the system takes in one call.
func chain(root string, levels int) error {
	return nested(root, "nested", levels, func(*os.Root, int) error { return nil })
}

// deep builds two equal chains of that many folders, with a file in each folder. No two files of a
// chain are the same.
func deep(root string, levels int) error {
	for _, name := range []string{"one", "two"} {
		at := filepath.Join(root, name)
		if err := os.Mkdir(at, 0o755); err != nil {
			return err
		}
		if err := nested(at, "d", levels, func(in *os.Root, i int) error {
			return in.WriteFile("f", fmt.Appendf(nil, "%08d", i), 0o644)
		}); err != nil {
			return err
		}
	}
	return nil
}

// nested makes folders of one name in one another, and fills each.
func nested(root, name string, levels int, fill func(in *os.Root, level int) error) error {
	at, err := os.OpenRoot(root)
	if err != nil {
		return err
	}
	for i := range levels {
		err := at.Mkdir(name, 0o755)
		if err == nil {
			var below *os.Root
			if below, err = at.OpenRoot(name); err == nil {
				at.Close()
				at = below
				err = fill(at, i)
			}
		}
		if err != nil {
			at.Close()
			return err
		}
	}
	return at.Close()
}
