package cli_test

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A line that is offered in place of a misspelled one is understood, and has all the words of the
// question but the misspelled one.
func TestRandomMisspellings(t *testing.T) {
	t.Parallel()
	root, home := ternPoint(t), t.TempDir()
	frank := func(args ...string) result {
		cmd := command(t, root, args...)
		cmd.Env = append(cmd.Env, "HOME="+home, "XDG_DATA_HOME="+home)
		return finish(t, cmd)
	}
	require.Zero(t, frank("record", "notes", "--label", "weekly", "-q").status)
	var lines [][]string
	for _, name := range []string{"list", "search", "weigh", "tally", "outline", "compare", "checksum", "inspect"} {
		for line := range strings.Lines(run(t, "/", "help", name).out) {
			if said, is := strings.CutPrefix(line, "  frank "); is && !strings.ContainsAny(said, "|>$*") && !regexp.MustCompile(`--to |-t |--remember|--save-list|svg`).MatchString(said) {
				list := words(t, strings.TrimSpace(said))
				if frank(list...).status != 2 {
					lines = append(lines, list)
				}
			}
		}
	}
	require.Greater(t, len(lines), 30)
	seed := uint64(7)
	random := rand.New(rand.NewPCG(seed, 1))
	offers := 0
	for range often(60) {
		line := slices.Clone(lines[random.IntN(len(lines))])
		at := random.IntN(len(line))
		right := line[at]
		letters := []rune(right)
		i := random.IntN(len(letters))
		switch random.IntN(4) {
		case 0:
			letters = slices.Delete(letters, i, i+1)
		case 1:
			letters = slices.Insert(letters, i, 'q')
		case 2:
			j := max(0, i-1)
			letters[i], letters[j] = letters[j], letters[i]
		case 3:
			letters[i] = 'e'
		}
		if line[at] = string(letters); line[at] == "" || line[at] == right {
			continue
		}
		r := frank(line...)
		if r.status != 2 {
			continue
		}
		for told := range strings.Lines(r.err) {
			said, is := strings.CutPrefix(told, "frank ")
			if !is || strings.Contains(said, ": ") {
				continue
			}
			offered := words(t, strings.TrimSpace(said))
			offers++
			about := fmt.Sprintf("seed %d: %q offers %q", seed, line, offered)
			again := frank(offered...)
			assert.NotEqual(t, 2, again.status, "%s: %s", about, again.err)
			left := strings.Join(offered, " ")
			for i, word := range line {
				if i == at {
					continue
				}
				for _, part := range strings.Fields(word) {
					assert.Contains(t, left, strings.Trim(part, "()'\""), about)
				}
			}
		}
	}
	t.Log(offers, "offers")
	assert.Greater(t, offers, often(60)/15)
}

// What stands beside a misspelled word is kept.
func TestOffersKeepWords(t *testing.T) {
	t.Parallel()
	root, home := tree(t, "test copy.txt", "test2", "sub/tryme", "tryme"), t.TempDir()
	frank := func(line string) result {
		cmd := command(t, root, words(t, line)...)
		cmd.Env = append(cmd.Env, "HOME="+home, "XDG_DATA_HOME="+home)
		return finish(t, cmd)
	}
	for range 2 {
		require.Zero(t, frank("record sub --label recordings -q").status)
	}
	for line, offer := range map[string]string{
		"list @recordngs:1":       "\nfrank list @recordings:1\n",
		"checksum test copy.txt":  "\nfrank checksum 'test copy.txt'\n",
		"list -- --self":          "frank search -- --self looks for",
		"list @recordings@othr":   "\n  see frank help list\n", // not of this machine
		"act own . --owner me":    "\n  see frank help act own\n",
		"tally --by kindd,hiddne": "\nfrank tally --by kind,hidden\n",
	} {
		r := frank(line)
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, offer, line)
	}
	assert.NotContains(t, frank("checksum . where name is tryme").out, "name has tryme", "it was found")
}
