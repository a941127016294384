package cli_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// unplain are words and forms that docs/style.md leaves out.
var unplain = regexp.MustCompile(`\b(tell|tells|told) (what|which|whether|how|who|of|it)\b|\b(take|takes|taken|took) away\b|\bgives? .{0,30}\bback by\b|\bgone into\b|` +
	`[^-]\bheav(y|ier|iest)\b|, as --\w+ says|\bis about (one|two)\b|\b(it|this|%s|which) is no (digest|file|folder|list|text)\b|\bheld against\b|\bthe content of .* is of\b|\bwithout a trace\b`)

// This prints all words that the program can write, one below the other, with the function that writes them, and
// finds those that docs/style.md leaves out.
func TestWords(t *testing.T) {
	t.Parallel()
	for _, root := range []string{"../cli", "../config", "../core", "../output", "../render"} {
		err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") || strings.Contains(path, "test/") || d.Name() == "synonyms.go" { // of what people type
				return err
			}
			files := token.NewFileSet()
			parsed, err := parser.ParseFile(files, path, nil, 0)
			require.NoError(t, err)
			for _, part := range parsed.Decls {
				in := ""
				if f, is := part.(*ast.FuncDecl); is {
					in = f.Name.Name
				}
				ast.Inspect(part, func(n ast.Node) bool {
					literal, is := n.(*ast.BasicLit)
					if !is || literal.Kind != token.STRING {
						return true
					}
					words, err := strconv.Unquote(literal.Value)
					require.NoError(t, err)
					if !strings.Contains(strings.TrimSpace(words), " ") {
						return true
					}
					t.Logf("%s %s: %s", files.Position(literal.Pos()), in, words)
					assert.NotRegexp(t, unplain, strings.Join(strings.Fields(words), " "), "%s: see docs/style.md", files.Position(literal.Pos()))
					return true
				})
			}
			return nil
		})
		require.NoError(t, err)
	}
}
