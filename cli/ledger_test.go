package cli_test

import (
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// withLedger prepares a run with a ledger of its own.
func withLedger(t *testing.T, file, dir string, args ...string) *exec.Cmd {
	cmd := command(t, dir, args...)
	cmd.Env = append(cmd.Env, "FRANK_LEDGER="+file)
	return cmd
}

// The week-later job: what was there, what is there now.
func TestRecordAndComeBack(t *testing.T) {
	root, file := ternPoint(t), filepath.Join(t.TempDir(), "new", "ledger.sqlite")
	frank := func(status int, line ...string) result {
		r := finish(t, withLedger(t, file, root, line...))
		require.Equal(t, status, r.status, "%s %s", line, r.err)
		return r
	}
	assert.Contains(t, frank(2, "list", "@weekly").err, "there is no ledger yet")
	assert.Contains(t, frank(0, "record", ".", "--label", "weekly").out, "recorded as @weekly, number 1: 407 entries · 4.1 GiB in the files\nthe first record of this place\n")
	require.NoError(t, os.Remove(filepath.Join(root, "notes/rota.md")))
	require.NoError(t, os.WriteFile(filepath.Join(root, "notes/new.md"), []byte("new"), 0o644))
	assert.Contains(t, frank(0, "record", ".", "--label", "weekly", "--note", "later").out, "since the record before: 1 added, 1 removed\n")
	assert.Contains(t, frank(0, "record", ".", "--label", "weekly").out, "nothing has changed since the record before")
	assert.Contains(t, frank(2, "record", ".", "--label", "weekly", "--quick", "--recheck").err, "it cannot be combined with --recheck, --hidden or a condition")

	// Places in a record are places like any other.
	assert.Equal(t, "@weekly:2/notes/rota.md\n", frank(0, "search", "@weekly:2", "--as", "paths", "where", "name", "is", "rota.md").out)
	assert.Equal(t, "0\n", frank(0, "search", "@weekly", "--count", "where", "name", "is", "rota.md").out)
	now, then := frank(0, "list", "notes", "--hidden", "show", "--as", "csv", "--columns", "name,size,mode,modified,inode,owner,target,created").out,
		frank(0, "list", "@3/notes", "--hidden", "show", "--as", "csv", "--columns", "name,size,mode,modified,inode,owner,target,created").out
	assert.Equal(t, now, then)
	for _, command := range []string{"weigh --depth all --as csv", "tally --by ext,age --as csv --as-of " + moment, "search --count where size over 1MB and name has dawn", "list --depth all --hidden only --as csv --columns name,size,links"} {
		words := strings.Fields(command)
		live := frank(0, append([]string{words[0], "."}, words[1:]...)...).out
		assert.Equal(t, live, strings.ReplaceAll(frank(0, append([]string{words[0], "@weekly"}, words[1:]...)...).out, "@weekly", "."), command)
	}
	for _, command := range []string{"list", "weigh", "outline", "tally --by kind"} {
		words := strings.Fields(command)
		assert.Contains(t, frank(0, append([]string{words[0], "@weekly:1/notes"}, words[1:]...)...).out, "/notes, as recorded ", command)
	}
	assert.Contains(t, frank(0, "list", "@weekly:2030-01-01", "--as", "json").out, `"record":{"number":3,"label":"weekly","host":"`)

	for place, says := range map[string]string{"@wekly": "did you mean weekly?", "@weekly:7": "weekly has records from :0 (the newest) to :2", "@9": "no such record: 9", "@weekly:2020-01-01": "no such record",
		"@weekly:soon": "write a number after", "@weekly/nowhere": "the record has no such path", "@": "a label is a word"} {
		assert.Contains(t, frank(2, "list", place).err, says)
	}
	for line, says := range map[string]string{"record @weekly --label x": "is a record", "inspect @weekly --preview 3": "is a record", "duplicates @weekly --spares": "not on records",
		"verify @weekly": "has no digests", "record --label x --recheck": "no record of this place has digests yet", "record --label x --checksum crc": "no such algorithm", "compare @weekly . @weekly:1": "name two folders, or one record"} {
		assert.Contains(t, frank(2, strings.Fields(line)...).err, says, line)
	}
	assert.Contains(t, frank(3, "checksum", "@weekly").err, "could not look up the sha256 of files in @weekly (381 entries): the record has no such digest")
	for _, option := range []string{"--follow", "--hidden=only"} {
		assert.Contains(t, frank(2, "record", "--label", "x", option).err, "cannot be combined")
	}
	for label, says := range map[string]string{"": "a label is a word", "12": "cannot be all digits", "a/b": "cannot contain"} {
		assert.Contains(t, frank(2, "record", "--label", label).err, says)
	}

	var document struct{ Entries []map[string]any }
	require.NoError(t, json.Unmarshal([]byte(frank(0, "ledger", "entries", "--as", "json").out), &document))
	require.Len(t, document.Entries, 3)
	assert.Equal(t, "later", document.Entries[1]["note"])
	assert.Equal(t, root, document.Entries[1]["place"])
	frank(0, "record", "cards", "--label", "some", "where", "name", "is", "DUMP_0005.WAV")
	assert.Equal(t, 3, strings.Count(frank(0, "search", "@some", "--as", "paths", "where", "kind", "is", "file").out, "/DUMP_0005.WAV\n"))
	assert.Contains(t, frank(0, "ledger", "drop", "4").out, "nothing was changed")
	frank(0, "ledger", "drop", "4", "--carry-out", "--yes")
	frank(0, "ledger", "drop", "1", "@3", "--carry-out", "--yes")
	assert.Contains(t, frank(0, "ledger").out, "\n1 record\nthe ledger is "+file)
	assert.Equal(t, then, strings.ReplaceAll(frank(0, "list", "@weekly/notes", "--hidden", "show", "--as", "csv", "--columns", "name,size,mode,modified,inode,owner,target,created").out, "@2", "@3"))
	assert.Contains(t, frank(2, "ledger", "drop", "1").err, "no such record")
	assert.Contains(t, frank(2, "ledger", "drop").err, "give the numbers")
}

// A folder that could not be read is recorded as such, never as empty.
func TestRecordUnreadable(t *testing.T) {
	root := tree(t, "open/x", "shut/y")
	file := filepath.Join(t.TempDir(), "ledger.sqlite")
	require.NoError(t, os.Chmod(filepath.Dir(file), 0o777))
	take := func() result {
		cmd := stranger(withLedger(t, file, root, "record", ".", "--label", "l"))
		return finish(t, cmd)
	}
	assert.Zero(t, take().status)
	require.NoError(t, os.Chmod(filepath.Join(root, "shut"), 0))
	r := take()
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.out, "1 place could not be read, which is recorded too")
	require.NoError(t, os.Chmod(filepath.Join(root, "shut"), 0o755))
	assert.Zero(t, take().status)
	for place, want := range map[string]struct {
		status int
		paths  string
	}{"@l:2": {0, "open shut open/x shut/y"}, "@l:1": {3, "open shut open/x"}, "@l": {0, "open shut open/x shut/y"}} {
		r := finish(t, withLedger(t, file, root, "search", place, "--as", "paths", "where", "not", "empty", "or", "name", "is", "shut", "or", "name", "is", "open"))
		assert.Equal(t, want.status, r.status, place)
		assert.Equal(t, want.paths, strings.Join(strings.Fields(strings.ReplaceAll(r.out, place+"/", "")), " "), place)
		assert.Equal(t, want.status == 3, strings.Contains(r.err, "could not open the folder "+place+"/shut: permission denied"), place)
	}
}

