package cli_test

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// words parts a line of a shell into words.
func words(t *testing.T, line string) (list []string) {
	t.Helper()
	for rest := strings.TrimSpace(line); rest != ""; rest = strings.TrimSpace(rest) {
		word, quoted, i := "", false, 0
		for i < len(rest) && (quoted || rest[i] != ' ') {
			if rest[i] == '\'' {
				quoted = !quoted
			} else {
				word += rest[i : i+1]
			}
			i++
		}
		require.False(t, quoted, line)
		list, rest = append(list, word), rest[i:]
	}
	return list
}

// forgiven is what a person may type, and what is answered: the command lines that are
// offered, in order, or nothing where it is understood as it is.
var forgiven = []struct{ typed, repairs, selects string }{
	// Understood: pieces of names, conditions without where, everyday words.
	{"search dawn", "", "dawn.wav ridge_dawn.wav"},
	{"search ridge dawn", "", "ridge_dawn.wav"},
	{"search dawn ridge", "", "ridge_dawn.wav"},
	{"search '*.tmp'", "", "old.tmp"},
	{"search 'd?wn*'", "", "dawn.wav"},
	{"search '[no'", "", ""},
	{"search ,b", "", "a,b"},
	{"search cards tmp", "", "old.tmp"},
	{"search ./cards old", "", "old.tmp"},
	{"search size over 10MB", "", "big.img"},
	{"search ext is wav", "", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"search kind is dir", "", "cards notes"},
	{"search where name contains dawn", "", "dawn.wav ridge_dawn.wav"},
	{"search where name has dawn or dusk", "", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"search where name has dawn and ridge", "", "ridge_dawn.wav"},
	{"search where ext is tmp or img", "", "big.img old.tmp"},
	{"search where ext is not wav and kind is file", "", ".hidden a,b big.img old.tmp rota.md 'today 1.md'"},
	{"search where ext is any of tmp,img", "", "big.img old.tmp"},
	{"search where ext = tmp", "", "old.tmp"},
	{"search where extension is tmp", "", "old.tmp"},
	{"search where owner is not me", "", ""},
	{"search where hidden is yes", "", ".hidden"},
	{"search where kind is file and hidden is no and ext is md", "", "rota.md 'today 1.md'"},
	{"search where is hidden", "", ".hidden"},
	{"search where size bigger than 10M", "", "big.img"},
	{"search where bigger than 10000000", "", "big.img"},
	{"search where larger than 10MB", "", "big.img"},
	{"search where size > 10MB", "", "big.img"},
	{"search where size greater than 10MB", "", "big.img"},
	{"search where size more than 10MB", "", "big.img"},
	{"search where size is over 10MB", "", "big.img"},
	{"search where over 10MB", "", "big.img"},
	{"search where size above 10MB", "", "big.img"},
	{"search where older than 3 days", "", "dusk.wav old.tmp"},
	{"search where older than 3d", "", "dusk.wav old.tmp"},
	{"search where modified older than 3 days", "", "dusk.wav old.tmp"},
	{"search where modified before 3 days", "", "dusk.wav old.tmp"},
	{"search where age more than 3 days", "", "dusk.wav old.tmp"},
	{"search where older than 1 week and kind is file", "", "old.tmp"},
	{"search where newer than 1h and ext is md", "", "rota.md 'today 1.md'"},
	{"search where modified today and ext is md", "", "rota.md 'today 1.md'"},
	{"search where modified since today and ext is md", "", "rota.md 'today 1.md'"},
	{"search where modified within week and ext is wav", "", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"search where modified in the last 2 days and ext is wav", "", "dawn.wav ridge_dawn.wav"},
	{"search where modified last 2 days and ext is wav", "", "dawn.wav ridge_dawn.wav"},
	{"search where mtime within 2 days and ext is wav", "", "dawn.wav ridge_dawn.wav"},
	{"search where name starts with da", "", "dawn.wav"},
	{"search where name ends with .img", "", "big.img"},
	{"search where filename is dawn.wav", "", "dawn.wav"},
	{"search where name not has a and kind is file", "", ".hidden big.img old.tmp"},
	{"search where name does not contain a and kind is file", "", ".hidden big.img old.tmp"},
	{"search where kind is symlink", "", ""},
	{"search where kind is file or folder and name has o", "", "notes old.tmp rota.md 'today 1.md'"},
	{"search where type is image", "", ""},
	{"search where path starts cards/", "", "old.tmp"},
	{"search where path starts ./cards/", "", "old.tmp"},
	{"list where ext is wav -d all", "", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"list -d all -f 2 -o size where kind is file", "", "big.img 'today 1.md'"},
	// Conditions: what is wrong is put right.
	{"search where modifed within 7 days and ext is wav", "search where modified within 7 days and ext is wav", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"search where ext is wav name has ridge", "search where ext is wav and name has ridge", "ridge_dawn.wav"},
	{"search where ext is wav older than 3 days", "search where ext is wav and older than 3 days", "dusk.wav"},
	{"search where name is today 1.md", "search where name is 'today 1.md'", "'today 1.md'"},
	{"search where name hass dawn", "search where name has dawn", "dawn.wav ridge_dawn.wav"},
	{"search where dawn", "search where name has dawn", "dawn.wav ridge_dawn.wav"},
	{"search where '*.wav'", "search where name like '*.wav'", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"search where kind is flie and hidden", "search where kind is file and hidden", ".hidden"},
	{"search where ext is .wav", "search where ext is wav", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"search where ext is '*.wav'", "search where ext is wav", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"search where size=10MB", "search where size is 10MB", ""},
	{"search where 'size>10MB'", "search where size over 10MB", "big.img"},
	{"search where 'ext=wav'", "search where ext is wav", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"search where modified within 7 and ext is wav", "search where modified within 7 days and ext is wav|search where modified within 7 hours and ext is wav", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"search where modified within 5m", "search where modified within 5min|search where modified within 5 months", "a,b big.img cards notes rota.md 'today 1.md' .hidden"},
	{"search where modified on 2026-11-20T14:00", "search where modified on 2026-11-20", ""},
	{"search where type is imge", "search where type is image", ""},
	{"search where name dawn", "search where name is dawn", ""},
	{"search where modifed since yesterday and ext is md", "search where modified since yesterday and ext is md", "rota.md 'today 1.md'"},
	{"search where ext is notes.md", "search where name ends .notes.md", ""},
	{"search where kind is file and name matches '*.wav' and name has d", "search where kind is file and name like '*.wav' and name has d", "dawn.wav dusk.wav ridge_dawn.wav"},
	// Other words for commands.
	{"find dawn", "search dawn", "dawn.wav ridge_dawn.wav"},
	{"find name has dawn", "search name has dawn", "dawn.wav ridge_dawn.wav"},
	{"locate dawn", "search dawn", "dawn.wav ridge_dawn.wav"},
	{"serach dawn", "search dawn", "dawn.wav ridge_dawn.wav"},
	{"show cards", "list cards", "old.tmp"},
	{"dir cards", "list cards", "old.tmp"},
	{"lsit cards", "list cards", "old.tmp"},
	{"contents cards", "list cards", "old.tmp"},
	{"tree cards", "outline cards", ""},
	{"usage", "weigh", ""},
	{"size cards", "weigh cards", ""},
	{"sizes", "weigh", ""},
	{"count", "tally --by kind", ""},
	{"stats", "tally --by kind", ""},
	{"extensions", "tally --by ext", ""},
	{"info dawn.wav", "inspect dawn.wav", ""},
	{"details dawn.wav", "inspect dawn.wav", ""},
	{"hash dawn.wav", "checksum dawn.wav", ""},
	{"fingerprint dawn.wav", "checksum dawn.wav", ""},
	{"duplicate cards", "duplicates cards", ""},
	{"copies", "duplicates", ""},
	{"differences cards notes", "compare cards notes", ""},
	{"snapshot cards --label c", "record cards --label c", ""},
	{"records", "ledger entries", ""},
	{"delete cards/old.tmp", "act remove cards/old.tmp", ""},
	{"erase cards/old.tmp", "act remove cards/old.tmp", ""},
	{"remove cards/old.tmp", "act remove cards/old.tmp", ""},
	{"move dawn.wav --into cards", "act move dawn.wav --into cards", ""},
	{"hide dawn.wav", "act hide dawn.wav", ""},
	{"unhide .hidden", "act reveal .hidden", ""},
	{"act delete cards/old.tmp", "act remove cards/old.tmp", ""},
	{"act unhide .hidden", "act reveal .hidden", ""},
	{"act journl", "act journal", ""},
	{"act permit cards go-w", "act permit go-w cards", ""},
	{"settings", "config", ""},
	{"log notes", "history notes", ""},
	// Other words for options.
	{"list --sort size -f 1", "list --order size -f 1", "big.img"},
	{"list --sort=size --first 1", "list --order size --first 1", "big.img"},
	{"list --sort-by newest cards", "list --order modified cards", "old.tmp"},
	{"list --ordr size --first 1", "list --order size --first 1", "big.img"},
	{"list --limit 1 -o size", "list --first 1 -o size", "big.img"},
	{"list --max 1 -o size", "list --first 1 -o size", "big.img"},
	{"list -n 1 -o size", "list --first 1 -o size", "big.img"},
	{"list cards --recursive", "list cards --depth all", "old.tmp"},
	{"list cards -r", "list cards --depth all", "old.tmp"},
	{"list cards -R", "list cards --depth all", "old.tmp"},
	{"list cards --max-depth 2", "list cards --depth 2", "old.tmp"},
	{"list cards --json", "list cards --as json", "!"},
	{"list cards --csv", "list cards --as csv", "!"},
	{"list cards --format csv", "list cards --as csv", "!"},
	{"list cards --print0", "list cards --as paths0", "!"},
	{"list cards --all", "list cards --hidden show", "old.tmp"},
	{"list cards --long", "list cards --columns name,size,modified,permissions,owner", "!"},
	{"list --exclude cards -d all where ext is tmp", "list --skip cards -d all where ext is tmp", ""},
	{"list --ignore-case where name has DAWN", "list where name has DAWN", "dawn.wav ridge_dawn.wav"},
	{"list --one-file-system cards", "list --same-disk cards", "old.tmp"},
	{"list --no-color cards", "list --colour never cards", "old.tmp"},
	{"list --bytes cards", "list --units bytes cards", "!"},
	{"list --name '*.img'", "list where name like '*.img'", "big.img"},
	{"search --ext img", "search where ext is img", "big.img"},
	{"search --type d", "search where kind is folder", "cards notes"},
	{"search --min-size 10MB", "search where size at least 10MB", "big.img"},
	{"search --older 2w where kind is file", "search where kind is file and modified before 2w", "old.tmp"},
	{"list cards --output x.csv", "list cards --to x.csv", "!"},
	{"list cards --first ten", "list cards --first 10", "old.tmp"},
	{"list cards --first 10x", "list cards --first 10", "old.tmp"},
	{"tally --group-by ext", "tally --by ext", ""},
	{"checksum dawn.wav --hash md5", "checksum dawn.wav --algorithm md5", ""},
	{"act remove cards/old.tmp --dry-run", "act remove cards/old.tmp", ""},
	{"list --to x.foo", "list --to x.foo --as table|list --to x.json", "!"},
	{"list --columns nam,size cards", "list --columns name,size cards", "!"},
	{"list -o sise -f 1", "list -o size -f 1", "big.img"},
	{"list --order=date cards", "", "old.tmp"},
	{"list --as jsn cards", "list --as json cards", "!"},
	{"list --as text cards", "list --as table cards", "!"},
	{"list --hidden all cards", "list --hidden show cards", "old.tmp"},
	{"list --units giga cards", "list --units GB cards", "!"},
	{"list --times iso cards", "list --times utc cards", "!"},
	{"list --depth two cards", "list --depth 2 cards", "old.tmp"},
	{"weigh --by sizes", "weigh --by size", ""},
	{"tally --by extension", "tally --by ext", ""},
	{"checksum dawn.wav --algorithm sha2", "checksum dawn.wav --algorithm sha256", ""},
	{"duplicates --keep newer", "duplicates --keep newest", ""},
	{"list @weekli", "list @weekly", "rota.md 'today 1.md'"},
	{"search -name dawn", "search where name like dawn", ""},
	{"list -order size -f 1", "list --order size -f 1", "big.img"},
	{"compare cards notes -f 2", "compare cards notes", ""},
	{"tally ext", "tally --by ext", ""},
	{"search where ext is wav and", "search where ext is wav", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"inspect nots/rota.md", "inspect notes/rota.md", ""},
	// Places.
	{"list cads", "list cards", "old.tmp"},
	{"list Cards", "list cards", "old.tmp"},
	{"list notse/", "list notes", "rota.md 'today 1.md'"},
	{"inspect notes/rota.mb", "inspect notes/rota.md", ""},
	{"list ext is wav", "list where ext is wav", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"list cards ext is tmp", "list cards where ext is tmp", "old.tmp"},
	{"weigh size over 10MB", "weigh where size over 10MB", ""},
	{"list dawn", "list dawn.wav", "dawn.wav"},
	{"search cards", "list cards|list cards --depth all|search where name has cards", "old.tmp"},
	{"search dawn.wav dusk.wav", "search '*.wav'", "dawn.wav dusk.wav ridge_dawn.wav"},
	{"record cards", "record cards --label cards", ""},
}

