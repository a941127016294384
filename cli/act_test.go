package cli_test

import (
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

	"github.com/creack/pty"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/internal/testdisk"
)

// actor runs commands one after the other, with the same journal and trash.
type actor struct {
	t          *testing.T
	root, home string
}

func newActor(t *testing.T, root string) *actor { return &actor{t, root, t.TempDir()} }

func (a *actor) command(args ...string) *exec.Cmd {
	cmd := command(a.t, a.root, args...)
	cmd.Env = append(cmd.Env, "HOME="+a.home)
	return cmd
}

func (a *actor) run(status int, args ...string) result {
	a.t.Helper()
	r := finish(a.t, a.command(args...))
	require.Equal(a.t, status, r.status, "%q %s%s", args, r.out, r.err)
	return r
}

// journals are the files of what was carried out.
func (a *actor) journals() []string {
	files, err := filepath.Glob(filepath.Join(a.home, ".local/state/frank-ledger/journal/*.jsonl"))
	require.NoError(a.t, err)
	return files
}

// written is how many bytes stand in the journal after so many others; -1 if it is not there.
func (a *actor) written(after int) int64 {
	journals := a.journals()
	if len(journals) <= after {
		return -1
	}
	info, err := os.Stat(journals[after])
	require.NoError(a.t, err)
	return info.Size()
}

// do runs a line of words without spaces.
func (a *actor) do(status int, line string) string {
	a.t.Helper()
	return a.run(status, strings.Fields(line)...).out
}

// names returns all paths below the folder, with sizes, times and permissions,
// as list tells.
func (a *actor) names() string {
	return a.do(0, "list . --depth all --hidden show --as csv --columns path,kind,size,modified,mode")
}

// The jobs that people have, on the sample tree: each is a plan first, changes
// nothing, is then done, and taken back.
func TestActJobs(t *testing.T) {
	a := newActor(t, ternPoint(t))
	before := a.names()
	unchanged := func() { t.Helper(); require.Equal(t, before, a.names()) }

	// Show the hidden notes.
	assert.Contains(t, a.do(0, "act reveal notes where hidden"), "  .draft.md  reveal as draft.md")
	unchanged()
	assert.Contains(t, a.do(0, "act reveal notes where hidden --carry-out --yes"), "1 revealed (journal 1); to undo that:\nfrank act undo 1\n")
	assert.FileExists(t, filepath.Join(a.root, "notes/draft.md"))
	assert.Equal(t, "journal 1: 1 step undone\n", a.do(0, "act undo"))
	unchanged()

	// Move the spares of the card dumps aside.
	a.do(0, "duplicates cards --keep oldest --spares --as paths0 --to ../spares.list")
	assert.Contains(t, a.do(0, "act move @@../spares.list --into ../aside"), "5 steps: 5 files")
	assert.Contains(t, a.do(0, "act move @@../spares.list --into ../aside"), "/aside, which will be created")
	unchanged()
	assert.Contains(t, a.do(0, "act move cards where name starts DUMP --into ../aside"), "another match would get the same name")
	out := a.do(0, "act move @@../spares.list --into ../aside --number --carry-out --yes")
	assert.Contains(t, out, "6 moved")
	assert.NotContains(t, a.do(0, "duplicates cards --as csv"), "DUMP")
	a.do(0, "act undo")
	unchanged()
	assert.NoDirExists(t, filepath.Join(a.root, "../aside"), "it was made on the way")

	// Give the handover folder last Friday's date.
	a.do(0, "act stamp handover where kind is file --modified 2026-11-20T09:00 --carry-out --yes")
	assert.Equal(t, a.do(0, "search handover --count where kind is file"), a.do(0, "search handover --count where kind is file and modified on 2026-11-20"))
	a.do(0, "act undo")
	unchanged()

	// Run a command on each empty recording.
	r := a.run(0, "act", "run", "recordings", "where", "empty", "and", "kind", "is", "file", "--carry-out", "--yes", "--", "wc", "-c", "@path")
	assert.Regexp(t, `(?m)^.*\.wav: ended well\n0 .*\.wav$`, r.out)
	assert.Contains(t, r.err, "call")
	unchanged()

	// A plan that was kept, and edited.
	a.run(0, "act", "remove", "cards", "where", "name", "is", "DUMP_0005.WAV", "--to", "plan.json")
	var plan map[string]any
	text, err := os.ReadFile(filepath.Join(a.root, "plan.json"))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &plan))
	steps := plan["steps"].([]any)
	require.Len(t, steps, 3)
	plan["steps"] = steps[1:]
	text, err = json.Marshal(plan)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(a.root, "plan.json"), text, 0o644))
	assert.Contains(t, a.do(0, "act carry-out plan.json --yes"), "2 put into the trash")
	trash := filepath.Join(a.home, ".local/share/Trash")
	info, err := os.ReadFile(filepath.Join(trash, "info/DUMP_0005.WAV.trashinfo"))
	require.NoError(t, err)
	assert.Regexp(t, `^\[Trash Info\]\nPath=/.*/DUMP_0005\.WAV\nDeletionDate=\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\n$`, string(info))
	assert.Contains(t, a.do(0, "act journal 5"), "Trash/files/DUMP_0005.WAV")
	assert.Contains(t, a.do(3, "act carry-out plan.json --yes"), "0 put into the trash, 2 failed")
	assert.Equal(t, "journal 5: 2 steps undone\n", a.do(0, "act undo"))
	assert.Contains(t, a.do(0, "act carry-out plan.json --yes"), "2 put into the trash")
	a.do(0, "act undo")
	require.NoError(t, os.Remove(filepath.Join(a.root, "plan.json")))
	assert.Equal(t, strings.Count(before, "\n"), strings.Count(a.names(), "\n"))

	a.do(0, "act permit go= counts where kind is file --carry-out --yes")
	assert.Equal(t, "0\n", a.do(0, "search counts --count where mode any go+rwx and kind is file"))
	a.do(0, "act undo")
	assert.Contains(t, a.do(0, "act journal --as csv"), "permit,")
}