// What is no ledger, or damaged, is named, and nothing panics.
func TestBrokenLedgers(t *testing.T) {
	takesLong(t)
	t.Parallel()
	root, file := tree(t, "a/b", "c"), filepath.Join(t.TempDir(), "ledger.sqlite")
	for i := range 300 {
		require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprint("n", i)), nil, 0o644))
	}
	require.Zero(t, finish(t, withLedger(t, file, root, "record", "--label", "l")).status)
	whole, err := os.ReadFile(file)
	require.NoError(t, err)
	random := rand.New(rand.NewPCG(3, 3))
	broken, saved, lines := 0, 0, filepath.Join(t.TempDir(), "lines")
	for range 60 {
		content := append([]byte(nil), whole...)
		at := 100 + random.IntN(len(content)-1000)
		for i := range 900 {
			content[at+i] = byte(random.Uint32())
		}
		require.NoError(t, os.WriteFile(file, content, 0o644))
		r := finish(t, withLedger(t, file, root, "list", "@l", "--depth", "all", "--as", "paths"))
		assert.NotContains(t, r.err, "panic", "%d", at)
		assert.NotContains(t, r.err, "goroutine", "%d", at)
		assert.Contains(t, []int{0, 4}, r.status, r.err)
		if r.status == 4 {
			assert.Contains(t, r.err, "damaged")
			assert.Equal(t, 1, strings.Count(r.err, "\n"), r.err)
			broken++
		}
		r = finish(t, withLedger(t, file, root, "ledger", "check"))
		assert.Contains(t, []int{0, 4}, r.status, r.err)
		if r.status == 0 { // what is not used was hit
			continue
		}
		r = finish(t, withLedger(t, file, root, "ledger", "export", "--to", lines, "--replace"))
		assert.Contains(t, []int{3, 4}, r.status, r.err) // never as if nothing were
		assert.NotContains(t, r.err, "goroutine")
		if r.status == 3 {
			assert.Contains(t, r.err, "frank: lost: ")
			r = finish(t, withLedger(t, filepath.Join(t.TempDir(), "saved"), root, "ledger", "import", lines))
			assert.Contains(t, []int{0, 3}, r.status, r.err)
			saved++
		}
	}
	assert.NotZero(t, broken)
	assert.NotZero(t, saved)
	for content, says := range map[string]string{"not a ledger at all, but long enough to be taken for one by its length, which is more than a hundred bytes in all": "not a ledger"} {
		require.NoError(t, os.WriteFile(file, []byte(content), 0o644))
		r := finish(t, withLedger(t, file, root, "list", "@l"))
		assert.Equal(t, 4, r.status)
		assert.Contains(t, r.err, says)
	}
	require.NoError(t, os.WriteFile(file, nil, 0o644)) // as it is when the first recorder was killed
	assert.Contains(t, finish(t, withLedger(t, file, root, "list", "@l")).err, "there is no ledger yet")
	for _, line := range []string{"list @l", "record --label l", "ledger check", "ledger import lines"} {
		pipe := filepath.Join(t.TempDir(), "pipe")
		require.NoError(t, unix.Mkfifo(pipe, 0o644))
		for _, odd := range []string{pipe, "/dev/zero"} { // refused at once, not waited for
			r := finish(t, withLedger(t, odd, root, strings.Fields(line)...))
			assert.Contains(t, []int{2, 4}, r.status, line)
			assert.NotContains(t, r.err, "half a minute")
		}
	}
	newer := append([]byte(nil), whole...)
	newer[63]++ // the version, in the header of the file
	require.NoError(t, os.WriteFile(file, newer, 0o644))
	for _, line := range []string{"list @l", "record --label l", "ledger check", "ledger export"} {
		r := finish(t, withLedger(t, file, root, strings.Fields(line)...))
		assert.Equal(t, 4, r.status, line)
		assert.Contains(t, r.err, "newer version", line)
	}
	require.NoError(t, os.WriteFile(file, whole, 0o400))
	assert.Zero(t, finish(t, withLedger(t, file, root, "list", "@l")).status, "reading takes no right to write")
}

