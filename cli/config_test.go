package cli_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// configured runs the program with a configuration file of that text.
func configured(t *testing.T, dir, text string, args ...string) result {
	home := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(home, "frank-ledger"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(home, "frank-ledger/config.toml"), []byte(text), 0o644))
	cmd := command(t, dir, args...)
	cmd.Env = append(cmd.Env, "XDG_CONFIG_HOME="+home)
	return finish(t, cmd)
}

func TestConfig(t *testing.T) {
	root := tree(t, "a", "b", ".c", "skip/x", "go/y")
	text := "# mine\nunits = \"bytes\"\norder = \"name/reverse\"\nhidden = \"show\"\nskip = [\"skip\"]\n"
	r := configured(t, root, text, "list", "--as", "paths", "--depth", "all")
	assert.Equal(t, "./go/y\n./skip\n./go\n./b\n./a\n./.c\n", r.out)
	r = configured(t, root, text, "list", "--as", "paths", "--order", "name", "--hidden", "omit")
	assert.Equal(t, "./a\n./b\n./go\n./skip\n", r.out, "an option goes before the file")
	r = configured(t, root, text, "config")
	assert.Regexp(t, `units +bytes +line 2 `, r.out)
	assert.Regexp(t, `skip +skip +line 5 `, r.out)
	assert.Regexp(t, `times +relative +built in `, r.out)
	assert.Contains(t, r.out, "config.toml\n")
	assert.Contains(t, run(t, root, "config").out, "(not there)")
}

// Defaults are set and unset by a command, and obeyed.
func TestConfigSet(t *testing.T) {
	root, home := tree(t, "a", "b/c"), t.TempDir()
	do := func(line string) result {
		cmd := command(t, root, words(t, line)...)
		cmd.Env = append(cmd.Env, "XDG_CONFIG_HOME="+home, "FRANK_LEDGER=", "HOME="+home)
		return finish(t, cmd)
	}
	assert.Contains(t, do("config set columns.list name,size,mode").out, "columns.list is name,size,mode now, in "+home)
	assert.Contains(t, do("list").out, "\n  name  size  mode\n")
	assert.Contains(t, do("list --columns owner").out, "\n  root\n")
	assert.NotContains(t, do("list --as csv").out, "mode", "what programs read stays as it is")
	assert.Zero(t, do("config set columns.search name,size").status)
	assert.Contains(t, do("search c").out, "\n  name  size\n")
	assert.Zero(t, do("config set ledger ~/mine.sqlite").status)
	assert.Zero(t, do("record b --label b").status)
	assert.FileExists(t, filepath.Join(home, "mine.sqlite"))
	assert.Zero(t, do("config set skip b 'with space'").status)
	assert.Equal(t, "./a\n./b\n", do("list -d all --as paths").out)
	cmd := command(t, root, "list", "--page", "always")
	cmd.Env = append(cmd.Env, "XDG_CONFIG_HOME="+home, "PAGER=false")
	assert.Zero(t, do("config set pager 'head -n 1'").status)
	assert.Equal(t, root+"\n", colour.ReplaceAllString(onTerminal(t, cmd, 80, 24), ""))
	assert.Contains(t, do("config unset skip").out, "built-in")
	assert.Contains(t, do("config unset skip").out, "was not set")
	assert.Contains(t, do("list -d all --as paths").out, "./b/c\n")
	assert.Contains(t, do("config set unit bytes").err, "\nfrank config set units bytes\n")
	assert.Contains(t, do("config set units stone").err, "not \"stone\"")

	// A broken file is told by every command, and stays as it is.
	file := filepath.Join(home, "frank-ledger/config.toml")
	require.NoError(t, os.WriteFile(file, []byte("units = \"bytes\"\nhidden = 3\n"), 0o644))
	for _, line := range []string{"list", "search a", "weigh", "tally --by ext", "outline", "inspect a", "checksum", "duplicates", "compare a b", "record --label x", "history a", "ledger entries", "ledger check", "act journal", "config set units decimal"} {
		r := do(line)
		assert.Equal(t, 2, r.status, "%s: %s", line, r.out)
		assert.Contains(t, r.err, "config.toml, line 2, hidden: this should be text in quotes", line)
	}
	r := do("config")
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.out, "not used")
	assert.Contains(t, r.err, "line 2, hidden")
	assert.Zero(t, do("config set hidden omit").status, "which was asked for")
	assert.Zero(t, do("list").status)
}

func TestConfigErrors(t *testing.T) {
	for text, says := range map[string]string{
		"units = \"stone\"":           `line 1, units: units can be binary, decimal, bytes, kB, MB, GB, TB, PB, EB, KiB, MiB, GiB, TiB, PiB or EiB, not "stone"`,
		"\n\norder = \"sise\"":        `line 3, order: no such field: "sise"; did you mean size?`,
		"unit = \"binary\"":           "line 1, unit: no such key; did you mean units?",
		"colour = [\"never\"]":        "line 1, colour: this should be one word in quotes",
		"skip = \"x\"":                `line 1, skip: this should be a list in brackets, such as ["x"]`,
		"skip = [3]":                  "may hold only text",
		"hidden = 3":                  "line 1, hidden: this should be text in quotes, not 3",
		"times = \"utc\"\nunits = by": "line 2",
		"[units]\nx = 1":              "units: this should be text in quotes",
	} {
		r := configured(t, t.TempDir(), text, "list")
		assert.Equal(t, 2, r.status, text)
		assert.Contains(t, r.err, says, text)
		assert.Contains(t, r.err, "config.toml, line")
	}
}