// What is written wrongly changes nothing, and is said.
func TestActMisuse(t *testing.T) {
	a := newActor(t, tree(t, "a", "b/c", "-dash", "two\nlines", ".hidden"))
	before := a.names()
	for line, says := range map[string]string{
		"act hid a":                           "did you mean hide?",
		"act hide":                            "say what to act on",
		"act hide a --yes":                    "only for --carry-out",
		"act hide a --carry-out":              "nobody can be asked",
		"act hide a --carry-out --to x":       "contradict each other",
		"act hide a --carry-out --ask all":    "can be each",
		"act hide nowhere":                    "nothing to look at",
		"act hide @weekly":                    "there is no ledger yet",
		"act move a":                          "--into FOLDER",
		"act move a --into b/c":               "is not a folder",
		"act stamp a":                         "say which time",
		"act stamp a --modified soon":         "--modified",
		"act stamp a --like nowhere":          "no such file",
		"act stamp a --like b --accessed now": "contradict",
		"act permit":                          "say which permissions",
		"act permit u%x a":                    "as POSIX defines them",
		"act run a":                           "write -- before the command",
		"act run a --":                        "no command is named",
		"act run a --batch -- wc @name":       "the word @path once",
		"act run a --to x -- wc @path":        "cannot be saved",
		"act carry-out a":                     "not a plan",
		"act carry-out nowhere":               "no such file",
		"act undo":                            "nothing to undo",
		"act undo 7":                          "no such journal",
		"act journal x":                       "not the number of a journal",
	} {
		assert.Contains(t, a.run(2, strings.Fields(line)...).err, says, line)
	}
	assert.Equal(t, before, a.names())
	for text, says := range map[string]string{
		`{"frank_plan":9,"action":"hide","host":"x","steps":[]}`:                 "newer version",
		`{"frank_plan":1,"action":"hide","host":"elsewhere.example","steps":[]}`: "another machine",
		`[]`: "not a plan",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(a.home, "plan"), []byte(text), 0o644))
		assert.Contains(t, a.run(2, "act", "carry-out", filepath.Join(a.home, "plan"), "--yes").err, says)
	}
	r := a.run(0, "act", "hide", "--carry-out", "--yes", "--", "-dash", "two\nlines", ".hidden", "b")
	assert.Contains(t, r.out, "1 more is hidden already")
	assert.Contains(t, r.out, `two\nlines`)
	a.do(0, "act undo")
	assert.Equal(t, before, a.names())
	for _, place := range []string{"/", a.home, filepath.Dir(a.home)} {
		assert.Contains(t, a.run(0, "act", "remove", place).out, "refused", place)
	}
	assert.Contains(t, a.run(0, "act", "remove", "/proc").out, "another file system is mounted there")
}