// Killed at any moment, the ledger holds each record whole or not at all.
func TestRecordKilled(t *testing.T) {
	t.Parallel()
	root, file := tree(t), filepath.Join(t.TempDir(), "ledger.sqlite")
	random := rand.New(rand.NewPCG(9, 9))
	for i := range 4000 {
		if i%100 == 0 {
			require.NoError(t, os.Mkdir(filepath.Join(root, fmt.Sprint("f", i/100)), 0o755))
		}
		require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprint("f", i/100), fmt.Sprint("n", i)), nil, 0o644))
	}
	count := func() int {
		r := finish(t, withLedger(t, file, root, "ledger", "entries", "--as", "jsonl"))
		require.Zero(t, r.status, r.err) // also before there is one
		records := strings.Count(r.out, "\n")
		if records > 0 {
			assert.Contains(t, finish(t, withLedger(t, file, root, "ledger", "check")).out, "is undamaged")
		}
		for n := range records {
			r := finish(t, withLedger(t, file, root, "search", fmt.Sprint("@l:", n), "--count", "where", "name", "starts", "n"))
			require.Equal(t, "4000\n", r.out, r.err)
		}
		return records
	}
	before := 0
	for i := range often(10) {
		require.NoError(t, os.Chmod(filepath.Join(root, "f7", "n777"), os.FileMode(0o600+i)))
		cmd := withLedger(t, file, root, "record", "--label", "l")
		require.NoError(t, cmd.Start())
		time.Sleep(time.Duration(random.IntN(60)) * time.Millisecond)
		cmd.Process.Kill()
		cmd.Wait()
		if i%5 == 4 {
			now := count()
			assert.GreaterOrEqual(t, now, before)
			before = now
		}
	}
	require.Zero(t, finish(t, withLedger(t, file, root, "record", "--label", "l")).status)
	assert.Equal(t, 1, min(1, count()))
}

