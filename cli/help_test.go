package cli_test

import (
	"fmt"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/internal/testpg"
	"frankledger/render"
	"frankledger/render/typeset"
)

func commands(t *testing.T) []string {
	_, after, found := strings.Cut(run(t, "/", "help", "all").out, "Commands\n")
	require.True(t, found)
	var names []string
	for _, line := range strings.Split(strings.Split(after, "\n\n")[0], "\n") {
		if !strings.HasPrefix(line, "   ") {
			names = append(names, strings.Fields(line)[0])
		}
	}
	require.Contains(t, names, "list")
	return names
}

// Every example of help, of the README and of the guide works as printed, on the sample tree,
// typed at a shell.
func TestExamplesRun(t *testing.T) {
	readme, err := os.ReadFile("../README.md")
	require.NoError(t, err)
	guide, err := os.ReadFile("../docs/guide.md")
	require.NoError(t, err)
	texts := []string{string(readme), string(guide)}
	for _, name := range commands(t) {
		help := run(t, "/", "help", name, "all")
		require.Zero(t, help.status, help.err)
		texts = append(texts, help.out)
	}
	for _, topic := range topics {
		texts = append(texts, run(t, "/", "help", topic).out)
	}
	for line := range strings.Lines(run(t, "/").out) {
		if _, question, found := strings.Cut(line, "  frank "); found && !strings.Contains(question, "  ") {
			texts = append(texts, "\n  frank "+question)
		}
	}
	plain := regexp.MustCompile(`^[\w ./,:=@-]+$`) // means the same to every shell
	for first, shell := range []string{"bash", "sh"} {
		path, err := exec.LookPath(shell)
		if err != nil {
			continue
		}
		for i, text := range texts {
			t.Run(fmt.Sprint(shell, i), func(t *testing.T) {
				t.Parallel()
				examples(t, path, text, func(line string) bool { return first == 0 || !plain.MatchString(line) })
			})
		}
	}
}

// examples runs the examples in a text that are wanted.
func examples(t *testing.T, shell, text string, wanted func(line string) bool) {
	var lines []string
	for _, line := range strings.Split(text, "\n") {
		line = strings.TrimSpace(line)
		if strings.HasPrefix(line, "frank ") && (strings.Contains(text, "\n  "+line) || strings.Contains(text, "\n    "+line)) {
			lines = append(lines, line)
		}
	}
	if !slices.ContainsFunc(lines, wanted) {
		return
	}
	root, home := ternPoint(t), t.TempDir()
	if strings.Contains(text, "@weekly") { // records that examples go on from
		for range 2 {
			cmd := command(t, root, "record", ".", "--label", "weekly", "--checksum", "sha256", "where", "not", "ext", "is", "wav")
			cmd.Env = append(cmd.Env, "XDG_CONFIG_HOME="+home, "XDG_DATA_HOME="+home, "XDG_STATE_HOME="+home)
			require.Zero(t, finish(t, cmd).status)
		}
	}
	database := ""
	for _, line := range lines {
		if named := regexp.MustCompile(`postgresql://\S+`); named.MatchString(line) { // one of ours stands for it
			if testing.Short() || testpg.Programs() == "" {
				continue
			}
			if database == "" {
				database = testpg.Database(t)
			}
			line = named.ReplaceAllString(line, "'"+database+"'")
		}
		cmd := command(t, root, "-c", `frank() { "`+frank+`" "$@"; }; `+line)
		cmd.Path = shell
		cmd.Env = append(cmd.Env, "XDG_CONFIG_HOME="+home, "XDG_DATA_HOME="+home, "XDG_STATE_HOME="+home)
		r := finish(t, cmd)
		if strings.HasPrefix(line, "frank verify") || strings.HasPrefix(line, "frank compare") {
			assert.Less(t, r.status, 2, "%s: %s", line, r.err) // they may find a difference
		} else {
			assert.Zero(t, r.status, "%s: %s", line, r.err)
		}
		if !regexp.MustCompile(`--funnel --count|--remember|--save-list|--to |-t `).MatchString(line) { // which say something there
			assert.Empty(t, regexp.MustCompile(`frank: \d+ links? counts? as read just now[^\n]*\n`).ReplaceAllString(r.err, ""), line)
		}
	}
}

