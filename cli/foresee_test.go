package cli_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A plan says what the person may not do, before anything is done.
func TestPlanForesees(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("only root can run the program as somebody else")
	}
	t.Parallel()
	root := tree(t, "shut/a", "sticky/a", "sticky/mine", "open/a", "open/secret", "closed/", "target/")
	for dir := root; len(dir) > len(os.TempDir()); dir = filepath.Dir(dir) {
		os.Chmod(dir, 0o755)
	}
	for path, mode := range map[string]os.FileMode{"shut": 0o755, "sticky": 0o777 | os.ModeSticky, "open": 0o777, "closed": 0o755, "target": 0o777, "open/secret": 0o600} {
		require.NoError(t, os.Chmod(filepath.Join(root, path), mode))
	}
	require.NoError(t, os.Chown(filepath.Join(root, "sticky/mine"), 48230, 48230))
	home := t.TempDir()
	require.NoError(t, os.Chmod(filepath.Dir(home), 0o755))
	require.NoError(t, os.Chown(home, 48230, 48230))
	for _, c := range []struct {
		line []string
		says string // "": nothing is refused
	}{
		{[]string{"hide", "shut/a"}, "you may not take it out of the folder it is in"}, {[]string{"hide", "sticky/a"}, "only its owner may take it out of this folder"},
		{[]string{"hide", "sticky/mine"}, ""}, {[]string{"hide", "open/a"}, ""}, {[]string{"rename", "b", "shut/a"}, "you may not take it out"},
		{[]string{"move", "open/a", "--into", "closed"}, "you may not put anything into that folder"}, {[]string{"move", "open/a", "--into", "closed/new/deep"}, "you may not put anything into that folder"},
		{[]string{"move", "open/a", "--into", "target"}, ""}, {[]string{"copy", "open/a", "--into", "closed"}, "you may not put anything into that folder"},
		{[]string{"copy", "open/secret", "--into", "target"}, "you may not read it"}, {[]string{"copy", "shut/a", "--into", "target"}, ""},
		{[]string{"stamp", "open/a", "--modified", "2026-01-01"}, "it belongs to someone else; only its owner may change that"}, {[]string{"permit", "0600", "open/a"}, "it belongs to someone else"},
		{[]string{"permit", "0600", "sticky/mine"}, ""}, {[]string{"remove", "sticky/a", "--for-good"}, "only its owner may take it out"},
	} {
		cmd := command(t, root, append([]string{"act"}, c.line...)...)
		cmd.Env = append(cmd.Env, "HOME="+home)
		r := finish(t, stranger(cmd))
		if c.says == "" {
			assert.Zero(t, r.status, "%s: %s%s", c.line, r.out, r.err)
			assert.NotContains(t, r.out, "refused", c.line)
			continue
		}
		assert.Contains(t, r.out, "refused: "+c.says, c.line)
	}
}
