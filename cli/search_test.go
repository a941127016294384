package cli_test

import (
	"encoding/json"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/render/units"
)

// The job of a new user: the dawn recordings from Ridge of the last week over
// 1 MB, narrowed to about twenty, the list kept, one looked at.
func TestNarrowingDown(t *testing.T) {
	root := ternPoint(t)
	count := func(words string) int {
		r := run(t, root, append(strings.Fields("search recordings --count --as-of "+moment+" where"), strings.Fields(words)...)...)
		require.Zero(t, r.status, r.err)
		n := 0
		require.NoError(t, json.Unmarshal([]byte(r.out), &n))
		return n
	}
	words, counts := "name has dawn", []int{count("name has dawn")}
	for _, more := range []string{" and name has ridge", " and modified within 7 days", " and size over 1MB"} {
		words += more
		counts = append(counts, count(words))
		assert.Less(t, counts[len(counts)-1], counts[len(counts)-2], words)
	}
	assert.InDelta(t, 20, counts[3], 4, "about twenty, that's a good number")

	r := run(t, root, append(strings.Fields("search recordings --funnel --as-of "+moment+" --save-list ridge.txt where"), strings.Fields(words)...)...)
	assert.Zero(t, r.status)
	assert.Regexp(t, `(?m)^ +\d+  looked at\n +\d+  name has dawn\n +\d+  and name has ridge\n +\d+  and modified within 7 days\n +`+strings.TrimSpace(string(rune('0'+counts[3]/10))+string(rune('0'+counts[3]%10)))+`  and size over 1MB$`, r.out)
	assert.Equal(t, strconv.Itoa(counts[3])+" paths saved in ridge.txt; @@ridge.txt is a place\n", r.err)
	kept := run(t, "/", "list", "@@"+root+"/ridge.txt", "--as", "paths")
	assert.Zero(t, kept.status, kept.err)
	lines := strings.Split(strings.TrimSpace(kept.out), "\n")
	assert.Len(t, lines, counts[3])
	card := run(t, "/", "inspect", lines[0])
	assert.Contains(t, card.out, "audio/wav")
	assert.Equal(t, counts[3], strings.Count(run(t, "/", "search", "@@"+root+"/ridge.txt", "where", "ext", "is", "wav", "--as", "paths").out, "\n"))
}

func TestSearchFinds(t *testing.T) {
	root := tree(t, "a/Dawn.wav", "a/.hid/dawn.csv", "b/where", "b/--odd", "b/(x).txt", "c/sp ace.txt")
	require.NoError(t, os.WriteFile(filepath.Join(root, "c/hash"), []byte("abc"), 0o640))
	require.NoError(t, os.Symlink("nowhere", filepath.Join(root, "c/lost")))
	require.NoError(t, unix.Mkfifo(filepath.Join(root, "c/pipe"), 0o600))
	socket, err := net.Listen("unix", filepath.Join(root, "c/socket"))
	require.NoError(t, err)
	defer socket.Close()
	for line, want := range map[string]string{
		"where name has DAWN":                           "./a/Dawn.wav ./a/.hid/dawn.csv ",
		"where name has DAWN --match-case":              "",
		"where name has dawn --hidden omit":             "./a/Dawn.wav ",
		"a b where kind is file and depth is 1":         "a/Dawn.wav b/(x).txt b/--odd b/where ",
		"b where name is where":                         "b/where ",
		"./b where name is where":                       "./b/where ",
		"-- where name starts --":                       "./b/--odd ",
		"where name has ( or name is lost":              "./b/(x).txt ./c/lost ",
		"where broken":                                  "./c/lost ",
		"where kind is pipe,socket":                     "./c/pipe ./c/socket ",
		"where type is text/plain and stem is dawn":     "./a/Dawn.wav ./a/.hid/dawn.csv ",
		"where mislabelled":                             "./a/Dawn.wav ",
		"where sha256 is BA7816BF":                      "./c/hash ",
		"where md5 is 900150983cd24fb0d6963f7d28e17f72": "./c/hash ",
		"where sha1 is a9993e36 and size over 1kB":      "",
		"where blake3 is 6437b3ac38465133":              "./c/hash ",
		"where sha512 is ddaf35a193617aba":              "./c/hash ",
		"where mode is rw-r-----":                       "./c/hash ",
		"where owner is me and name is hash":            "./c/hash ",
		"where not owner is me":                         "",
		"where depth is 1 and not empty":                "./a ./b ./c ",
		"where path like **/c/*.txt":                    "./c/sp ace.txt ",
		"where target is nowhere":                       "./c/lost ",
		"where folder ends hid":                         "./a/.hid/dawn.csv ",
	} {
		r := run(t, root, append([]string{"search", "--as", "paths"}, strings.Fields(line)...)...)
		assert.Zero(t, r.status, "%s: %s", line, r.err)
		assert.Equal(t, want, strings.ReplaceAll(r.out, "\n", " "), line)
	}
	r := run(t, root, "search", "where", "name is 'sp ace.txt' or (kind is folder and name has hid)")
	assert.Equal(t, root+"\n\n  a/.hid\n  c/sp ace.txt\n\n2 of 14 entries: 1 folder, 1 file · 12 B in the files\n", r.out)
	r = run(t, root, "list", "c", "where", "ext", "is", "txt", "--quiet")
	assert.Contains(t, r.out, "sp ace.txt")
	assert.NotContains(t, r.out, "hash")
}