// Killed at any moment, the journal, what is there, and undo agree.
func TestActKilled(t *testing.T) {
	t.Parallel()
	random := rand.New(rand.NewPCG(1, 2))
	other := testdisk.Other(t)
	root := tree(t)
	for i := range 1500 {
		folder := filepath.Join(root, fmt.Sprint("f", i/100))
		os.Mkdir(folder, 0o755)
		require.NoError(t, os.WriteFile(filepath.Join(folder, fmt.Sprint("n", i)), []byte(fmt.Sprint(i)), 0o644))
	}
	a := newActor(t, root)
	a.home = filepath.Join(t.TempDir(), "home") // on the same disk, for the trash
	content := func() string { return a.do(0, "checksum . --algorithm blake3 --as manifest") }
	before, broken := content(), 0
	lines := []string{"hide .", "remove .", "move . --into " + other + " --keep-folders", "permit 0600 .", "stamp . --modified 2020-01-01"}
	// On a busy machine a kill may come too late to break anything off.
	for round := 0; round < often(1) || broken == 0 && round < 20; round++ {
		for _, line := range lines {
			words := append(append([]string{"act"}, strings.Fields(line)...), "--carry-out", "--yes", "--quiet", "where", "kind", "is", "file")
			cmd := a.command(words...)
			journals := len(a.journals())
			require.NoError(t, cmd.Start())
			ended := make(chan error, 1)
			go func() { ended <- cmd.Wait() }()
			// It is killed once so much stands in its journal, of about 200 kB.
			for much := random.Int64N(120_000); len(ended) == 0 && a.written(journals) <= much; {
				time.Sleep(100 * time.Microsecond)
			}
			cmd.Process.Kill()
			<-ended
			r := finish(t, a.command("act", "journal", "--as", "csv"))
			if r.status != 0 || strings.Contains(r.out, "broken off") {
				broken++
			}
			r = finish(t, a.command("act", "undo"))
			require.Contains(t, []int{0, 2, 3}, r.status, r.err) // nothing was begun, or something is unclear
			require.NotContains(t, r.err, "panic")
			if r.status == 3 {
				// Of a file that was being moved to another disk, both may be there.
				require.Contains(t, r.err, "both are there")
				require.Equal(t, 1, strings.Count(r.err, "\n"))
				require.NoError(t, os.RemoveAll(other))
				require.NoError(t, os.Mkdir(other, 0o755))
			}
			require.Equal(t, before, content(), line)
			require.Equal(t, "0\n", a.do(0, "search . --count where kind is file and hidden"))
		}
	}
	assert.NotZero(t, broken)
}