// Everything that people are likely to type is understood, or answered with a command line
// that works, and does what they meant.
func TestForgiven(t *testing.T) {
	t.Parallel()
	takesLong(t)
	require.Greater(t, len(forgiven), 120)
	root := tree(t, "dawn.wav", "dusk.wav", "ridge_dawn.wav", "big.img", ".hidden", "a,b", "cards/old.tmp", "notes/rota.md", "notes/today 1.md")
	home := t.TempDir()
	require.NoError(t, os.Truncate(filepath.Join(root, "big.img"), 11_000_000))
	frank := func(list []string) result {
		cmd := command(t, root, list...)
		cmd.Env = append(cmd.Env, "HOME="+home, "FRANK_LEDGER="+filepath.Join(home, "ledger"))
		return finish(t, cmd)
	}
	age(t, filepath.Join(root, "dusk.wav"), 5*24)
	age(t, filepath.Join(root, "cards/old.tmp"), 20*24)
	age(t, filepath.Join(root, "dawn.wav"), 30)
	age(t, filepath.Join(root, "ridge_dawn.wav"), 30)
	require.NoError(t, os.WriteFile(filepath.Join(root, "cards/old.tmp"), []byte("old"), 0o644))
	age(t, filepath.Join(root, "cards/old.tmp"), 20*24)
	require.Zero(t, frank(words(t, "record notes --label weekly")).status)
	for _, f := range forgiven {
		line := words(t, f.typed)
		r := frank(line)
		if f.repairs != "" {
			require.Equal(t, 2, r.status, "%s: %s%s", f.typed, r.out, r.err)
			var offered []string
			for said := range strings.Lines(r.err) {
				if repair, is := strings.CutPrefix(said, "frank "); is && !strings.Contains(strings.SplitN(said, " ", 3)[1]+" ", ": ") && !strings.HasPrefix(said, "frank "+strings.Join(firstWords(line), " ")+": ") && !strings.HasPrefix(said, "frank act: ") {
					offered = append(offered, strings.TrimSpace(repair))
				}
			}
			if !assert.Equal(t, f.repairs, strings.Join(offered, "|"), "%s: %s", f.typed, r.err) {
				continue
			}
			line = words(t, offered[0])
			for _, one := range offered {
				again := frank(words(t, one))
				assert.Contains(t, []int{0, 1, 3}, again.status, "%s: %s", one, again.err)
			}
			os.Remove(filepath.Join(root, "x.foo"))
			os.Remove(filepath.Join(root, "x.csv"))
			os.Remove(filepath.Join(root, "x.markdown"))
		} else if !assert.Zero(t, r.status, "%s: %s", f.typed, r.err) {
			continue
		}
		if (line[0] != "list" && line[0] != "search") || f.selects == "!" {
			continue
		}
		var got []string
		out := frank(slices.Concat(line, []string{"--as", "paths"})).out
		for path := range strings.Lines(out) {
			got = append(got, filepath.Base(strings.TrimSuffix(path, "\n")))
		}
		assert.ElementsMatch(t, words(t, f.selects), got, f.typed)
	}
}

