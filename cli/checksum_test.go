package cli_test

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"encoding/csv"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// hostileNames are of files that lists have to bring back.
var hostileNames = []string{"plain", "two words", " leading", "*star", "line\nbreak", "per%cent %0A", "back\\slash", "cr\rhere", "comma,\"quote\"", "br\xffken", "-dash", "#hash", "deep/er/file"}

// A list in any of our formats, written in the folder itself, names every file
// but itself, and the files are the same as it says.
func TestListsReadBack(t *testing.T) {
	for _, format := range []string{"manifest", "csv", "json", "jsonl"} {
		root := tree(t, hostileNames...)
		r := run(t, root, "checksum", "--as", format, "--to", "list")
		require.Zero(t, r.status, r.err)
		r = run(t, root, "verify", "list", "--unlisted", "--as", "json")
		require.Zero(t, r.status, r.err)
		var document struct{ Summary map[string]any }
		require.NoError(t, json.Unmarshal([]byte(r.out), &document))
		assert.EqualValues(t, len(hostileNames), document.Summary["same"], format)

		// From elsewhere, and after one was altered and one is gone.
		require.NoError(t, os.WriteFile(filepath.Join(root, "two words"), []byte("two wordS"), 0o644))
		require.NoError(t, os.Remove(filepath.Join(root, "deep/er/file")))
		require.NoError(t, os.WriteFile(filepath.Join(root, "new"), nil, 0o644))
		r = run(t, "/", "verify", filepath.Join(root, "list"), "--unlisted", "--as", "jsonl")
		assert.Equal(t, 1, r.status)
		var got []string
		for line := range strings.Lines(r.out) {
			var row map[string]any
			require.NoError(t, json.Unmarshal([]byte(line), &row))
			got = append(got, fmt.Sprint(row["status"], " ", row["name"]))
			assert.Equal(t, filepath.Join(root, row["name"].(string)), row["path"])
		}
		assert.Equal(t, []string{"different two words", "missing deep/er/file", "unlisted new"}, got, format)
	}
}

func TestManifestLines(t *testing.T) {
	root := tree(t, "data/b%", "data/a\nx", "other/c")
	sum := func(text string) string { s := sha256.Sum256([]byte(text)); return hex.EncodeToString(s[:]) }
	r := run(t, root, "checksum", "data", "--as", "manifest", "--to", "data/list")
	assert.Equal(t, result{err: "2 digests written to data/list; frank verify data/list checks the files against them\n"}, r)
	content, err := os.ReadFile(filepath.Join(root, "data/list"))
	require.NoError(t, err)
	assert.Equal(t, sum("data/a\nx")+" a%0Ax\n"+sum("data/b%")+" b%25\n", string(content))
	r = run(t, filepath.Join(root, "other"), "checksum", "../data/b%", "--as", "manifest")
	assert.Equal(t, sum("data/b%")+" ../data/b%25\n", r.out)
	assert.Contains(t, r.err, "1 name leads outside the folder of the list")
	assert.Contains(t, run(t, root, "checksum", "--as", "manifest", "--algorithm", "md5,sha1").err, "takes one algorithm")
}

func TestChecksumGroups(t *testing.T) {
	root := tree(t, "a", "b/c", "d")
	for _, name := range []string{"twin", "b/twin"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte("a"), 0o644))
	}
	require.NoError(t, os.Symlink("d", filepath.Join(root, "link")))
	sum := sha256.Sum256([]byte("a"))
	out := run(t, root, "checksum").out
	assert.Regexp(t, `(?m)^  a +a +1 B +`+hex.EncodeToString(sum[:])+`$`, out)
	assert.Regexp(t, `(?m)^  b/twin +a +1 B `, out)
	assert.Regexp(t, `(?m)^  d +1 B `, out, "no mark")
	assert.Contains(t, out, "5 files, 7 B read")
	assert.Contains(t, out, "3 have the same content as another: 3 marked a; 2 stand alone")
	assert.Contains(t, run(t, root, "checksum", "a", "twin").out, "all have the same content")
	assert.Contains(t, run(t, root, "checksum", "a", "d").out, "all contents differ")
	long := sha512.Sum512([]byte("d"))
	out = run(t, root, "checksum", "link", "--algorithm", "sha512,md5", "--as", "csv").out
	assert.Regexp(t, `^path,size,algorithm,digest,modified\r\nlink,1,sha512,`+hex.EncodeToString(long[:])+`,.*\r\nlink,1,md5,8277e0910d750195b448797616e091ad,`, out)
	assert.Contains(t, run(t, root, "checksum", "where", "name", "is", "d", "--as", "json").out, `"bytes_read":1`)
}

