package cli_test

import (
	"os"
	"path/filepath"
	"strings"
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
	assert.Equal(t, "./skip\n./go\n./b\n./a\n./.c\n./go/y\n", strings.Replace(r.out, "./go/y\n", "", 1)+"./go/y\n")
	r = configured(t, root, text, "list", "--as", "paths", "--order", "name", "--hidden", "omit")
	assert.Equal(t, "./a\n./b\n./go\n./skip\n", r.out, "an option goes before the file")
	r = configured(t, root, text, "config")
	assert.Regexp(t, `units +bytes +line 2 `, r.out)
	assert.Regexp(t, `skip +skip +line 5 `, r.out)
	assert.Regexp(t, `times +relative +built in `, r.out)
	assert.Contains(t, r.out, "config.toml\n")
	assert.Contains(t, run(t, root, "config").out, "(not there)")
}

func TestConfigErrors(t *testing.T) {
	for text, says := range map[string]string{
		"units = \"stone\"":           `line 1, units: units can be binary, decimal or bytes, not "stone"`,
		"\n\norder = \"sise\"":        `line 3, order: no such field: "sise"; did you mean size?`,
		"unit = \"binary\"":           "line 1, unit: no such key; did you mean units?",
		"colour = [\"never\"]":        "line 1, colour: one word in quotes is wanted",
		"skip = \"x\"":                `line 1, skip: a list in brackets is wanted, such as ["x"]`,
		"skip = [3]":                  "may hold only text",
		"hidden = 3":                  "line 1, hidden: text in quotes is wanted, not 3",
		"times = \"utc\"\nunits = by": "line 2",
		"[units]\nx = 1":              "units: text in quotes is wanted",
	} {
		r := configured(t, t.TempDir(), text, "list")
		assert.Equal(t, 2, r.status, text)
		assert.Contains(t, r.err, says, text)
		assert.Contains(t, r.err, "config.toml, line")
	}
}
