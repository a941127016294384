package condition_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/condition"
)

// What was likely meant by a test that nothing meets is told, and nothing where it is as it should be.
func TestSlips(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		condition string
		matchCase bool
		says      string // a piece of the one slip; "" for none
	}{
		{"kind is folder and size over 1kB", false, "only files have a size: size over 1kB; frank weigh adds up"},
		{"kind is file and size over 1kB", false, ""},
		{"kind is file,link and size over 1kB", false, ""},
		{"not kind is folder and size over 1kB", false, ""},
		{"size over 1kB", false, ""},
		{"kind is folder", false, ""},
		{"name is dawn", false, "is compares the whole name"},
		{"stem is dawn", false, "is compares the whole stem"},
		{"ext is wav", false, ""},
		{"name has *dawn*", false, "a pattern is name like *dawn*"},
		{"name starts d?wn", false, "* and ? stand for themselves"},
		{"name like d?wn", false, ""},
		{"name like dawn", false, "there is no * in dawn"},
		{"name has in/dawn", false, "a name has no / in it"},
		{"path has in/dawn", false, ""},
		{"name has DAWN", true, "capitals and small letters differ because of --match-case"},
		{"name has DAWN", false, ""},
		{"name has dawn", true, ""},
		{"not name is dawn", false, ""},
	} {
		t.Run(c.condition, func(t *testing.T) {
			t.Parallel()
			parsed, err := condition.Parse(strings.Fields(c.condition))
			require.NoError(t, err)
			slips := parsed.Slips(&condition.Environment{MatchCase: c.matchCase})
			if c.says == "" {
				assert.Empty(t, slips)
				return
			}
			require.Len(t, slips, 1)
			assert.Contains(t, slips[0], c.says)
		})
	}
}

// Paths in a condition that begin with the place are put right where they are from the place.
func TestFromPlace(t *testing.T) {
	t.Parallel()
	for words, want := range map[string]string{
		"path is notes/a":      "path is a",
		"path is other/a":      "path is other/a",
		"path is notes/":       "path is notes/",
		"folder is notes/in":   "folder is in",
		"name has notes/a":     "name has notes/a",
		"not path is notes/a":  "not path is notes/a",
		"path starts notes/in": "path starts in",
	} {
		t.Run(words, func(t *testing.T) {
			t.Parallel()
			c, err := condition.Parse(strings.Fields(words))
			require.NoError(t, err)
			slips := c.FromPlace([]string{"notes"})
			if words == want {
				assert.Empty(t, slips)
				return
			}
			require.Len(t, slips, 1)
			assert.Contains(t, slips[0], ": "+want+", not notes/")
		})
	}
}
