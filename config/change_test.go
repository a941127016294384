package config_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/config"
)

func anything(key, word string) error {
	if word == "wrong" {
		return fmt.Errorf("%s cannot be wrong", key)
	}
	return nil
}

// A default is changed without touching anything else that a person wrote in the file.
func TestChange(t *testing.T) {
	for _, c := range []struct{ before, change, after string }{
		{"", "units bytes", "units = \"bytes\"\n"},
		{"# mine\nunits = \"binary\" # for now\ntimes = 'utc'\n", "times local", "# mine\nunits = \"binary\" # for now\ntimes = \"local\"\n"},
		{"units   = \"binary\"", "units bytes", "units = \"bytes\"\n"},
		{"skip = [\n  \"a\", # one\n  \"b\",\n]\nunits = \"bytes\"\n", "skip c d", "skip = [\"c\", \"d\"]\nunits = \"bytes\"\n"},
		{"skip = [\n  \"a\",\n  \"units = x\",\n]\nunits = \"bytes\"\n", "units", "skip = [\n  \"a\",\n  \"units = x\",\n]\n"},
		{"[columns]\nlist = \"name\"\n", "units bytes", "units = \"bytes\"\n[columns]\nlist = \"name\"\n"},
		{"[columns]\nlist = \"name\"\n", "columns.list name,size", "[columns]\nlist = \"name,size\"\n"},
		{"[columns]\nlist = \"name\"\n", "columns.search name", "[columns]\nsearch = \"name\"\nlist = \"name\"\n"},
		{"units = \"bytes\"\n", "columns.search name", "units = \"bytes\"\ncolumns.search = \"name\"\n"},
		{"# units = \"bytes\"\n", "units decimal", "# units = \"bytes\"\nunits = \"decimal\"\n"},
		{"\"units\" = \"bytes\"\n", "units decimal", "\"units\" = \"decimal\"\n"},
		{"units = \"wrong\"\n", "units bytes", "units = \"bytes\"\n"}, // which was asked for
		{"units = \"bytes\"\nhidden = \"show\"\n", "units", "hidden = \"show\"\n"},
		{"hidden = \"show\"\n", "units", "hidden = \"show\"\n"},
		// What cannot be done so is not done.
		{"columns = {list = \"name\"}\n", "columns.list size", "!"},
		{"units = \"by", "times utc", "!"},
		{"units = \"wrong\"\n", "times utc", "!"},
		{"nosuch = \"x\"\n", "times utc", "!"},
		{"", "times wrong", "!"},
		{"", "tims utc", "!"},
		{"", "times utc local", "!"},
	} {
		path := filepath.Join(t.TempDir(), "own", "config.toml")
		require.NoError(t, os.Mkdir(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(c.before), 0o640))
		words := strings.Fields(c.change)
		var err error
		if len(words) > 1 {
			err = config.Set(path, words[0], words[1:], anything)
		} else {
			_, err = config.Unset(path, words[0], anything)
		}
		after, readErr := os.ReadFile(path)
		require.NoError(t, readErr)
		if c.after == "!" {
			assert.Error(t, err, c.before)
			assert.Equal(t, c.before, string(after))
			continue
		}
		require.NoError(t, err, c.before)
		assert.Equal(t, c.after, string(after), c.change)
		info, err := os.Stat(path)
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o640), info.Mode())
	}
}

// Several at once lose nothing, and a link to the file stays one.
func TestChangesAtOnce(t *testing.T) {
	dir := t.TempDir()
	own, path := filepath.Join(dir, "real.toml"), filepath.Join(dir, "config.toml")
	require.NoError(t, os.WriteFile(own, nil, 0o600))
	require.NoError(t, os.Symlink("real.toml", path))
	var group sync.WaitGroup
	for _, key := range config.KeyNames() {
		group.Go(func() { assert.NoError(t, config.Set(path, key, []string{"x"}, anything)) })
	}
	group.Wait()
	c, err := config.Load(path, anything)
	require.NoError(t, err)
	assert.Len(t, c.Values, len(config.Keys))
	target, err := os.Readlink(path)
	require.NoError(t, err)
	assert.Equal(t, "real.toml", target)
	list, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, list, 2)
}