// Two that write at once wait for each other, and both are there in the end.
func TestTwoRecorders(t *testing.T) {
	t.Parallel()
	one, two := tree(t, "a", "b/c"), tree(t, "d")
	file := filepath.Join(t.TempDir(), "ledger.sqlite")
	var running []*exec.Cmd
	for i := range 8 {
		cmd := withLedger(t, file, []string{one, two}[i%2], "record", "--label", fmt.Sprint("l", i))
		said := &strings.Builder{}
		cmd.Stderr = said
		require.NoError(t, cmd.Start())
		running = append(running, cmd)
	}
	for _, cmd := range running {
		require.NoError(t, cmd.Wait(), "%s", cmd.Stderr)
	}
	r := finish(t, withLedger(t, file, one, "ledger", "--as", "table"))
	assert.Zero(t, r.status, "it lists the records, with the options of that")
	r = finish(t, withLedger(t, file, one, "ledger", "entries", "--as", "csv"))
	assert.Equal(t, 9, strings.Count(r.out, "\n"))
	for i := range 8 {
		r := finish(t, withLedger(t, file, one, "search", fmt.Sprint("@l", i), "--count", "where", "kind", "is", "file"))
		assert.Equal(t, []string{"2\n", "1\n"}[i%2], r.out)
	}
}