func TestSearchMistakes(t *testing.T) {
	root := tree(t, "a")
	for line, says := range map[string]string{
		"search":                                       "say what to look for",
		"search . where":                               "a condition is missing after where",
		"search where modifed within 7 days":           "  modifed within 7 days\n  ^^^^^^^\n\n  there is no field modifed; did you mean modified?",
		"search where size over 10q":                   "there is no unit q",
		"search where name starts -x":                  "after -- ",
		"search where owner is nobody-at-all":          "no user nobody-at-all",
		"search where name has a --count --as csv":     "contradict",
		"search where name has a --save-list x --to x": "contradict",
		"recall nothing":                               "there is no saved search",
		"inspect":                                      "name something to inspect",
		"inspect nosuch":                               "no such file",
		"inspect a --preview 0":                        "from 1 on",
		"inspect a --as csv":                           "table or json",
		"inspect a --siblings nosuch":                  "no such file",
	} {
		r := run(t, root, strings.Fields(line)...)
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, says, line)
		assert.Empty(t, r.out)
	}
	r := run(t, root, "search", "where", "size over 2kB and size under 1kB")
	assert.Zero(t, r.status)
	assert.Contains(t, r.err, `no entry can meet both "size over 2kB" and "size under 1kB"`)
}

func TestSearchJSON(t *testing.T) {
	root := tree(t, "dawn.wav", "dawn.csv", "dusk.wav")
	r := run(t, root, "search", "where", "ext is wav and name has dawn", "--funnel", "--as", "json")
	var document struct {
		Entries []map[string]any
		Summary struct {
			Entries  int
			LookedAt int `json:"looked_at"`
			Funnel   []struct {
				Condition string
				Entries   int
			}
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &document), r.out)
	assert.Equal(t, 1, document.Summary.Entries)
	assert.Equal(t, 3, document.Summary.LookedAt)
	assert.Equal(t, 2, document.Summary.Funnel[0].Entries)
	assert.Equal(t, "name has dawn", document.Summary.Funnel[1].Condition)
}

// A kept list gives exact names back, also those with a line break in them.
func TestKeptLists(t *testing.T) {
	root := tree(t, "plain", "two\nlines", "\xff")
	r := run(t, root, "search", "where", "name has n", "--save-list", "kept")
	require.Zero(t, r.status, r.err)
	assert.Equal(t, "./plain\x00./two\nlines\x00", strings.ReplaceAll(run(t, root, "list", "@@kept", "--as", "paths0").out, root, "."))
	require.NoError(t, os.Remove(filepath.Join(root, "plain")))
	r = run(t, root, "list", "@@kept", "--as", "paths0")
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.err, "plain: no such file or directory")
	assert.Equal(t, 2, run(t, root, "list", "@@nosuch").status)
	cmd := command(t, root, "-c", `printf '%s\n' "$PWD"/* | "$0" list @@- --as paths`, frank)
	cmd.Path, _ = exec.LookPath("sh")
	assert.Contains(t, finish(t, cmd).out, "/kept\n")
}

// Names are found however a system stores their accents, on disk, on lists and in records,
// and are told as they are stored.
func TestComposedAndApart(t *testing.T) {
	const apart, composed = "Cafe\u0301.txt", "CAF\u00c9.md"
	root := tree(t, "in/"+apart, "in/"+composed, "in/cafe.txt")
	home := t.TempDir()
	do := func(line string) string {
		cmd := command(t, root, words(t, line)...)
		cmd.Env = append(cmd.Env, "HOME="+home, "FRANK_LEDGER="+filepath.Join(home, "ledger"))
		r := finish(t, cmd)
		require.Zero(t, r.status, r.err)
		return r.out
	}
	do("record in --label in")
	do("list in --save-list list")
	for _, place := range []string{"in", "@in", "@@list"} {
		for _, piece := range []string{"caf\u00e9", "cafe\u0301", "CAFE\u0301"} {
			out := do("search " + place + " " + piece + " -a paths")
			assert.Contains(t, out, apart)
			assert.Contains(t, out, composed)
			assert.NotContains(t, out, "cafe.txt")
		}
		assert.Equal(t, 3, strings.Count(do("search "+place+" cafe -a paths"), "\n"))
		assert.Equal(t, 1, strings.Count(do("search "+place+" Cafe -m -a paths"), "\n"))
	}
}

