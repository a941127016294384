// Package house holds the packages to the map of them in docs/building.md.
package house

import (
	"os"
	"os/exec"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const module = "frankledger/"

// TestMap reads the map: every package is on it once and has a line that says what it is
// for, and imports only from floors below its own. What stands beside the floors is
// imported by tests and programs only.
func TestMap(t *testing.T) {
	page, err := os.ReadFile("../../docs/building.md")
	require.NoError(t, err)
	floors := map[string]int{} // those beside have -1
	for _, row := range regexp.MustCompile("(?m)^\\| (\\w+) \\| `([^`]+)` \\| (.+) \\|$").FindAllStringSubmatch(string(page), -1) {
		floor, err := strconv.Atoi(row[1])
		if row[1] == "beside" {
			floor, err = -1, nil
		}
		require.NoError(t, err, row[0])
		_, twice := floors[row[2]]
		assert.False(t, twice, "%s is there twice", row[2])
		floors[row[2]] = floor
	}
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{range .Imports}}{{.}} {{end}}`, module+"...").Output()
	require.NoError(t, err)
	packages := 0
	for line := range strings.Lines(string(out)) {
		words := strings.Fields(line)
		name := strings.TrimPrefix(words[0], module)
		floor, there := floors[name]
		if !assert.True(t, there, "docs/building.md does not tell what %s is for", name) {
			continue
		}
		packages++
		for _, imported := range words[1:] {
			other, ours := strings.CutPrefix(imported, module)
			switch {
			case !ours:
			case floors[other] < 0:
				assert.True(t, floor < 0 || floor >= floors["cli"], "%s (floor %d) imports %s, which stands beside", name, floor, other)
			case floor >= 0:
				assert.Less(t, floors[other], floor, "%s (floor %d) imports %s", name, floor, other)
			}
			if strings.HasPrefix(name, "core/") {
				for _, banned := range []string{"spf13/cobra", "spf13/pflag", "golang.org/x/term", "log"} {
					assert.False(t, imported == banned || strings.HasSuffix(imported, "/"+banned), "%s imports %s", name, imported)
				}
			}
		}
	}
	assert.Equal(t, packages, len(floors), "docs/building.md tells of packages that are not there")
}