// A record with digests is a place for every command that asks for content, and
// tells what has moved, and what became of one path.
func TestRecordsInEveryCommand(t *testing.T) {
	t.Parallel()
	root, file := ternPoint(t), filepath.Join(t.TempDir(), "ledger.sqlite")
	frank := func(status int, line ...string) string {
		r := finish(t, withLedger(t, file, root, line...))
		require.Equal(t, status, r.status, "%s %s", line, r.err)
		return r.out
	}
	for large := range strings.Lines(frank(0, "search", ".", "--as", "paths", "where", "size", "over", "10MB")) {
		require.NoError(t, os.Remove(filepath.Join(root, strings.TrimSpace(large)))) // sparse, but slow to read
	}
	digests := frank(0, "checksum", "counts", "--as", "csv")
	sets := frank(0, "duplicates", ".", "--as", "csv")
	assert.Contains(t, frank(0, "record", ".", "--label", "weekly", "--checksum", "SHA-256"), "digests by sha256: 204 files read")
	assert.Contains(t, frank(0, "compare", "@weekly"), "no difference: 230 entries are the same")
	assert.Equal(t, digests, strings.ReplaceAll(frank(0, "checksum", "@weekly/counts", "--as", "csv"), "@weekly/", ""))
	assert.Contains(t, frank(0, "verify", "@weekly"), "204 same")

	require.NoError(t, os.Rename(filepath.Join(root, "notes"), filepath.Join(root, "scripts/old notes")))
	require.NoError(t, os.WriteFile(filepath.Join(root, "counts/new.csv"), []byte("new"), 0o644))
	late := filepath.Join(root, "scripts/settings.json")
	info, err := os.Stat(late)
	require.NoError(t, err)
	content, err := os.ReadFile(late)
	require.NoError(t, err)
	content[0]++
	require.NoError(t, os.WriteFile(late, content, 0o644))
	require.NoError(t, os.Chtimes(late, info.ModTime(), info.ModTime())) // as if nothing had been
	out := frank(1, "compare", "@weekly")
	assert.Contains(t, out, "moved    from notes, with 11 entries in it")
	assert.Contains(t, out, "scripts/settings.json  altered  content")
	assert.Contains(t, out, "counts/new.csv         added    file, 3 B")
	assert.Contains(t, frank(1, "verify", "@weekly"), "1 different, 11 missing")
	assert.Contains(t, frank(0, "record", ".", "--label", "weekly", "--checksum", "sha256"), "since the record before: 1 added, 12 moved, ")
	assert.Contains(t, frank(1, "compare", "@weekly:1", "@weekly"), "content was not compared")
	assert.Contains(t, frank(0, "compare", "@weekly", "@weekly:0"), "no difference: 231 entries are the same")
	assert.Equal(t, sets, strings.ReplaceAll(frank(0, "duplicates", "@weekly:1", "--as", "csv"), "@weekly:1/", "./"))
	assert.Contains(t, frank(0, "duplicates", "@weekly:1", ".", "--across", "--as", "jsonl", "where", "name", "is", "rota.md"), `"reclaimable":0`)

	var history struct{ Entries []map[string]any }
	require.NoError(t, json.Unmarshal([]byte(frank(0, "history", "notes/rota.md", "--as", "json")), &history))
	require.Len(t, history.Entries, 2)
	assert.Equal(t, "there", history.Entries[0]["state"])
	assert.Equal(t, "absent", history.Entries[1]["state"])
	assert.EqualValues(t, 46, history.Entries[0]["size"])
	frank(0, "record", ".", "--label", "other")
	assert.Regexp(t, `1 +weekly +file .*\n.*2 +weekly +file .* content\n.*3 +other +file`, frank(0, "history", "@other/scripts/settings.json"))
	assert.Contains(t, frank(0, "history", "nothing"), "no record has that path")
	assert.Equal(t, "2\n", frank(0, "search", "@*", "--count", "where", "name", "is", "rota.md"))
	card := frank(0, "inspect", "@weekly:1/notes/rota.md")
	assert.Contains(t, card, "/notes/rota.md, as recorded ")
	assert.NotContains(t, card, "you ")

	// A record of some files is compared with those there are now.
	frank(0, "record", "counts", "--label", "tables", "--skip", "old", "where", "ext", "is", "csv")
	assert.Contains(t, frank(0, "compare", "@tables"), "no difference")
	lines := filepath.Join(t.TempDir(), "lines.jsonl")
	assert.Contains(t, frank(0, "ledger", "export", "--to", lines), "4 records, ")
	frank(2, "ledger", "export", "--to", lines)
	assert.Contains(t, frank(0, "ledger", "import", lines, "--ledger", file+"2"), "4 records imported")
	assert.Equal(t, frank(0, "ledger", "export"), frank(0, "ledger", "export", "--ledger", file+"2"))
	frank(0, "ledger", "drop", "1", "3", "--carry-out", "--yes")
	assert.Contains(t, frank(0, "ledger", "compact"), "and was")
	assert.Contains(t, frank(0, "ledger", "check"), "undamaged: 2 records")
}