// Every command that looks keeps what its answer is of.
func TestKeptByEveryCommand(t *testing.T) {
	root := tree(t, "a/one", "a/two words", "b/one")
	require.NoError(t, os.WriteFile(filepath.Join(root, "a/two words"), []byte("a/one"), 0o644))
	for line, want := range map[string]string{
		"list a -f 1":                                "a/one",
		"search one":                                 "a/one b/one",
		"search one --order none -a paths":           "a/one b/one",
		"search one --count":                         "a/one b/one",
		"weigh where kind is file":                   "a/one|a/two words|b/one",
		"tally --by ext where name has o":            "a/one|a/two words|b/one",
		"outline a where kind is file":               "a/one|a/two words",
		"checksum b":                                 "b/one",
		"duplicates":                                 "a/one|a/two words",
		"duplicates --spares where name has two,one": "a/two words|",
		"compare a b":                                "b/one",
		"weigh a where name is nosuch --as jsonl":    "",
	} {
		r := run(t, root, append(words(t, line), "--save-list", "../kept", "--replace")...)
		require.Less(t, r.status, 2, "%s: %s", line, r.err)
		assert.NotEmpty(t, r.out, line)
		data, err := os.ReadFile(filepath.Join(root, "../kept"))
		require.NoError(t, err)
		got := strings.FieldsFunc(string(data), func(r rune) bool { return r == '\n' })
		for i := range got {
			got[i] = strings.TrimPrefix(got[i], root+"/")
		}
		if !strings.Contains(want, "|") {
			want = strings.ReplaceAll(want, " ", "|")
		}
		assert.Equal(t, strings.TrimSuffix(want, "|"), strings.Join(got, "|"), line)
		assert.Contains(t, r.err, units.Count(int64(len(got)), "path", "paths")+" saved in ../kept", line)
	}
	r := run(t, root, "list", "--save-list", "../kept")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "\nfrank list --save-list ../kept --replace\n")
}

func TestRecall(t *testing.T) {
	root := tree(t, "in/dawn.wav", "in/dusk.wav", "in/dawn.csv")
	home := t.TempDir()
	do := func(dir string, args ...string) result {
		cmd := command(t, filepath.Join(root, dir), args...)
		cmd.Env = append(cmd.Env, "XDG_CONFIG_HOME="+home, "FRANK_LEDGER="+filepath.Join(home, "ledger"))
		return finish(t, cmd)
	}
	made := do("", "search", "in", "--as", "paths", "--order", "name/reverse", "--remember", "dawns", "where", "name", "has", "dawn")
	require.Zero(t, made.status, made.err)
	again := do("in", "recall", "dawns")
	assert.Equal(t, strings.ReplaceAll(made.out, "in/", root+"/in/"), again.out, "the same places, from any folder")
	assert.Equal(t, root+"/in/dawn.csv\n"+root+"/in/dawn.wav\n", do("", "recall", "dawns", "--order", "name").out, "options given now go before")
	text, err := os.ReadFile(filepath.Join(home, "frank-ledger/searches.toml"))
	require.NoError(t, err)
	assert.Contains(t, string(text), "[dawns]\nplaces = [\""+root+"/in\"]\nwhere = \"name has dawn\"\n")
	assert.Contains(t, do("", "recall").out, "dawns\n      "+root+"/in where name has dawn\n")
	assert.Contains(t, do("", "recall", "dawn").err, "did you mean dawns?")
	assert.Contains(t, made.err, "remembered as dawns: "+root+"/in where name has dawn\n")
	assert.Equal(t, root+"/in/dawn.wav\n", do("", "recall", "dawns", "where", "ext", "is", "wav").out)
	assert.Equal(t, root+"/in/dawn.wav\n", do("", "recall", "dawns", "where", "ext", "is", "wav", "or", "ext", "is", "csv", "and", "name", "has", "xx").out, "narrowed as a whole")
	assert.Contains(t, do("", "recall", "dawns", "ext", "is", "wav").err, "\nfrank recall dawns where ext is wav\n")
	for _, other := range []struct {
		replace string
		status  int
		keeps   string
	}{{"", 2, "where name has dawn"}, {"--replace", 0, "where name has dusk"}} {
		r := do("", strings.Fields("search in dusk --remember dawns "+other.replace)...)
		assert.Equal(t, other.status, r.status, r.err)
		assert.Contains(t, do("", "recall").out, other.keeps)
	}
	// What the configuration skips is not kept: it may change. A link to the file stays one.
	file, elsewhere := filepath.Join(home, "frank-ledger/searches.toml"), filepath.Join(home, "elsewhere.toml")
	require.NoError(t, os.WriteFile(filepath.Join(home, "frank-ledger/config.toml"), []byte("skip = [\"cache\"]\n"), 0o600))
	require.NoError(t, os.Rename(file, elsewhere))
	require.NoError(t, os.Symlink(elsewhere, file))
	require.Zero(t, do("", "search", "in", "--skip", "old", "--remember", "typed", "where", "name", "has", "dawn").status)
	kept, err := os.ReadFile(elsewhere)
	require.NoError(t, err)
	assert.Contains(t, string(kept), "--skip=old")
	assert.NotContains(t, string(kept), "cache")
	require.Zero(t, do("", "record", "--label", "weekly").status)
	require.Zero(t, do("", "list", "--save-list", "list").status)
	assert.Zero(t, do("", "search", "@weekly", "@@list", "--remember", "places", "where", "empty").status)
	assert.Contains(t, do("", "recall").out, "@weekly @@"+root+"/list where empty\n", "a record is no file")
	assert.Zero(t, do("", "recall", "dawns", "--forget").status)
	assert.Equal(t, 2, do("", "recall", "dawns").status)
	require.NoError(t, os.WriteFile(filepath.Join(home, "frank-ledger/searches.toml"), []byte("x = = 3\n"), 0o644))
	r := do("", "recall")
	assert.Equal(t, 4, r.status)
	assert.Contains(t, r.err, "searches.toml, line 1")
}