func TestExpect(t *testing.T) {
	root := tree(t, "abc", "folder/")
	sum, sum384 := sha256.Sum256([]byte("abc")), sha512.Sum384([]byte("abc"))
	digits := hex.EncodeToString(sum[:])
	for text, want := range map[string]int{
		" " + strings.ToUpper(digits) + " ":                      0,
		"sha256:" + digits:                                       0,
		"sha384-" + base64.StdEncoding.EncodeToString(sum384[:]): 0,
		digits + "  some name":                                   0,
		"SHA2-256(x)= " + digits:                                 0,
		digits[:63] + "e":                                        1, "blake3:" + digits: 1, "sha3-256:" + digits: 1,
		digits[:63]: 2, digits + "00": 2, digits[:63] + "x": 2, "whirlpool:" + digits + digits: 2, "": 2,
	} {
		r := run(t, root, "checksum", "abc", "--expect", text)
		assert.Equal(t, want, r.status, "%s %s", text, r.err)
		if want < 2 {
			assert.Equal(t, 1, strings.Count(r.out, "\n"), "one plain line")
			assert.Equal(t, want == 0, strings.HasPrefix(r.out, "same: abc "), r.out)
		}
	}
	assert.Contains(t, run(t, root, "checksum", "abc", "--expect", digits).out, "could be of sha256, blake3 or sha3-256")
	for args, says := range map[string]string{"abc abc": "checks one file", "folder": "is a folder", "nosuch": "no such file", "abc --algorithm md5": "a digest of sha256, blake3 or sha3-256, not of md5"} {
		r := run(t, root, append([]string{"checksum", "--expect", digits}, strings.Fields(args)...)...)
		assert.Equal(t, 2, r.status)
		assert.Contains(t, r.err, says)
	}
	assert.Contains(t, run(t, root, "checksum", "abc", "--expect", digits, "--as", "jsonl").out, `"status":"same","expected":"`+digits)
}

func TestVerifyTable(t *testing.T) {
	root := ternPoint(t)
	r := run(t, root, "verify", "handover/manifest-sha256.txt", "--as-of", moment)
	assert.Equal(t, 1, r.status)
	lines := strings.Split(r.out, "\n")
	require.Greater(t, len(lines), 7, r.out)
	assert.Equal(t, filepath.Join(root, "handover"), lines[0])
	assert.Equal(t, "  different   data/summary.txt", lines[2])
	assert.Contains(t, lines[3], "29 B, altered 37 hours ago")
	expected, actual := strings.TrimPrefix(strings.TrimSpace(lines[4]), "expected "), strings.TrimPrefix(strings.TrimSpace(lines[5]), "actual   ")
	at := strings.Index(lines[6], "^") - strings.Index(lines[4], expected)
	assert.Equal(t, expected[:at], actual[:at])
	assert.NotEqual(t, expected[at], actual[at])
	assert.Equal(t, []string{"  same        data/calls.csv", "  same        data/photo 1.png", "  same        data/weather.json", "", "3 same, 1 different · 4 files listed"}, lines[7:12])
	all := run(t, root, "verify", "handover/manifest-sha256.txt", "--show", "all").out
	assert.Contains(t, all, "  same        data/photo 1.png\n")
}