// What one may not do is said, the rest is done; a full disk loses nothing.
func TestActFaults(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("needs files of another owner")
	}
	a := newActor(t, tree(t, "open/x", "shut/y", "open/z"))
	require.NoError(t, os.Chmod(filepath.Join(a.root, "open"), 0o777))
	require.NoError(t, os.Chown(a.home, 48230, 48230))
	require.NoError(t, os.Chmod(filepath.Dir(a.home), 0o755))
	r := finish(t, stranger(a.command("act", "hide", ".", "where", "kind", "is", "file", "--carry-out", "--yes")))
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.out, "2 hidden, 1 refused")
	assert.Contains(t, r.out, "refused: you may not take it out of the folder it is in")
	assert.FileExists(t, filepath.Join(a.root, "open/.x"))
	assert.Zero(t, finish(t, stranger(a.command("act", "undo"))).status)

	// What cannot be removed here leaves no copy on the other disk.
	t.Run("on another disk", func(t *testing.T) {
		other := testdisk.Other(t)
		require.NoError(t, os.Chmod(other, 0o777))
		r := finish(t, stranger(a.command("act", "move", ".", "--into", other, "--carry-out", "--yes", "where", "name", "is", "y", "or", "name", "is", "shut")))
		assert.Equal(t, 3, r.status)
		assert.Contains(t, r.out, "refused: you may not take it out of the folder it is in")
		left, err := os.ReadDir(other)
		require.NoError(t, err)
		assert.Empty(t, left)
		assert.FileExists(t, filepath.Join(a.root, "shut/y"))
	})
	assert.Contains(t, a.run(0, "act", "remove", "open/z", "--for-good", "--carry-out", "--yes").out, "this cannot be undone")

	disk := t.TempDir()
	smallDisk(t, disk, "200k")
	b := newActor(t, tree(t, "small", "large"))
	require.NoError(t, os.WriteFile(filepath.Join(b.root, "large"), []byte(strings.Repeat("content ", 1<<17)), 0o644))
	before := b.names()
	r = b.run(3, "act", "move", ".", "where", "kind", "is", "file", "--into", disk, "--carry-out", "--yes")
	assert.Contains(t, r.err, "large: no space left on device")
	assert.Contains(t, r.out, "1 moved, 1 failed")
	left, err := os.ReadDir(disk)
	require.NoError(t, err)
	assert.Len(t, left, 1, "nothing half done")
	b.do(0, "act undo")
	assert.Equal(t, before, b.names())
}

// Questions are asked at a terminal, once or for each.
func TestActAsks(t *testing.T) {
	for answers, hidden := range map[string][]string{
		"each: no\nyes\nstop\n":  {"b"},
		"each: maybe\ny\nrest\n": {"a", "b", "c"},
		"each: \x04":             nil,
		"once: no\n":             nil,
		"once: what\nyes\n":      {"a", "b", "c"},
	} {
		a := newActor(t, tree(t, "a", "b", "c"))
		words := []string{"act", "stamp", "a", "b", "c", "--modified", "2020-01-01", "--carry-out"}
		how, text, _ := strings.Cut(answers, ": ")
		if how == "each" {
			words = append(words, "--ask", "each")
		}
		cmd := a.command(words...)
		terminal, err := pty.StartWithSize(cmd, &pty.Winsize{Cols: 100, Rows: 40})
		require.NoError(t, err)
		_, err = io.WriteString(terminal, text)
		require.NoError(t, err)
		sent, _ := io.ReadAll(terminal)
		cmd.Wait()
		terminal.Close()
		assert.Regexp(t, `yes(, no| or no)`, string(sent))
		var stamped []string
		for _, name := range []string{"a", "b", "c"} {
			if info, err := os.Stat(filepath.Join(a.root, name)); err == nil && info.ModTime().Year() == 2020 {
				stamped = append(stamped, name)
			}
		}
		assert.Equal(t, hidden, stamped, answers)
	}
}