func TestInspect(t *testing.T) {
	root := tree(t, "text.txt", "folder/inner/x", "folder/y")
	in := func(name string) string { return filepath.Join(root, name) }
	require.NoError(t, os.WriteFile(in("text.txt"), []byte("first \x1b[31m\nsecond\nthird\n"), 0o640))
	require.NoError(t, os.Chmod(in("text.txt"), 0o640|os.ModeSetuid))
	require.NoError(t, os.Link(in("text.txt"), in("folder/again")))
	require.NoError(t, os.Symlink("hop", in("jump")))
	require.NoError(t, os.Symlink("text.txt", in("hop")))
	require.NoError(t, os.Symlink("round-2", in("round-1")))
	require.NoError(t, os.Symlink("round-1", in("round-2")))
	attribute := unix.Setxattr(in("text.txt"), "user.note", []byte("x"), 0)

	card := run(t, root, "inspect", "text.txt", "--preview", "2", "--siblings", ".", "--times", "utc").out
	for _, says := range []string{
		root + "/text.txt", "kind         file, text/plain", "content      25 bytes", "(content last altered)", "(last read)", "(details last altered", "(made)",
		"rwS r-- ---  4640", "the owner may read and write; the group may read; others may not do anything; it runs with its owner's rights", "the set-user-ID bit is set",
		"names        2 names", "also         ./folder/again", "2 lines from the start\n    first \\x1b[31m\n    second\n", "mounted at /",
	} {
		assert.Contains(t, card, says)
	}
	if attribute == nil {
		assert.Contains(t, card, "attributes   user.note")
	}
	assert.Contains(t, run(t, root, "inspect", "folder").out, "holds        4 entries: 1 folder, 3 files")
	jump := run(t, root, "inspect", "jump").out
	assert.Contains(t, jump, "target       hop\n  leads to     hop\n  and that to  text.txt\n")
	assert.Contains(t, run(t, root, "inspect", "round-1").out, "leads back to itself: the link is broken")
	assert.Contains(t, run(t, root, "inspect", "folder/inner", "--preview", "3").out, "none: it is not a file")

	r := run(t, root, "inspect", "jump", "text.txt", "nosuch", "--as", "json")
	assert.Equal(t, 3, r.status)
	var document struct {
		Entries  []map[string]any
		Problems []map[string]any
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &document), r.out)
	assert.Equal(t, []any{"hop", "text.txt"}, document.Entries[0]["chain"])
	assert.Equal(t, "there", document.Entries[0]["chain_end"])
	assert.Equal(t, "4640", document.Entries[1]["mode"])
	assert.Equal(t, 25.0, document.Entries[1]["size"])
	assert.Equal(t, "nosuch", document.Problems[0]["path"])

	if os.Geteuid() == 0 {
		require.NoError(t, os.Chmod(in("folder/inner"), 0o700))
		r = finish(t, stranger(command(t, root, "inspect", "folder")))
		assert.Equal(t, 3, r.status)
		assert.Contains(t, r.out, "and more that could not be read")
		assert.Contains(t, r.out, "you          may list it, enter it")
	}
}