// A disk that is full, and a limit on the size of files, are said clearly, and
// what was recorded before stays whole.
func TestLedgerFull(t *testing.T) {
	t.Parallel()
	root := tree(t, "a")
	for range 4000 {
		require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprint(rand.Uint64(), rand.Uint64(), rand.Uint64())), nil, 0o644))
	}
	small := tree(t, "a", "b/c")
	try := func(file string, limited func(*exec.Cmd) *exec.Cmd) {
		require.Zero(t, finish(t, limited(withLedger(t, file, small, "record", "--label", "small"))).status)
		r := finish(t, limited(withLedger(t, file, root, "record", "--label", "large")))
		assert.Equal(t, 4, r.status)
		assert.Contains(t, r.err, "no space left")
		assert.NotContains(t, r.err, "goroutine")
		assert.Contains(t, finish(t, withLedger(t, file, small, "ledger", "check")).out, "undamaged: 1 record\n")
		assert.Equal(t, "2\n", finish(t, withLedger(t, file, small, "search", "@small", "--count", "where", "kind", "is", "file")).out)
	}
	try(filepath.Join(t.TempDir(), "ledger"), func(cmd *exec.Cmd) *exec.Cmd {
		cmd.Args = append([]string{"sh", "-c", `ulimit -f 500; exec "$0" "$@"`, cmd.Path}, cmd.Args[1:]...)
		cmd.Path = "/bin/sh"
		return cmd
	})
	disk := t.TempDir()
	smallDisk(t, disk, "400k")
	try(filepath.Join(disk, "ledger"), func(cmd *exec.Cmd) *exec.Cmd { return cmd })
}