// Commands get names as they are, are ended in time, and their output is kept
// apart.
func TestActRun(t *testing.T) {
	a := newActor(t, tree(t, "-n", "$(touch oops)", "two\nlines", "plain.tar.gz"))
	lines := func(status int, words ...string) (calls []map[string]any) {
		words = append([]string{"act", "run", ".", "where", "kind", "is", "file", "--as", "json", "--carry-out", "--yes", "--quiet"}, words...)
		r := a.run(status, words...)
		for line := range strings.Lines(r.out) {
			var call map[string]any
			require.NoError(t, json.Unmarshal([]byte(line), &call))
			calls = append(calls, call)
		}
		return calls
	}
	seen := map[string]bool{}
	for _, call := range lines(0, "--jobs", "3", "--", "printf", "%s|%s|%s|@@", "@name", "@stem", "@ext") {
		seen[call["output"].(string)] = true
	}
	assert.Equal(t, map[string]bool{"-n|-n||@": true, "$(touch oops)|$(touch oops)||@": true, "two\nlines|two\nlines||@": true, "plain.tar.gz|plain.tar|gz|@": true}, seen)
	assert.NoFileExists(t, filepath.Join(a.root, "oops"))
	batch := lines(0, "--batch", "--", "sh", "-c", `echo "$#"; printf '\377'`, "sh", "@path")
	require.Len(t, batch, 1)
	assert.Len(t, batch[0]["paths"], 4)
	assert.Equal(t, "4\n\ufffd", batch[0]["output"])
	assert.Equal(t, "NAr/", batch[0]["output_base64"])
	for _, call := range lines(3, "--", "sh", "-c", `test "$1" = -n || exit 7`, "sh", "@name") {
		assert.Contains(t, []any{0.0, 7.0}, call["status"])
	}
	for _, call := range lines(3, "--", "no-such-command-here", "@path") {
		assert.Contains(t, call["error"], "not found")
		assert.Nil(t, call["status"])
	}
	for _, call := range lines(3, "--jobs", "4", "--limit", "300ms", "--", "sh", "-c", "sleep 60 & wait", "sh", "@path") {
		assert.Equal(t, "it took too long and was stopped", call["error"])
	}
	r := a.run(0, "act", "run", "plain.tar.gz", "--carry-out", "--yes", "--", "sh", "-c", `printf 'a\0b'`, "sh", "@path")
	assert.Contains(t, r.out, "plain.tar.gz: ended well\na\x00b\n")
	r = a.run(3, "act", "undo")
	assert.Contains(t, r.err, "journal 6, the newest, cannot be undone: what the command did is not known")
	assert.Contains(t, a.run(3, "act", "undo", "6").err, "what the command did is not known")
	assert.Contains(t, a.do(0, "act run . where stem is plain.tar -- wc -c @path"), "wc -c "+a.root+"/plain.tar.gz")
}

