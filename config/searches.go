package config

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"

	"github.com/BurntSushi/toml"

	"frankledger/output"
)

// Search is a search that is remembered.
type Search struct {
	Places  []string `toml:"places"`  // full paths
	Where   string   `toml:"where"`   // the condition in its normal form
	Options []string `toml:"options"` // as they were written, without places
}

// SearchesFile returns the path of the file that searches are remembered in.
func SearchesFile() (string, error) {
	dir, err := Folder()
	return filepath.Join(dir, "searches.toml"), err
}

// Searches reads the searches that are remembered, by their names.
func Searches(path string) (map[string]Search, error) {
	searches := map[string]Search{}
	meta, err := toml.DecodeFile(path, &searches)
	if errors.Is(err, fs.ErrNotExist) {
		return searches, nil
	}
	var syntax toml.ParseError
	if errors.As(err, &syntax) {
		return nil, fmt.Errorf("%s, line %d: %s", path, syntax.Position.Line, syntax.Message)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	if unknown := meta.Undecoded(); len(unknown) > 0 {
		return nil, fmt.Errorf("%s: no such key: %s", path, unknown[0])
	}
	return searches, nil
}

// ChangeSearches changes the searches that are remembered, unless that returns an error.
func ChangeSearches(path string, change func(map[string]Search) error) error {
	if err := Private(filepath.Dir(path)); err != nil {
		return err
	}
	return Locked(filepath.Dir(path), func() error {
		searches, err := Searches(path)
		if err != nil {
			return err
		}
		if err := change(searches); err != nil {
			return err
		}
		return saveSearches(path, searches)
	})
}

// saveSearches writes the file anew, whole or not at all.
func saveSearches(path string, searches map[string]Search) error {
	var b bytes.Buffer
	b.WriteString("# Searches that frank remembers. Each can be run again with: frank recall NAME\n\n")
	encoder := toml.NewEncoder(&b)
	encoder.Indent = ""
	if err := encoder.Encode(searches); err != nil {
		return err
	}
	if target, err := filepath.EvalSymlinks(path); err == nil { // a link stays one
		path = target
	}
	d, err := output.ToPrivateFile(path)
	if err != nil {
		return err
	}
	if _, err := d.Write(b.Bytes()); err != nil {
		return errors.Join(err, d.Close(false))
	}
	return d.Close(true)
}
