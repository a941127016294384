// Package config reads the file in which a person keeps their defaults.
package config

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/BurntSushi/toml"

	"frankledger/core/similar"
)

// Config holds the defaults of options by the options' names. A key that the
// file does not have is not in Values.
type Config struct {
	Path   string // of the file, whether it is there or not
	Values map[string]Value
}

// Value is a default and where it comes from.
type Value struct {
	Text string   // one word, or
	List []string // several
	Line int      // in the file, from 1
}

// Keys are the options that can have a default, and whether each takes a list.
var Keys = map[string]bool{"units": false, "times": false, "order": false, "hidden": false, "colour": false, "skip": true}

// File returns the path of the file: in the XDG folder for configuration; empty if
// there is no such folder.
func File() string {
	dir, err := Folder()
	if err != nil {
		return ""
	}
	return filepath.Join(dir, "config.toml")
}

// Load reads a file. One that is not there has no defaults in it. The check is
// called with each key and word and says what is wrong with it. Errors name
// the file, the line and the key.
func Load(path string, check func(key, word string) error) (*Config, error) {
	c := &Config{Path: path, Values: map[string]Value{}}
	if path == "" {
		return c, nil
	}
	data, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return c, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read the configuration: %w", err)
	}
	var raw map[string]any
	meta, err := toml.Decode(string(data), &raw)
	var syntax toml.ParseError
	if errors.As(err, &syntax) {
		key := ""
		if syntax.LastKey != "" {
			key = ", at " + syntax.LastKey
		}
		return nil, fmt.Errorf("%s, line %d%s: %s", path, syntax.Position.Line, key, syntax.Message)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	for _, k := range meta.Keys() {
		key := k.String()
		line := lineOf(string(data), key)
		wrong := func(format string, args ...any) error {
			return fmt.Errorf("%s, line %d, %s: %s", path, line, key, fmt.Sprintf(format, args...))
		}
		isList, known := Keys[key]
		if !known {
			if near := similar.Nearest(key, keyNames()); near != "" {
				return nil, wrong("no such key; did you mean %s?", near)
			}
			return nil, wrong("no such key; there are %s", strings.Join(keyNames(), ", "))
		}
		value := Value{Line: line}
		switch v := raw[key].(type) {
		case string:
			if isList {
				return nil, wrong("a list in brackets is wanted, such as [%q]", v)
			}
			value.Text = v
			if err := check(key, v); err != nil {
				return nil, wrong("%s", err)
			}
		case []any:
			if !isList {
				return nil, wrong("one word in quotes is wanted, not a list")
			}
			for _, item := range v {
				text, ok := item.(string)
				if !ok {
					return nil, wrong("the list may hold only text in quotes, not %v", item)
				}
				if err := check(key, text); err != nil {
					return nil, wrong("%s", err)
				}
				value.List = append(value.List, text)
			}
		default:
			return nil, wrong("text in quotes is wanted, not %v", v)
		}
		c.Values[key] = value
	}
	return c, nil
}

func keyNames() []string {
	var names []string
	for name := range Keys {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// lineOf returns the line that a key stands on; the parser does not tell.
func lineOf(text, key string) int {
	for i, line := range strings.Split(text, "\n") {
		name, _, found := strings.Cut(line, "=")
		if found && strings.Trim(strings.TrimSpace(name), `"'`) == key {
			return i + 1
		}
	}
	return 1
}
