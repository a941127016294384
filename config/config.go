// Package config reads the file in which a person keeps their defaults.
package config

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/BurntSushi/toml"

	"frankledger/core/text"
)

// Config holds the defaults of options by the options' names. A key that the
// file does not have is not in Values.
type Config struct {
	Path   string // of the file, whether it is there or not
	Values map[string]Value
}

// Text returns the default of a key that is one word; "" if it has none.
func (c *Config) Text(key string) string {
	if c == nil {
		return ""
	}
	return c.Values[key].Text
}

// Value is a default and where it comes from.
type Value struct {
	Text string   // one word, or
	List []string // several
	Line int      // in the file, from 1
}

// Keys are what can have a default, and whether each takes a list. A dot parts the name
// of a table of TOML from a key in it.
var Keys = map[string]bool{"units": false, "times": false, "order": false, "hidden": false, "colour": false, "skip": true,
	"columns.list": false, "columns.search": false, "ledger": false, "pager": false, "journals": false}

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
	c.Values, err = parse(path, string(data), check)
	if err != nil {
		return nil, err
	}
	return c, nil
}

// parse reads the text of a file.
func parse(path, text string, check func(key, word string) error) (map[string]Value, error) {
	values := map[string]Value{}
	var raw map[string]any
	meta, err := toml.Decode(text, &raw)
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
		at, _ := find(text, key)
		line := at + 1
		wrong := func(format string, args ...any) error {
			return fmt.Errorf("%s, line %d, %s: %s", path, line, key, fmt.Sprintf(format, args...))
		}
		held := lookUp(raw, k)
		if _, is := held.(map[string]any); is && slices.ContainsFunc(KeyNames(), func(name string) bool { return strings.HasPrefix(name, key+".") }) {
			continue // its keys come by themselves
		}
		isList, known := Keys[key]
		if !known {
			return nil, wrong("%s", noKey(key))
		}
		value := Value{Line: line}
		switch v := held.(type) {
		case string:
			if isList {
				return nil, wrong("this should be a list in brackets, such as [%q]", v)
			}
			value.Text = v
			if err := check(key, v); err != nil {
				return nil, wrong("%s", err)
			}
		case []any:
			if !isList {
				return nil, wrong("this should be one word in quotes, not a list")
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
			return nil, wrong("this should be text in quotes, not %v", v)
		}
		values[key] = value
	}
	return values, nil
}

// lookUp returns what a key has, in tables within tables.
func lookUp(raw map[string]any, key toml.Key) any {
	var held any = raw
	for _, name := range key {
		table, _ := held.(map[string]any)
		held = table[name]
	}
	return held
}

// noKey says that there is no such key.
func noKey(key string) string {
	if near := text.Nearest(key, KeyNames()); near != "" {
		return "no such key; did you mean " + near + "?"
	}
	return "no such key; there are " + strings.Join(KeyNames(), ", ")
}

// KeyNames lists the keys.
func KeyNames() []string { return slices.Sorted(maps.Keys(Keys)) }
