package gen

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// growingKinds are what growing makes, by name. Each makes the entry of a number in a folder.
var growingKinds = map[string]struct {
	folders []string // made before
	entry   func(root, name string, i int) error
}{
	"names": {entry: func(root, name string, i int) error {
		first := filepath.Join(root, "first")
		if i == 0 {
			if err := os.WriteFile(first, []byte("the same"), 0o644); err != nil {
				return err
			}
		}
		return os.Link(first, filepath.Join(root, name))
	}},
	"alike": {entry: func(root, name string, i int) error {
		return write(fmt.Sprintf("%020d", i), root, name)
	}},
	"links": {[]string{"links", "folders"}, func(root, name string, _ int) error {
		if err := os.Mkdir(filepath.Join(root, "folders", name), 0o755); err != nil {
			return err
		}
		return os.Symlink("../folders/"+name, filepath.Join(root, "links", name))
	}},
	"moved": {[]string{"before", "after"}, func(root, name string, _ int) error {
		if err := write("the same", root, "before", name); err != nil {
			return err
		}
		return write("the same", root, "after", "now-"+name)
	}},
	"empties": {entry: func(root, name string, _ int) error {
		return write("", root, name)
	}},
	"extensions": {entry: func(root, name string, i int) error {
		return write("", root, name+".x"+strconv.Itoa(i))
	}},
	"folders": {entry: func(root, name string, _ int) error {
		return os.Mkdir(filepath.Join(root, name), 0o755)
	}},
	// Each file is in three folders.
	"sharing": {entry: func(root, name string, i int) error {
		if err := os.Mkdir(filepath.Join(root, name), 0o755); err != nil {
			return err
		}
		for k := range 3 {
			if err := write(fmt.Sprintf("%08d", i+k), root, name, fmt.Sprint(k)); err != nil {
				return err
			}
		}
		return nil
	}},
	"owners": {entry: func(root, name string, i int) error {
		if err := write("", root, name); err != nil {
			return err
		}
		return os.Lchown(filepath.Join(root, name), 100_000+i, 100_000+i)
	}},
	"prefixed": {entry: func(root, name string, i int) error {
		return write("", root, strings.Repeat("recording-", 8)+strconv.Itoa(i*7919%1_000_003))
	}},
	// A list of digests of files that are not there.
	"listing": {entry: func(root, name string, i int) error {
		const lines = 10_000 // at a time
		if i%lines > 0 {
			return nil
		}
		list, err := os.OpenFile(filepath.Join(root, "listing.sha256"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
		if err != nil {
			return err
		}
		defer list.Close()
		var text []byte
		for k := range lines {
			text = fmt.Appendf(text, "%064x  folder-%d/entry-%07d\n", i+k, (i+k)/1000, i+k)
		}
		_, err = list.Write(text)
		return err
	}},
	"beyond": {entry: func(root, name string, i int) error {
		return write("", root, "Überfahrt-Ærø-"+strconv.Itoa(i*7919%1_000_003))
	}},
}

func write(content string, path ...string) error {
	return os.WriteFile(filepath.Join(path...), []byte(content), 0o644)
}

// growing makes so many files, or folders, in one folder.
func growing(what, root string, count int) error {
	kind := growingKinds[what]
	for _, folder := range kind.folders {
		if err := os.Mkdir(filepath.Join(root, folder), 0o755); err != nil {
			return err
		}
	}
	for i := range count {
		if err := kind.entry(root, fmt.Sprintf("entry-%07d", i), i); err != nil {
			return err
		}
	}
	return nil
}
