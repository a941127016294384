package cli_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// What "you" may do is what the system lets the person do who runs it.
func TestAccessOfWhoRunsIt(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("files of another owner can only be made as root")
	}
	root := tree(t, "theirs", "mine", "shared", "run", "runs-not", "folder/")
	for name, mode := range map[string]os.FileMode{"theirs": 0o600, "mine": 0o600, "shared": 0o664, "run": 0o755, "runs-not": 0o744, "folder": 0o755} {
		require.NoError(t, os.Chmod(filepath.Join(root, name), mode))
	}
	require.NoError(t, os.Chown(filepath.Join(root, "mine"), 48230, 48230))
	require.NoError(t, os.Chown(filepath.Join(root, "shared"), 0, 48230))
	require.NoError(t, os.Symlink("run", filepath.Join(root, "link")))
	find := func(condition string) string {
		cmd := stranger(command(t, root, "search", "--as", "paths", "where", condition))
		r := finish(t, cmd)
		require.Zero(t, r.status, r.err)
		return strings.ReplaceAll(strings.ReplaceAll(r.out, "./", ""), "\n", " ")
	}
	assert.Equal(t, "folder link mine run runs-not shared ", find("readable"))
	assert.Equal(t, "mine shared ", find("writable"))
	assert.Equal(t, "link run ", find("executable"), "folders are entered, not run")
	assert.Equal(t, "mine ", find("owner is me"))
	assert.Equal(t, "mine shared ", find("group is me"))
	assert.Equal(t, "mine ", find("owner is unknown"))
	assert.Equal(t, "mine ", find("owner is 48230"))
	assert.Equal(t, "folder link run runs-not shared theirs ", find("owner is root"))
	card := finish(t, stranger(command(t, root, "inspect", "shared", "theirs", "folder")))
	assert.Contains(t, card.out, "you          may read it, write to it\n")
	assert.Contains(t, card.out, "you          may not do anything with it\n")
	assert.Contains(t, card.out, "you          may list it, enter it\n")
	assert.Contains(t, card.out, "group        48230, without an account here")
	assert.Equal(t, 3, card.status, "the content of theirs could not be looked at")
	assert.Contains(t, card.err, "could not open theirs: permission denied")
	facts := finish(t, stranger(command(t, root, "list", "theirs", "--as", "jsonl", "--columns", "type,mislabelled,sha256,size")))
	assert.Equal(t, "{\"type\":null,\"mislabelled\":null,\"sha256\":null,\"size\":6,\"unknown\":[\"type\",\"mislabelled\",\"sha256\"]}\n", facts.out)
}

// Yesterday is yesterday in the zone of the person, over a change of the clock.
func TestYesterday(t *testing.T) {
	root := tree(t, "before", "first", "last", "after")
	zone, err := time.LoadLocation("Europe/Berlin")
	require.NoError(t, err)
	for name, when := range map[string]string{"before": "2026-10-24 23:59:59", "first": "2026-10-25 00:00:00", "last": "2026-10-25 23:59:59", "after": "2026-10-26 00:00:00"} {
		at, err := time.ParseInLocation("2006-01-02 15:04:05", when, zone)
		require.NoError(t, err)
		require.NoError(t, os.Chtimes(filepath.Join(root, name), at, at))
	}
	find := func(zone, words string) string {
		cmd := command(t, root, append([]string{"search", "--as", "paths", "--order", "modified/reverse", "--as-of", "2026-10-26T08:00", "where"}, strings.Fields(words)...)...)
		cmd.Env = append(cmd.Env, "TZ="+zone)
		return strings.ReplaceAll(strings.ReplaceAll(finish(t, cmd).out, "./", ""), "\n", " ")
	}
	files := " and kind is file"
	assert.Equal(t, "first last ", find("Europe/Berlin", "modified on yesterday"+files))
	assert.Equal(t, "first last ", find("Europe/Berlin", "modified on 2026-10-25"+files))
	assert.Equal(t, "after ", find("Europe/Berlin", "modified after yesterday and modified before 2026-10-27"+files))
	assert.Equal(t, "before ", find("Europe/Berlin", "modified before yesterday"+files))
	assert.Equal(t, "last after ", find("UTC", "modified on yesterday"+files), "elsewhere the day is another")
	assert.Equal(t, "last after ", find("Europe/Berlin", "modified within 24 hours"+files))
}