// What a list may name beside files, and lists that are not in order.
func TestVerifyTrouble(t *testing.T) {
	root := tree(t, "secret", "in/x", "folder/file")
	require.NoError(t, os.Chmod(filepath.Join(root, "secret"), 0))
	require.NoError(t, unix.Mkfifo(filepath.Join(root, "pipe"), 0o644))
	const md5 = "9dd4e461268c8034f5c8564e155c67a6" // of x
	list := ""
	for _, name := range []string{"secret", "pipe", "folder", "../out", "/etc/hostname", "in/x", "folder/file/below"} {
		list += md5 + "  " + name + "\n"
	}
	list += "WHIRLPOOL (in/x) = 00\n" + md5[1:] + "  in/x\n"
	require.NoError(t, os.WriteFile(filepath.Join(root, "MD5"), []byte(list), 0o644))
	r := finish(t, stranger(command(t, root, "verify", "MD5", "--as", "csv", "--show", "all")))
	assert.Equal(t, 1, r.status)
	for _, row := range []string{"missing,", "unreadable,9", "different,9"} {
		assert.Contains(t, r.out, row)
	}
	assert.Contains(t, r.err, "could not read pipe: it is not a file but a pipe")
	assert.Contains(t, r.err, "could not read folder: it is not a file but a folder")
	assert.Contains(t, r.err, "could not read secret: permission denied")
	assert.Contains(t, r.err, "could not read ../out in line 4 of MD5: it leads out of the folder")
	assert.Contains(t, r.err, "could not read /etc/hostname in line 5 of MD5: it leads out")
	assert.Contains(t, r.err, `could not understand line 8 of MD5: no such algorithm: "WHIRLPOOL"`)
	assert.Contains(t, r.err, "could not understand line 9 of MD5: not a digest: it has 31 digits")

	require.NoError(t, os.WriteFile(filepath.Join(root, "list.md5"), []byte(md5+"  ./../x\n"), 0o644))
	assert.Equal(t, 2, run(t, root, "verify", "nosuch").status)
	assert.Contains(t, run(t, root, "verify", "folder").err, "is a folder, not a list")
	assert.Contains(t, run(t, root, "verify", "in/x").err, "in/x is not a list of digests")
	require.NoError(t, os.WriteFile(filepath.Join(root, "x"), []byte("x"), 0o644))
	assert.Equal(t, 3, run(t, root, "verify", "list.md5", "--in", "folder").status, "nothing could be looked at")
	assert.Equal(t, 0, run(t, root, "verify", "list.md5", "--in", "folder", "--allow-outside").status)
}

// A file that is being written has no digest.
func TestChecksumOfChangingFile(t *testing.T) {
	root := tree(t, "log")
	path := filepath.Join(root, "log")
	require.NoError(t, os.Truncate(path, 300<<20)) // takes a while to read
	cmd := command(t, root, "checksum", "log", "--as", "csv")
	stop := make(chan struct{})
	done := make(chan struct{})
	go func() {
		defer close(done)
		for {
			select {
			case <-stop:
				return
			default:
				os.Chtimes(path, time.Now(), time.Now())
				time.Sleep(time.Millisecond)
			}
		}
	}()
	r := finish(t, cmd)
	close(stop)
	<-done
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.err, "could not read log: it changed during the run")
	assert.Contains(t, r.out, "log,314572800,sha256,,")
}

// Devices are named, and never opened.
func TestChecksumOfDevice(t *testing.T) {
	r := run(t, "/", "checksum", "/dev/null", "/dev/zero")
	assert.Equal(t, 3, r.status)
	assert.Equal(t, "frank: could not read /dev/null: it is not a file but a device\nfrank: could not read /dev/zero: it is not a file but a device\n", r.err)
}

// What the system makes up as it is read has no size.
func TestChecksumOfMadeUpFile(t *testing.T) {
	content, err := os.ReadFile("/proc/version")
	if err != nil {
		t.Skipf("no such file system here: %v", err)
	}
	sum := sha256.Sum256(content)
	assert.Contains(t, run(t, "/", "checksum", "/proc/version", "--as", "csv").out, "/proc/version,,sha256,"+hex.EncodeToString(sum[:]))
}

// The jobs that people have with digests, as a newcomer does them.
func TestFingerprintJobs(t *testing.T) {
	root := ternPoint(t)
	ok := func(line ...string) string {
		r := run(t, root, line...)
		require.Zero(t, r.status, "%s %s", line, r.err)
		return r.out
	}
	// Is the download what the page says? The page has it in capitals.
	published := sha256.Sum256([]byte("All five sites were visited.\n"))
	assert.Contains(t, ok("checksum", "handover/data/summary.txt", "--expect", strings.ToUpper(hex.EncodeToString(published[:]))), "same: ")
	// A list of the station's count sheets, and a week later.
	ok("checksum", "counts", "--as", "manifest", "--to", "counts/manifest-sha256.txt")
	assert.Contains(t, ok("verify", "counts/manifest-sha256.txt"), "36 same · 36 files listed")
	require.NoError(t, os.WriteFile(filepath.Join(root, "counts/2025/count-3.csv"), []byte("altered"), 0o644))
	r := run(t, root, "verify", "counts/manifest-sha256.txt")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "different   2025/count-3.csv")
	assert.Contains(t, r.out, "35 same, 1 different")
	assert.Equal(t, 2, run(t, root, "checksum", "counts", "--as", "manifest", "--to", "counts/manifest-sha256.txt").status, "a list is not overwritten")
}

