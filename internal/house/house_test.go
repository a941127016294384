// Package house holds the packages to the map of them in docs/building.md.
package house

import (
	"go/ast"
	"go/parser"
	"go/token"
	"go/types"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
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

// TestBuiltins looks for names that stand for something else than in all other Go code.
func TestBuiltins(t *testing.T) {
	files := token.NewFileSet()
	require.NoError(t, filepath.WalkDir("../..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") {
			return err
		}
		parsed, err := parser.ParseFile(files, path, nil, parser.SkipObjectResolution)
		if err != nil {
			return err
		}
		named := func(names ...*ast.Ident) {
			for _, name := range names {
				assert.Nil(t, types.Universe.Lookup(name.Name), "%s: %s is a builtin", files.Position(name.Pos()), name.Name)
			}
		}
		ast.Inspect(parsed, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.FuncType:
				for _, list := range []*ast.FieldList{n.Params, n.Results} {
					for i := 0; list != nil && i < len(list.List); i++ {
						named(list.List[i].Names...)
					}
				}
			case *ast.AssignStmt:
				for i := 0; n.Tok == token.DEFINE && i < len(n.Lhs); i++ {
					named(n.Lhs[i].(*ast.Ident))
				}
			case *ast.RangeStmt:
				for _, one := range []ast.Expr{n.Key, n.Value} {
					if name, is := one.(*ast.Ident); is && n.Tok == token.DEFINE {
						named(name)
					}
				}
			case *ast.ValueSpec:
				named(n.Names...)
			case *ast.TypeSpec:
				named(n.Name)
			}
			return true
		})
		return nil
	}))
}
