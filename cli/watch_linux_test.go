package cli_test

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// A disk that gives back other content than was written, and says nothing: that is found by
// reading again, remembered in every answer about the record, and forgotten when accepted.
func TestSilentChange(t *testing.T) {
	image := filepath.Join(t.TempDir(), "image")
	require.NoError(t, os.WriteFile(image, nil, 0o600))
	require.NoError(t, os.Truncate(image, 16<<20))
	if out, err := exec.Command("mkfs.ext4", "-q", "-F", image).CombinedOutput(); err != nil {
		t.Skip("no file system can be made: ", err, string(out))
	}
	on := t.TempDir()
	mount := func() {
		if out, err := exec.Command("mount", "-o", "loop", image, on).CombinedOutput(); err != nil {
			t.Skip("nothing can be mounted: ", err, string(out))
		}
	}
	mount()
	t.Cleanup(func() { unix.Unmount(on, unix.MNT_DETACH) })
	root := filepath.Join(on, "in")
	require.NoError(t, os.Mkdir(root, 0o755))
	for _, name := range []string{"good", "bad"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), bytes.Repeat([]byte("the content of "+name+" "), 500), 0o644))
	}
	ledger := filepath.Join(t.TempDir(), "ledger")
	frank := func(status int, args ...string) string {
		t.Helper()
		r := finish(t, withLedger(t, ledger, root, args...))
		require.Equal(t, status, r.status, "%v %s%s", args, r.out, r.err)
		return r.out + r.err
	}
	frank(0, "record", "--label", "l", "--checksum", "sha256")
	require.NoError(t, unix.Unmount(on, 0))
	raw, err := os.ReadFile(image)
	require.NoError(t, err)
	at := bytes.Index(raw, []byte("the content of bad the"))
	require.Positive(t, at)
	raw[at] ^= 1
	require.NoError(t, os.WriteFile(image, raw, 0o600))
	mount()

	assert.NotContains(t, frank(0, "record", "--label", "l"), "although")
	out := frank(1, "record", "--label", "l", "--recheck", "--share", "100%")
	assert.Contains(t, out, "read again although they look unchanged: 2 files")
	assert.Contains(t, out, "bad changed, although its size and times did not")
	for _, line := range []string{"list @l", "search @l where name has bad", "ledger entries", "history bad", "inspect @l/bad", "weigh @l", "history @l/bad"} {
		assert.Contains(t, frank(0, strings.Fields(line)...), "content changed although size and times did not: bad", line)
	}
	assert.NotContains(t, frank(0, "history", "good"), "without a trace")
	out = frank(1, "verify", "@l")
	assert.Contains(t, out, "different   bad")
	assert.Contains(t, out, "all files were read again within 1 day")
	assert.Contains(t, frank(0, "ledger", "entries"), "@l: all files were read again within 1 day")
	assert.Contains(t, frank(0, "ledger", "accept", "@l/good"), "nothing to accept")
	assert.Contains(t, frank(0, "ledger", "accept", "@l"), "accepted: "+root+"/bad")
	assert.NotContains(t, frank(0, "list", "@l"), "without a trace")
	frank(0, "verify", "@l")
	for line, says := range map[string]string{
		"record --label l --for 5min":             "go with --recheck",
		"record --label l --recheck --for soon":   "a length of time",
		"record --label l --recheck --share 0":    "a part from 0 to 100",
		"record --label l --recheck --share 500%": "a part from 0 to 100",
		"ledger accept":                           "name what to accept",
		"ledger accept @nosuch":                   "nosuch",
	} {
		assert.Contains(t, frank(2, strings.Fields(line)...), says, line)
	}
}