// A list from a pipe, and one that the shell writes into the folder it is about.
func TestListsThroughTheShell(t *testing.T) {
	root := tree(t, "a", "b/c")
	shell := func(line string) result {
		cmd := command(t, root, "-c", `frank() { "`+frank+`" "$@"; }; `+line)
		cmd.Path = "/bin/sh"
		return finish(t, cmd)
	}
	r := shell("frank checksum --as manifest >list && cat list && frank verify - <list --unlisted; echo $?")
	assert.Contains(t, r.out, "2 same, 1 unlisted · 2 files listed\nthe list does not say by which algorithm; tried sha256, blake3, sha3-256: it is sha256\n1\n", "the list is not on itself")
	require.NoError(t, os.Remove(filepath.Join(root, "list")))
	r = shell("frank checksum --as manifest | frank verify -")
	assert.Contains(t, r.out, "2 same · 2 files listed")
	assert.Contains(t, shell("frank checksum a --as table").out, "1 file, 1 B read")
	assert.Contains(t, shell("frank checksum --as tabel").err, "did you mean table?")
	assert.Contains(t, shell("frank checksum --as paths").err, "can be table, manifest, csv")
}

// untilReading waits until a command has read a good deal of content.
func untilReading(t *testing.T, cmd *exec.Cmd) {
	t.Helper()
	counts := fmt.Sprint("/proc/", cmd.Process.Pid, "/io")
	if _, err := os.Stat(counts); err != nil {
		cmd.Process.Kill()
		t.Skip("this system does not tell how much a process has read")
	}
	require.Eventually(t, func() bool {
		text, err := os.ReadFile(counts)
		_, rest, found := strings.Cut(string(text), "rchar: ")
		digits, _, _ := strings.Cut(rest, "\n")
		read, wrong := strconv.ParseInt(digits, 10, 64)
		return err == nil && found && wrong == nil && read > 64<<20
	}, time.Minute, time.Millisecond)
}

// Ctrl-C while content is read ends it with 130 and leaves nothing.
func TestContentInterrupted(t *testing.T) {
	root := tree(t, "big", "twin", "other/big", "list")
	for _, name := range []string{"big", "twin", "other/big"} {
		require.NoError(t, os.Truncate(filepath.Join(root, name), 0))
		require.NoError(t, os.Truncate(filepath.Join(root, name), 40<<30)) // takes minutes
	}
	require.NoError(t, os.WriteFile(filepath.Join(root, "list"), []byte("9dd4e461268c8034f5c8564e155c67a6  big\n"), 0o644))
	for _, line := range []string{"checksum big --as csv --to out", "verify list", "duplicates where size over 1GB", "duplicates other . --only-in other", "compare . other --content"} {
		cmd := command(t, root, strings.Fields(line)...)
		var said strings.Builder
		cmd.Stdout, cmd.Stderr = &said, &said
		require.NoError(t, cmd.Start())
		untilReading(t, cmd)
		require.NoError(t, cmd.Process.Signal(os.Interrupt))
		begun := time.Now()
		cmd.Wait()
		assert.Equal(t, 130, cmd.ProcessState.ExitCode(), "%s: %s", line, &said)
		assert.Less(t, time.Since(begun), 20*time.Second, line) // it stops at all
		_, err := os.Stat(filepath.Join(root, "out"))
		assert.ErrorIs(t, err, os.ErrNotExist)
	}
}

