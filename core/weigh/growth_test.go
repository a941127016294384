package weigh_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/live"
	"frankledger/core/sides"
	"frankledger/core/source"
	"frankledger/core/weigh"
)

// sizesBelow is what the system says that each folder holds.
func sizesBelow(t *testing.T, root string) map[string]int64 {
	sizes := map[string]int64{".": 0}
	require.NoError(t, filepath.WalkDir(root, func(path string, d os.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(root, path)
		if d.IsDir() {
			sizes[rel] += 0
			return nil
		}
		info, err := d.Info()
		for at := filepath.Dir(rel); ; at = filepath.Dir(at) {
			sizes[at] += info.Size()
			if at == "." {
				return err
			}
		}
	}))
	return sizes
}

func side(set *source.Set) *sides.Side { return &sides.Side{Set: set, Scopes: make([]sides.Scope, 1)} }

// What has grown since is, folder by folder, what the system says now less what it said then;
// the rows below a folder add up to it, and the greatest change comes first.
func TestSince(t *testing.T) {
	random := rand.New(rand.NewPCG(rand.Uint64(), 2))
	for range 8 {
		var roots [2]string
		for i := range roots {
			roots[i] = t.TempDir()
			for j := range 60 {
				folder := filepath.Join(roots[i], fmt.Sprint("f", j%7), fmt.Sprint("g", j%11))
				if random.IntN(4) == 0 {
					folder = filepath.Dir(folder)
				}
				if random.IntN(12) == 0 {
					continue
				}
				require.NoError(t, os.MkdirAll(folder, 0o755))
				require.NoError(t, os.WriteFile(filepath.Join(folder, fmt.Sprint(j)), make([]byte, 100*(j%5)+random.IntN(9)/8*random.IntN(3000)), 0o644))
			}
		}
		then, now := sizesBelow(t, roots[0]), sizesBelow(t, roots[1])
		var sets [2]*source.Set
		for i, root := range roots {
			s, err := live.Open(root, i)
			require.NoError(t, err)
			sets[i] = &source.Set{Sources: []source.Source{s}}
		}
		first := random.IntN(4)
		a, err := weigh.Since(context.Background(), side(sets[0]), side(sets[1]), weigh.Options{Plan: weigh.Plan{Depth: 1 + random.IntN(3), First: first}})
		require.NoError(t, err)
		assert.Equal(t, now["."]-then["."], a.Rows[0].Change)
		sums := map[string]int64{} // of rows, by the folder that they stand below
		var last *weigh.Growth
		for i, g := range a.Rows {
			rel := g.Folder.Relative()
			if rel == "" {
				rel = "."
			}
			if g.Kind == weigh.FolderRow {
				assert.Equal(t, now[rel]-then[rel], g.Change, rel)
				_, before := then[rel]
				_, after := now[rel]
				assert.Equal(t, []bool{!before, !after}, []bool{g.Came, g.Went}, rel)
			}
			if i == 0 {
				continue
			}
			above := rel
			if g.Kind == weigh.FolderRow {
				above = filepath.Dir(rel)
			}
			sums[above] += g.Change
			if last != nil && last.Depth == g.Depth && g.Kind != weigh.RestRow && last.Kind != weigh.RestRow && filepath.Dir(last.Folder.Relative()) == filepath.Dir(g.Folder.Relative()) && last.Kind == g.Kind {
				assert.LessOrEqual(t, max(g.Change, -g.Change), max(last.Change, -last.Change))
			}
			last = g
		}
		for rel, sum := range sums {
			assert.Equal(t, now[rel]-then[rel], sum, "below %s: %s", rel, strings.Join(roots[:], " "))
		}
	}
}