var topics = []string{"conditions", "places", "formats", "times", "sizes"}

// What is read first fits the screen it is read on.
func TestHelpFits(t *testing.T) {
	t.Parallel()
	fits := func(lines int, args ...string) {
		r := run(t, "/", args...)
		require.Zero(t, r.status, r.err)
		assert.LessOrEqual(t, strings.Count(r.out, "\n"), lines, args)
		for line := range strings.Lines(r.out) {
			if !strings.HasPrefix(line, "  frank ") { // which is pasted
				assert.LessOrEqual(t, typeset.Width(strings.TrimSuffix(line, "\n")), 80, line)
			}
		}
	}
	fits(24)
	for _, topic := range topics {
		fits(24, "help", topic)
	}
	names := commands(t)
	for _, action := range []string{"hide", "move", "remove", "stamp", "permit", "run", "undo", "journal"} {
		names = append(names, "act "+action)
	}
	for _, name := range names {
		words := append([]string{"help"}, strings.Fields(name)...)
		fits(40, words...)
		short, all := run(t, "/", words...).out, run(t, "/", append(words, "all")...).out
		if strings.Contains(all, "--as FORMAT") {
			assert.Contains(t, short, "-a --as")
			assert.Contains(t, short, "frank "+strings.Join(words, " ")+" all", "how to see the rest")
		}
		assert.Equal(t, all, run(t, "/", append(words, "--all")...).out)
	}
}

// One letter is the same option in every command, and the option has it in every command.
func TestLetters(t *testing.T) {
	letters := map[string]string{"a": "as", "c": "columns", "d": "depth", "f": "first", "k": "skip", "m": "match-case", "o": "order", "q": "quiet", "t": "to", "y": "yes"}
	lettered := regexp.MustCompile(`(?m)^  (?:-(\w), |    )--([\w-]+)`)
	seen := map[string]bool{}
	for _, name := range append(commands(t), "act hide", "act run", "act carry-out", "act journal", "ledger entries", "ledger export", "ledger drop") {
		all := run(t, "/", append(append([]string{"help"}, strings.Fields(name)...), "all")...).out
		for _, found := range lettered.FindAllStringSubmatch(all, -1) {
			want := ""
			for letter, option := range letters {
				if option == found[2] {
					want = letter
				}
			}
			assert.Equal(t, want, found[1], "%s --%s", name, found[2])
			seen[found[1]] = true
		}
	}
	assert.Len(t, seen, 1+len(letters), "and those without")
}

func TestFieldsAreAllThere(t *testing.T) {
	out := run(t, "/", "fields").out
	for _, name := range append(entry.FieldNames(), render.Names(render.Forms)...) {
		assert.Regexp(t, `(?m)^  `+name+` `, out)
	}
}

func TestVersion(t *testing.T) {
	r := run(t, "/", "version")
	assert.Regexp(t, `^Frank Ledger .+\nbuilt +with go1\.\d+.* for \w+/\w+\n`, r.out)
}

func TestCompletion(t *testing.T) {
	for line, want := range map[string]string{
		"list --columns ":     "modified",
		"list --columns siz":  "size",
		"list --columns mode": "mode",
		"list --order size/":  "size/reverse",
		"list --as js":        "jsonl",
		"list --hidden ":      "omit",
		"help ":               "fields",
		"":                    "demo",
	} {
		words := strings.Split(line, " ")
		assert.Contains(t, run(t, "/", append([]string{"__complete"}, words...)...).out, want, line)
	}
	out := run(t, "/", "__complete", "list", "--columns", "name,size,").out
	assert.Contains(t, out, "name,size,modified\n")
	assert.NotContains(t, out, "name,size,size\n")
	for _, shell := range []string{"bash", "zsh", "fish"} {
		assert.NotEmpty(t, run(t, "/", "completion", shell).out)
	}
}