// What is missing is found under other names by its content: two files with the same
// content are two, what is altered is not found, and a record works as a list does.
func TestVerifyMoved(t *testing.T) {
	t.Parallel()
	root := tree(t, "a", "b", "c", "d", "deep/e")
	for name, content := range map[string]string{"a": "same", "b": "same", "c": "other", "d": "gone", "deep/e": "stays"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(content), 0o644))
	}
	ledger := filepath.Join(t.TempDir(), "ledger")
	require.Zero(t, finish(t, withLedger(t, ledger, root, "record", "--checksum", "sha256", "--label", "l")).status)
	list := filepath.Join(t.TempDir(), "list")
	require.Zero(t, run(t, root, "checksum", "--as", "manifest", "--to", list).status)
	content, err := os.ReadFile(list)
	require.NoError(t, err)
	lines := regexp.MustCompile(`(?m) \S*?([abcd]|deep/e)$`).ReplaceAllString(string(content), " $1")
	require.NoError(t, os.WriteFile(list, []byte(lines), 0o644))
	require.NoError(t, os.Rename(filepath.Join(root, "a"), filepath.Join(root, "deep/was a")))
	require.NoError(t, os.Rename(filepath.Join(root, "b"), filepath.Join(root, "z")))
	require.NoError(t, os.Rename(filepath.Join(root, "c"), filepath.Join(root, "y")))
	require.NoError(t, os.WriteFile(filepath.Join(root, "d"), []byte("GONE"), 0o644))
	require.NoError(t, os.Rename(filepath.Join(root, "d"), filepath.Join(root, "x")))
	for _, args := range [][]string{{"verify", list, "--in", "."}, {"verify", "@l"}} {
		r := finish(t, withLedger(t, ledger, root, append(args, "--moved", "--as", "csv", "--unlisted")...))
		assert.Equal(t, 1, r.status, r.err)
		moved := map[string]string{}
		statuses := map[string]string{}
		rows, err := csv.NewReader(strings.NewReader(r.out)).ReadAll()
		require.NoError(t, err)
		for _, row := range rows[1:] {
			statuses[row[4]] = row[1]
			if row[1] == "moved" {
				moved[row[4]] = strings.TrimPrefix(strings.TrimPrefix(row[7], root+"/"), "./")
			}
		}
		assert.Equal(t, map[string]string{"a": "deep/was a", "b": "z", "c": "y"}, moved)
		assert.Equal(t, map[string]string{"a": "moved", "b": "moved", "c": "moved", "d": "missing", "x": "unlisted"}, statuses)
		r = finish(t, withLedger(t, ledger, root, append(args, "--moved")...))
		assert.Contains(t, r.out, "1 same, 1 missing, 3 moved")
		assert.Contains(t, r.out, "its content is now deep/was a")
	}
}

// With a condition, verify checks what meets it: as it is now or, of a record, as it was.
func TestVerifyWhere(t *testing.T) {
	root, home := tree(t, "in/a.txt", "in/b.md", "in/sub/c.txt"), t.TempDir()
	frank := func(line string) result {
		cmd := command(t, root, strings.Fields(line)...)
		cmd.Env = append(cmd.Env, "HOME="+home, "XDG_DATA_HOME="+home)
		return finish(t, cmd)
	}
	require.Zero(t, frank("checksum in --as manifest --to in/list").status)
	require.Zero(t, frank("record in --label l --checksum sha256").status)
	require.NoError(t, os.WriteFile(filepath.Join(root, "in/a.txt"), make([]byte, 3000), 0o644))
	require.NoError(t, os.Remove(filepath.Join(root, "in/b.md")))
	for line, says := range map[string]string{
		"verify in/list where ext is txt":              "1 same, 1 different · 2 files listed",
		"verify in/list where path is sub/c.txt":       "1 same · 1 file listed",
		"verify in/list where ext is md":               "0 same, 1 missing · 1 file listed",
		"verify in/list where size over 2kB":           "0 same, 1 different · 1 file listed",
		"verify @l where size over 2kB":                "0 same, 1 different · 1 file listed",
		"verify @l where size under 2kB":               "2 same, 1 different, 1 missing · 4 files listed", // as it was, the list among them
		"verify in/list --unlisted where kind is pipe": "0 same · 0 files listed",
	} {
		assert.Contains(t, frank(line).out, says, line)
	}
	r := frank("verify in/list where size over 2kB")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "1 of 3 files listed meet the condition")
	assert.Contains(t, r.out, "it is not known whether 1 entry matches", "of what is missing there is no size")
}
