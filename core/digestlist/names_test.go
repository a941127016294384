package digestlist_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/digestlist"
)

// Names may begin with a space where all lines part digest and name by two characters; in a column
// they do not. A backslash before a line says that the name in it is escaped, also in the form with a tag.
func TestNamesInLists(t *testing.T) {
	sum := strings.Repeat("ab", 32)
	for content, want := range map[string]string{
		sum + "   n\n":                      " n",
		sum + "   n\n" + sum + "  m\n":      " n m",
		sum + "    n\n" + sum + "      m\n": "m n",
		sum + "\tn\n":                       "n",
		sum + " * n\n":                      " n",
		`\SHA256 (b\\c) = ` + sum + "\n":    `b\c`,
		`SHA256 (b\\c) = ` + sum + "\n":     `b\\c`,
		`\` + sum + `  b\nc` + "\n":         "b\nc",
	} {
		list, err := digestlist.Read(strings.NewReader(content), "list")
		require.NoError(t, err)
		var names []string
		for _, line := range list.Lines {
			names = append(names, line.Name)
		}
		assert.Equal(t, want, strings.Join(names, " "), content)
	}
}

// What is no list is refused at its start, though it never ends.
func TestBinaryIsNoList(t *testing.T) {
	zero, err := os.Open("/dev/zero")
	require.NoError(t, err)
	defer zero.Close()
	_, err = digestlist.Read(zero, "zero")
	assert.ErrorIs(t, err, digestlist.ErrNone)
}