// Whatever the condition, all formats give the same matches, as many as are
// counted, and in as-found order the same as in any other.
func TestFormatsAgree(t *testing.T) {
	random := rand.New(rand.NewPCG(13, 31))
	var names []string
	for i := range 120 {
		names = append(names, fmt.Sprintf("%s%d/%s-%d.%s", []string{"ridge", ".old", "north hide"}[random.IntN(3)], i%5, []string{"dawn", "dusk", "\xe9t\xe9"}[random.IntN(3)], i, []string{"wav", "csv", "txt"}[random.IntN(3)]))
	}
	root := tree(t, append(names, "void/")...)
	for _, condition := range []string{"name has dawn", "not ext is wav,csv", "size over 20B or hidden", "kind is folder", "name matches '-[0-9]*7\\.' and not name ends txt", "empty"} {
		search := func(args ...string) result {
			r := run(t, root, append(append([]string{"search"}, args...), "where", condition)...)
			require.Zero(t, r.status, r.err)
			return r
		}
		paths := strings.Split(search("--as", "paths0").out, "\x00")
		paths = paths[:len(paths)-1]
		require.NotEmpty(t, paths, condition)
		assert.ElementsMatch(t, paths, strings.Split(strings.TrimSuffix(search("--as", "paths", "--order", "none").out, "\n"), "\n"), condition)
		assert.Equal(t, fmt.Sprintln(len(paths)), search("--count").out)
		assert.Equal(t, len(paths)+1, strings.Count(search("--as", "csv").out, "\r\n"))
		assert.Equal(t, len(paths)+2, strings.Count(search("--as", "markdown", "--quiet").out, "\n"))
		assert.Equal(t, len(paths), strings.Count(search("--quiet", "--columns", "name,kind").out, "\n"))
		var document struct {
			Entries []map[string]any
			Summary struct{ Entries, Shown int }
		}
		require.NoError(t, json.Unmarshal([]byte(search("--as", "json").out), &document))
		require.Len(t, document.Entries, len(paths))
		assert.Equal(t, len(paths), document.Summary.Entries)
		for i, row := range document.Entries {
			assert.Equal(t, paths[i], exact(t, row, "path"))
		}
		funnel := search("--funnel", "--as", "paths0")
		assert.Contains(t, funnel.err, "looked at")
		assert.Equal(t, len(paths), strings.Count(funnel.out, "\x00"))
	}
}

// A card has exact bytes beside what is not UTF-8.
func TestCardOfHostileNames(t *testing.T) {
	root := tree(t, "\xff\x1b[2J")
	require.NoError(t, os.Link(filepath.Join(root, "\xff\x1b[2J"), filepath.Join(root, "\xfe")))
	require.NoError(t, os.Symlink("\xfd\n", filepath.Join(root, "link")))
	r := run(t, root, "inspect", "\xff\x1b[2J", "link", "--siblings", ".", "--as", "json")
	require.Zero(t, r.status, r.err)
	var document struct{ Entries []map[string]any }
	require.NoError(t, json.Unmarshal([]byte(r.out), &document))
	assert.Equal(t, "\xff\x1b[2J", exact(t, document.Entries[0], "name"))
	assert.Equal(t, root+"/\xff\x1b[2J", exact(t, document.Entries[0], "full_path"))
	assert.Equal(t, []any{"Li/+"}, document.Entries[0]["siblings_base64"])
	assert.Equal(t, "\xfd\n", exact(t, document.Entries[1], "target"))
	card := run(t, root, "inspect", "\xff\x1b[2J", "link", "--siblings", ".")
	assert.NotContains(t, card.out, "\x1b")
	assert.Contains(t, card.out, `\xff\x1b[2J`)
	assert.Contains(t, card.out, `also         ./\xfe`)
	assert.Contains(t, card.out, `target       \xfd\n`)
}

// Pipes and devices are looked at and never opened, whatever is asked.
func TestPipesAreNeverOpened(t *testing.T) {
	root := t.TempDir()
	require.NoError(t, unix.Mkfifo(filepath.Join(root, "pipe.wav"), 0o600))
	for _, args := range []string{"search where mislabelled or type has x or sha256 is 00000000 or empty", "list --columns all", "list --columns sha256,md5,type", "inspect pipe.wav --preview 3"} {
		cmd := command(t, root, strings.Fields(args)...)
		timer := time.AfterFunc(20*time.Second, func() { cmd.Process.Kill() }) // where it would wait for ever
		r := finish(t, cmd)
		timer.Stop()
		assert.Zero(t, r.status, "%s: %s", args, r.err)
	}
}
