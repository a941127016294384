package cli_test

import (
	"encoding/json"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// Zones in the form of POSIX are those of the person; one that nobody knows is said.
func TestTimeZones(t *testing.T) {
	root := tree(t, "a")
	when := time.Date(2026, 7, 1, 23, 30, 0, 0, time.UTC)
	require.NoError(t, os.Chtimes(filepath.Join(root, "a"), when, when))
	for zone, day := range map[string]string{"JST-9": "2026-07-02 08:30", "EST5EDT,M3.2.0,M11.1.0": "2026-07-01 19:30", "<+0530>-5:30": "2026-07-02 05:00", ":Europe/Berlin": "2026-07-02 01:30", "Nowhere/Land": "2026-07-01 23:30"} {
		cmd := command(t, root, "search", "--columns", "name,modified", "--times", "local", "where", "modified", "on", day[:10])
		cmd.Env = append(cmd.Env, "TZ="+zone)
		r := finish(t, cmd)
		assert.Contains(t, r.out, "  a     "+day+"\n", zone)
		assert.Equal(t, zone == "Nowhere/Land", strings.Contains(r.err, "times are in UTC"), r.err)
	}
}

// A signal that is ignored where the program is started stays so, as nohup wants it.
func TestIgnoredSignal(t *testing.T) {
	root := tree(t, "a")
	require.NoError(t, unix.Mkfifo(filepath.Join(root, "list"), 0o600))
	signal.Ignore(syscall.SIGHUP)
	defer signal.Reset(syscall.SIGHUP)
	cmd := command(t, root, "list", "@@list") // waits for who writes it
	require.NoError(t, cmd.Start())
	feed, err := os.OpenFile(filepath.Join(root, "list"), os.O_WRONLY, 0) // when it reads
	require.NoError(t, err)
	require.NoError(t, cmd.Process.Signal(syscall.SIGHUP))
	_, err = feed.WriteString(filepath.Join(root, "a") + "\n")
	require.NoError(t, err)
	require.NoError(t, feed.Close())
	assert.NoError(t, cmd.Wait())
}

// The heaviest files are files, each once, under the name by which it is counted.
func TestHeaviestOfNames(t *testing.T) {
	root := tree(t, "a/x", "b/y", "c/z")
	for name, size := range map[string]int64{"a/x": 5000, "b/y": 4000, "c/z": 3000} {
		require.NoError(t, os.Truncate(filepath.Join(root, name), size))
	}
	for _, name := range []string{"a/1", "a/2", "b/3", "c/4", "c/5", "c/6"} {
		require.NoError(t, os.Link(filepath.Join(root, "a/x"), filepath.Join(root, name)))
	}
	of := func(line string) (paths []string) {
		for _, text := range strings.Split(strings.TrimSpace(run(t, root, strings.Fields(line)...).out), "\n") {
			var row struct {
				Path, Row string
				Share     float64
			}
			require.NoError(t, json.Unmarshal([]byte(text), &row))
			if row.Row == "file" {
				paths = append(paths, strings.TrimPrefix(row.Path, "./"))
				assert.LessOrEqual(t, row.Share, 1.0)
			}
		}
		return paths
	}
	assert.Equal(t, []string{"a/1", "b/y", "c/z"}, of("weigh --heaviest 5 --as jsonl"))
	assert.Equal(t, []string{"a/1", "b/y", "a/1", "b/y", "c/z"}, of("weigh --largest 2 --as jsonl"))
}

// Pieces of names and a condition are one question, and so is a piece that names a file here.
func TestPiecesAndWhere(t *testing.T) {
	root := tree(t, "in/dawn.wav", "in/dawn.txt", "in/dusk.wav", "dawn.wav", "other/dawn.wav")
	found := func(words ...string) string {
		r := run(t, root, append([]string{"search", "--as", "paths", "--order", "path"}, words...)...)
		require.Zero(t, r.status, r.err)
		return strings.Join(strings.Fields(r.out), " ")
	}
	assert.Equal(t, "in/dawn.wav", found("in", "dawn", "where", "ext", "is", "wav"))
	assert.Equal(t, "./in/dusk.wav", found("dusk", "where", "ext", "is", "wav", "or", "ext", "is", "txt"))
	assert.Equal(t, "./dawn.wav ./in/dawn.wav ./other/dawn.wav", found("dawn.wav"))
	assert.Equal(t, "in/dawn.wav", found("in", "dawn.wav"))
	assert.Equal(t, "dawn.wav", found("dawn.wav", "where", "ext", "is", "wav"), "a place, if it is there")
	r := run(t, root, "search", "dwan", "where", "ext", "is", "wav")
	assert.Contains(t, r.out, "where name has dwan and ext is wav\n")
	assert.Contains(t, r.out, "there is no place called dwan here")
}

// What the system makes up as it is read has no size that is known: its content is read to the end
// where that is asked for, and it is never taken for empty or for equal.
func TestMadeContent(t *testing.T) {
	const one, other = "/proc/sys/kernel/ostype", "/proc/sys/kernel/osrelease"
	content, err := os.ReadFile(one)
	require.NoError(t, err)
	root := tree(t, "copy")
	require.NoError(t, os.WriteFile(filepath.Join(root, "copy"), content, 0o644))
	r := run(t, root, "compare", one, other)
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "first differ in byte 1")
	assert.Zero(t, run(t, root, "compare", one, "copy").status)
	r = run(t, root, "duplicates", "/proc/sys/kernel/random")
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.err, "the size of these files is not known")
	assert.Regexp(t, `ostype +\? `, run(t, root, "list", one).out)
	assert.Regexp(t, `and \d+ more, an unknown number of bytes`, run(t, root, "outline", "/proc/sys/kernel/random", "--first", "1").out)
	assert.Regexp(t, `adds +total\n +ostype +\? `, strings.ReplaceAll(run(t, root, "weigh", "/proc/sys/kernel", "--explain", "/proc/sys/kernel", "--match-case", "where", "name", "is", "ostype").out, "  name ", ""))
	ledger := "--ledger=" + filepath.Join(t.TempDir(), "ledger")
	r = run(t, root, "record", "/proc/sys/kernel/random", "--label", "made", "--checksum", "sha256", ledger)
	files := run(t, root, "search", "/proc/sys/kernel/random", "--count", "where", "kind", "is", "file").out
	assert.Contains(t, r.out, "digests by sha256: "+strings.TrimSpace(files)+" files read", r.err)
	r = run(t, root, "search", "@made", ledger, "where", "empty")
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.out, "empty is not in this record")
}

// Whoever cannot be written to is told of, also by what has little to say; and not the ledger.
func TestOutputThatIsLost(t *testing.T) {
	root, ledger := tree(t, "a"), filepath.Join(t.TempDir(), "ledger")
	require.Zero(t, run(t, root, "record", ".", "--label", "l", "--checksum", "sha256", "--ledger", ledger).status)
	for _, line := range []string{"ledger check", "ledger compact", "ledger export", "ledger entries"} {
		full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
		require.NoError(t, err)
		cmd := command(t, root, append(strings.Fields(line), "--ledger", ledger)...)
		cmd.Stdout = full
		r := finish(t, cmd)
		full.Close()
		assert.Equal(t, 4, r.status, line)
		assert.Contains(t, r.err, "frank "+line+": write ")
	}
	assert.Contains(t, run(t, root, "verify", "@l", "--ledger", ledger).out, "1 same")
}
