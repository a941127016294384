package config

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"

	"github.com/BurntSushi/toml"
	"golang.org/x/sys/unix"

	"frankledger/output"
)

// ErrByHand is returned where a file is written so that it is changed by hand.
var ErrByHand = errors.New("frank cannot change it there without losing something; edit the file by hand")

// Set gives a key a default in a file, which is made if there is none. All other lines
// stay as they are. What is wrong in the file otherwise stays wrong, and is an error.
func Set(path, key string, words []string, check func(key, word string) error) error {
	isList, known := Keys[key]
	if !known {
		return errors.New(noKey(key))
	}
	var value any = words
	if !isList {
		if len(words) != 1 {
			return fmt.Errorf("%s takes one word, not %d", key, len(words))
		}
		value = words[0]
	}
	for _, word := range words {
		if err := check(key, word); err != nil {
			return err
		}
	}
	var line bytes.Buffer
	if err := toml.NewEncoder(&line).Encode(map[string]any{"x": value}); err != nil {
		return err
	}
	written := strings.TrimPrefix(strings.TrimSpace(line.String()), "x")
	return change(path, check, func(lines []string) []string {
		table, name, _ := strings.Cut(key, ".")
		at, count := find(strings.Join(lines, "\n"), key)
		if count > 0 {
			before, _, _ := strings.Cut(lines[at], "=")
			return slices.Replace(lines, at, at+count, strings.TrimRight(before, " \t")+written)
		}
		if head := slices.IndexFunc(lines, func(line string) bool { return section(line) == table }); head >= 0 {
			return slices.Insert(lines, head+1, name+written)
		}
		first := slices.IndexFunc(lines, func(line string) bool { return section(line) != "" })
		if first < 0 {
			first = len(lines)
		}
		return slices.Insert(lines, first, key+written)
	}, func(values map[string]Value) {
		v := Value{}
		if isList {
			v.List = words
		} else {
			v.Text = words[0]
		}
		values[key] = v
	})
}

// Unset takes the default of a key out of a file, and reports whether there was one.
func Unset(path, key string, check func(key, word string) error) (was bool, err error) {
	if _, known := Keys[key]; !known {
		return false, errors.New(noKey(key))
	}
	err = change(path, check, func(lines []string) []string {
		at, count := find(strings.Join(lines, "\n"), key)
		was = count > 0
		return slices.Delete(lines, at, at+count)
	}, func(values map[string]Value) { delete(values, key) })
	return was, err
}

// change changes lines of a file, if what it then says is what it said before, but for one
// thing.
func change(path string, check func(key, word string) error, edit func(lines []string) []string, meant func(map[string]Value)) error {
	if path == "" {
		return ErrNoHome
	}
	if err := Private(filepath.Dir(path)); err != nil {
		return err
	}
	return Locked(filepath.Dir(path), func() error {
		if target, err := filepath.EvalSymlinks(path); err == nil {
			path = target // a link stays one
		}
		data, err := os.ReadFile(path)
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		text := strings.TrimSuffix(string(data), "\n")
		var lines []string
		if text != "" {
			lines = strings.Split(text, "\n")
		}
		changed := strings.Join(edit(lines), "\n") + "\n"
		after, err := parse(path, changed, check)
		if err != nil {
			return err
		}
		if before, err := parse(path, string(data), check); err == nil {
			meant(before)
			for _, values := range []map[string]Value{before, after} {
				for key, v := range values {
					v.Line = 0
					values[key] = v
				}
			}
			if !reflect.DeepEqual(before, after) {
				return fmt.Errorf("%s: %w", path, ErrByHand)
			}
		}
		d, err := output.ToFile(path, true)
		if err != nil {
			return err
		}
		if _, err := d.Write([]byte(changed)); err != nil {
			return errors.Join(err, d.Close(false))
		}
		return d.Close(true)
	})
}

// Locked does something while no other of these programs changes files in a folder.
func Locked(folder string, do func() error) error {
	f, err := os.Open(folder)
	if err != nil {
		return err
	}
	defer f.Close()
	for {
		if err := unix.Flock(int(f.Fd()), unix.LOCK_EX); err == nil || !errors.Is(err, unix.EINTR) {
			break // some file systems have no locks
		}
	}
	return do()
}

// section returns the name of the table that a line begins; "" if it begins none.
func section(line string) string {
	name, found := strings.CutPrefix(strings.TrimSpace(line), "[")
	if !found {
		return ""
	}
	name, _, found = strings.Cut(name, "]")
	if !found {
		return ""
	}
	return strings.TrimSpace(name)
}

// find returns the lines that a key stands on with its value, from 0; no lines if it is
// not there.
func find(text, key string) (at, count int) {
	lines, table := strings.Split(text, "\n"), ""
	for i := 0; i < len(lines); i++ {
		if s := section(lines[i]); s != "" {
			if table = s + "."; s == key {
				return i, 0
			}
			continue
		}
		name, _, found := strings.Cut(lines[i], "=")
		if !found || strings.HasPrefix(strings.TrimSpace(name), "#") {
			continue
		}
		end := i + 1
		for end < len(lines) && !complete(lines[i:end]) {
			end++
		}
		name = strings.NewReplacer(`"`, "", "'", "", " ", "", "\t", "").Replace(name)
		if table+name == key {
			return i, end - i
		}
		i = end - 1
	}
	return 0, 0
}

// complete reports whether some lines are a key with all of its value.
func complete(lines []string) bool {
	var value map[string]any
	_, err := toml.Decode(strings.Join(lines, "\n"), &value)
	return err == nil
}