// Records of other machines, several places at once, and lists beside records.
func TestRecordsAmongOthers(t *testing.T) {
	t.Parallel()
	root, file := tree(t, "one/a", "one/sub/b", "two/a", "two/c", "one/.hid"), filepath.Join(t.TempDir(), "ledger.sqlite")
	frank := func(status int, line ...string) result {
		t.Helper()
		r := finish(t, withLedger(t, file, root, line...))
		require.Equal(t, status, r.status, "%s %s%s", line, r.out, r.err)
		return r
	}
	frank(0, "record", "one", "--label", "one", "--checksum", "md5")
	frank(0, "record", "two", "--label", "two", "--checksum", "sha1", "--note", "second, with a note")
	require.NoError(t, os.WriteFile(filepath.Join(root, "two/a"), []byte("one/a"), 0o644)) // as in one
	require.NoError(t, os.WriteFile(filepath.Join(root, "two/new"), []byte("new"), 0o644))

	assert.Equal(t, "@one/a\n@two/a\n", frank(0, "search", "@*", "--as", "paths", "where", "name", "is", "a").out)
	assert.Contains(t, frank(0, "weigh", "@*", "--as", "csv").out, "@two,0,")
	assert.Equal(t, "@one/.hid\n", frank(0, "list", "@one", "--hidden", "only", "--as", "paths").out)
	assert.Equal(t, "@one/sub/b\n", frank(0, "list", "@one/sub/b", "--as", "paths").out, "a file is a place too")

	// The same content, now and then; by the digests that the record has.
	out := frank(0, "duplicates", "@one", "two", "--as", "jsonl").out
	assert.Equal(t, 1, strings.Count(out, "\n"), out)
	assert.Contains(t, out, `"algorithm":"md5"`)
	assert.Contains(t, out, `"path":"@one/a"`)
	assert.Contains(t, out, `"path":"two/a"`)
	assert.Contains(t, frank(0, "duplicates", "@one", "two", "--only-in", "two", "--as", "paths").out, "two/c\ntwo/new\n")
	r := frank(3, "duplicates", "@one", "@two", "--as", "jsonl")
	assert.Contains(t, r.err, "could not look up the md5 of files in @two (2 entries)")

	assert.Contains(t, frank(0, "checksum", "@two", "--as", "manifest").out, " a\n")
	manifest := filepath.Join(t.TempDir(), "list")
	frank(0, "checksum", "@one", "--as", "manifest", "--to", manifest)
	assert.Contains(t, frank(0, "verify", manifest, "--in", "one").out, "3 same", "it is of what lies below")
	assert.Contains(t, frank(1, "verify", "@two", "--unlisted", "--as", "csv").out, ",unlisted,")
	assert.Contains(t, frank(0, "verify", "@one", "--in", "one").out, "3 same")
	assert.Contains(t, frank(2, "verify", "@one/a").err, "frank verify @one where path is a")
	assert.Contains(t, frank(2, "verify", "@one", "--in", "one/a").err, "is not a folder")

	// A record of another machine is read like any other, but not compared with
	// this one.
	lines := frank(0, "ledger", "export").out
	host, err := os.Hostname()
	require.NoError(t, err)
	other := filepath.Join(t.TempDir(), "lines")
	require.NoError(t, os.WriteFile(other, []byte(strings.ReplaceAll(lines, `"host":"`+host+`"`, `"host":"other-hide"`)), 0o644))
	out = frank(0, "ledger", "import", other).out
	assert.Contains(t, out, "2 records imported")
	assert.Contains(t, out, "record 1 is number 3 here\nrecord 2 is number 4 here\n")
	assert.Contains(t, frank(0, "ledger", "entries", "--as", "csv").out, ",other-hide,")
	assert.Contains(t, frank(0, "list", "@3", "--as", "json").out, `"host":"other-hide"`)
	for _, line := range []string{"compare @3", "verify @3"} {
		assert.Contains(t, frank(2, strings.Fields(line)...).err, "was recorded on other-hide, and this machine is "+host)
	}
	assert.Contains(t, frank(0, "compare", "@3", "one").out, "no difference")
	assert.Contains(t, frank(0, "history", "@3/a", "--as", "jsonl").out, `"first_number":3`)
	assert.Equal(t, 1, strings.Count(frank(0, "history", "one/a", "--as", "jsonl").out, "\n"))

	require.NoError(t, os.RemoveAll(filepath.Join(root, "one")))
	assert.Contains(t, frank(2, "compare", "@1").err, "is not there now: no such file or directory")
	assert.Contains(t, frank(0, "history", "one/a").out, "1 state", "though it is gone")
	frank(0, "ledger", "drop", "1", "2", "3", "4", "--carry-out", "--yes")
	assert.Contains(t, frank(0, "ledger").out, "0 records")
	assert.Contains(t, frank(0, "ledger", "check").out, "0 records")
	frank(0, "record", "two", "--label", "two")
	assert.Contains(t, frank(0, "ledger", "entries", "--as", "csv", "--quiet").out, "\n5,two,", "a number is given once")
	for _, line := range []string{"ledger import", "ledger import nowhere", "ledger import " + root, "ledger drop x", "ledger compact x", "history", "history a b"} {
		assert.Contains(t, []int{2, 4}, finish(t, withLedger(t, file, root, strings.Fields(line)...)).status, line)
	}
}

// What lies in a folder that cannot be written to is read all the same, and that
// it cannot be written is said.
func TestLedgerThatMayOnlyBeRead(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("needs a file of another owner")
	}
	root, folder := tree(t, "a"), t.TempDir()
	file := filepath.Join(folder, "ledger.sqlite")
	require.Zero(t, finish(t, withLedger(t, file, root, "record", ".", "--label", "l")).status)
	require.NoError(t, os.Chmod(filepath.Dir(folder), 0o755))
	require.Contains(t, finish(t, stranger(withLedger(t, file, root, "list", "@l"))).err, "permission denied", "it is private")
	require.NoError(t, os.Chmod(file, 0o644))
	as := func(line string) result {
		return finish(t, stranger(withLedger(t, file, root, strings.Fields(line)...)))
	}
	for _, line := range []string{"list @l", "ledger", "ledger check", "compare @l", "history a", "ledger export"} {
		r := as(line)
		assert.Zero(t, r.status, "%s: %s", line, r.err)
	}
	for _, line := range []string{"record . --label l", "ledger drop 1 --carry-out --yes", "ledger compact"} {
		r := as(line)
		assert.Equal(t, 4, r.status, line)
		assert.Regexp(t, `is read-only|permission denied`, r.err, line)
	}
	assert.Contains(t, finish(t, withLedger(t, file, root, "ledger", "check")).out, "1 record\n")
}