// An answer without entries says what was likely meant, where the condition has a slip
// that is common; and an answer with some does not.
func TestSlips(t *testing.T) {
	root := tree(t, "in/dawn.wav", "in/*")
	for line, says := range map[string]string{
		"search where name is dawn":                      "name has dawn",
		"search where name has '*.wav*'":                 "name like *.wav*",
		"search where name is '*.wav'":                   "name like *.wav",
		"search where name has in/dawn":                  "path has in/dawn",
		"search where name like dawn":                    "name has dawn",
		"search where kind is folder and size over 1B":   "frank weigh adds up",
		"search where name has DAWN --match-case":        "--match-case",
		"list where name has dawn":                       "frank search looks at any depth",
		"weigh where name is dawn":                       "name has dawn",
		"tally --by ext where ext is csv or name is wav": "name has wav",
		"search dusk": "",
		"search where not name is dawn and empty": "",
	} {
		r := run(t, root, words(t, line)...)
		require.Zero(t, r.status, r.err)
		if says == "" {
			assert.NotRegexp(t, "write|stand", r.out, line)
		}
		assert.Contains(t, r.out, says, line)
	}
	assert.NotContains(t, run(t, root, words(t, "search where name is '*'")...).out, "stand", "something is called that")
}

// firstWords are the words of a command, without its arguments.
func firstWords(line []string) []string {
	if line[0] == "act" || line[0] == "ledger" {
		return line[:min(2, len(line))]
	}
	return line[:1]
}