// What a plan is about: without where the places themselves, with where what is
// below, and everything once.
func TestActPlans(t *testing.T) {
	a := newActor(t, tree(t, "one/a", "one/b/a", "two/a", "list/"))
	steps := func(words ...string) string {
		t.Helper()
		var plan struct {
			Action  string
			Host    string
			Version int `json:"frank_plan"`
			Steps   []map[string]any
		}
		require.NoError(t, json.Unmarshal([]byte(a.run(0, append(words, "--as", "json")...).out), &plan))
		assert.Equal(t, 1, plan.Version)
		assert.Equal(t, words[1], plan.Action)
		var list []string
		for _, s := range plan.Steps {
			word := strings.TrimPrefix(s["path"].(string), a.root+"/")
			if s["refused"] != nil {
				word += "!"
			}
			list = append(list, word)
		}
		return strings.Join(list, " ")
	}
	assert.Equal(t, "one", steps("act", "hide", "one"))
	assert.Equal(t, "one one/b/a two/a", strings.Join(strings.Fields(steps("act", "permit", "0600", "one", "one/b/a", "./one", "two/a")), " "))
	assert.Equal(t, "one/a one/b/a", steps("act", "permit", "0600", "one", "where", "name", "is", "a"))
	assert.Equal(t, "one/a", steps("act", "permit", "0600", "one", "--depth", "1", "where", "name", "is", "a"))
	assert.Equal(t, "one/a one/b/a", steps("act", "permit", "0600", "one", "one/b", "where", "name", "is", "a"), "though places lie in one another")
	assert.Equal(t, "one/b", steps("act", "move", "one/b", "--into", "two"))
	assert.Equal(t, "one/a!", steps("act", "move", "one/a", "--into", "two"))
	require.NoError(t, os.Symlink("one", filepath.Join(a.root, "link")))
	assert.Equal(t, "link", steps("act", "hide", "link"), "the link itself")
	assert.Contains(t, a.do(2, "act hide link where name is a")+a.run(2, "act", "hide", "link", "where", "name", "is", "a").err, "link is a link to "+a.root+"/one; write link/")
	for _, how := range [][]string{{"link/"}, {"link", "--through"}} {
		assert.Equal(t, "one/a", steps(append(append([]string{"act", "hide"}, how...), "where", "name", "is", "a", "and", "depth", "is", "1")...), "but what is below it is where it really is")
		assert.Equal(t, "one", steps(append([]string{"act", "hide"}, how...)...))
	}
	assert.Contains(t, a.do(0, "act hide link/ where name is a"), "link/ is a link to "+a.root+"/one")
	assert.Equal(t, "one/a", steps("act", "permit", "0600", "link/a"))
	a.run(0, "search", ".", "--save-list", "list/kept", "where", "name", "is", "a")
	assert.Equal(t, "one/a one/b/a two/a", steps("act", "stamp", "@@list/kept", "--modified", "yesterday"))
	assert.Equal(t, "two/a", steps("act", "stamp", "@@list/kept", "--like", "one/a", "where", "path", "has", "two"))

	assert.Contains(t, a.do(0, "act"), "then carry it out")
	assert.Contains(t, a.do(0, "act journal"), "0 journals")
	assert.Empty(t, a.do(0, "act hide one/a --carry-out --yes --quiet"))
	assert.Contains(t, a.do(0, "act journal --as jsonl"), `{"action":"hide","number":1,`)
	assert.Contains(t, a.do(0, "act journal 1 --as csv"), "one/a,done,")
	require.NoError(t, os.WriteFile(filepath.Join(a.home, ".local/state/frank-ledger/journal/000002.jsonl"), []byte("{"), 0o600))
	r := a.run(0, "act", "journal")
	assert.Contains(t, r.out, "1 journal\n")
	assert.Contains(t, r.err, "it is incomplete, so nothing was done")
	assert.Equal(t, "journal 1: 1 step undone\n", a.do(0, "act undo"))
	assert.FileExists(t, filepath.Join(a.root, "one/a"))
}

// What is reached only by a link is not acted on, even if looking went that way:
// the link may lead elsewhere by the time.
func TestActNotByLinks(t *testing.T) {
	a := newActor(t, tree(t, "in/x"))
	outside := tree(t, "y")
	require.NoError(t, os.Symlink(outside, filepath.Join(a.root, "in/link")))
	for _, action := range []string{"hide", "remove --for-good", "permit 0600", "stamp --modified 2020-01-01", "move --into moved"} {
		line := "act " + action + " in --follow --carry-out --yes --quiet where kind is file"
		r := a.run(3, strings.Fields(line)...)
		assert.Equal(t, 1, strings.Count(r.err, "is now a link")+strings.Count(a.do(0, strings.ReplaceAll(line, "--carry-out --yes --quiet ", "")), "is now a link"), line)
		info, err := os.Stat(filepath.Join(outside, "y"))
		require.NoError(t, err, line)
		assert.Equal(t, os.FileMode(0o644), info.Mode(), line)
		assert.NotEqual(t, 2020, info.ModTime().Year(), line)
		if action == "remove --for-good" {
			require.NoError(t, os.WriteFile(filepath.Join(a.root, "in/x"), nil, 0o644))
			continue
		}
		a.do(0, "act undo")
		assert.FileExists(t, filepath.Join(a.root, "in/x"), line)
	}
}