// A ledger of version 2 is read as it is where it cannot be upgraded, and upgraded where it
// can.
func TestOlderLedgerThatCannotBeUpgraded(t *testing.T) {
	t.Parallel()
	root := tree(t, "a")
	packed, err := os.Open("../core/ledger/testdata/version2.sqlite.gz")
	require.NoError(t, err)
	defer packed.Close()
	unpacked, err := gzip.NewReader(packed)
	require.NoError(t, err)
	content, err := io.ReadAll(unpacked)
	require.NoError(t, err)
	file := filepath.Join(root, "ledger")
	require.NoError(t, os.WriteFile(file, content, 0o444))
	require.NoError(t, os.Chmod(root, 0o555))
	t.Cleanup(func() { os.Chmod(root, 0o755) })
	line := []string{"search", "@x", "--count", "--effort", "--hidden", "show", "where", "name", "has", "note-29"}
	r := finish(t, stranger(withLedger(t, file, root, line...)))
	assert.Equal(t, "10\n", r.out)
	assert.Contains(t, r.err, "read 5 folders")
	assert.Contains(t, finish(t, stranger(withLedger(t, file, root, "ledger", "check"))).out, "undamaged: 3 records")
	after, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, content, after)
	require.NoError(t, os.Chmod(root, 0o755))
	require.NoError(t, os.Chmod(file, 0o600))
	r = finish(t, withLedger(t, file, root, line...))
	assert.Equal(t, "10\n", r.out)
	assert.Contains(t, r.err, "groups of entries")
}

// Thinning shows what could go, and drops that only if it is told to.
func TestLedgerThin(t *testing.T) {
	root := tree(t, "a")
	home := t.TempDir()
	on := func(line ...string) result {
		cmd := command(t, root, line...)
		cmd.Env = append(cmd.Env, "XDG_DATA_HOME="+home)
		return finish(t, cmd)
	}
	for range 3 {
		require.Zero(t, on("record", ".", "--label", "x").status)
	}
	require.Zero(t, on("record", ".", "--label", "y").status)
	thin := []string{"ledger", "thin", "--keep", "2 days"}
	r := on(thin...)
	assert.Contains(t, r.out, "2 of 4 records can go\nnothing was changed; --carry-out drops them")
	assert.Equal(t, 5, strings.Count(on("ledger", "entries", "--as", "csv").out, "\n"))
	assert.Contains(t, on(append(thin, "--carry-out")...).err, "nobody can be asked")
	assert.Contains(t, on(append(thin, "@y", "--carry-out", "--yes")...).out, "0 of 1 record can go")
	r = on(append(thin, "--carry-out", "--yes")...)
	assert.Contains(t, r.err, "dropped 2 records")
	assert.Equal(t, 3, strings.Count(on("ledger", "entries", "--as", "csv").out, "\n"))
	assert.Contains(t, on("list", "@3").out, "1 entry")
	assert.Contains(t, on("ledger", "check").out, "2 records")
	for want, line := range map[string][]string{
		"say what to keep":                 {"ledger", "thin"},
		"--keep: this does not say":        {"ledger", "thin", "--keep", "3 fortnights"},
		"--yes is only for --carry-out":    {"ledger", "thin", "--keep", "2 days", "--yes"},
		"@nix: there is no such label":     {"ledger", "thin", "--keep", "2 days", "@nix"},
		"there is no ledger yet: /nowhere": {"ledger", "thin", "--keep", "2 days", "--ledger", "/nowhere/x"},
	} {
		r := on(line...)
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, want)
	}
}
