package source_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// all is a source of everything below a folder of a tree that is only a list of paths.
type all struct {
	place entry.Place
	tree  []string
}

func (a *all) Place() *entry.Place { return &a.place }

func (a *all) Capabilities() source.Capabilities {
	return source.Capabilities{Below: true, Whole: true}
}

func (a *all) Read(_ context.Context, request source.Request, sink source.Sink) (report source.Report, err error) {
	visit := sink.Visitor()
	folders := map[string]*entry.Folder{a.place.Full: {Place: &a.place}}
	for _, full := range a.tree {
		in := folders[path.Dir(full)]
		if in == nil || in.Depth >= request.Depth {
			continue
		}
		e := entry.Entry{Folder: in, Name: path.Base(full), Kind: entry.KindFolder}
		if request.Covers(&e) != source.Given {
			continue
		}
		folders[full] = entry.NewFolder(in, e.Name)
		if err := visit([]entry.Entry{e}); err != nil {
			return report, err
		}
	}
	return report, nil
}

// However places lie in one another, each entry is given once, and none is left out.
func TestOnce(t *testing.T) {
	seed := uint64(time.Now().UnixNano())
	t.Log("seed", seed)
	random := rand.New(rand.NewPCG(seed, 0))
	for range 500 {
		tree := []string{"/t"}
		for range 1 + random.IntN(30) {
			tree = append(tree, tree[random.IntN(len(tree))]+"/"+[]string{"", "", "."}[random.IntN(3)]+fmt.Sprint("n", random.IntN(4)))
		}
		slices.Sort(tree)
		tree = slices.Compact(tree)
		slices.SortStableFunc(tree, func(a, b string) int { return strings.Count(a, "/") - strings.Count(b, "/") })
		request := source.Request{Depth: []int{1, 2, source.AllDepths}[random.IntN(3)], Hidden: []source.Hidden{source.ShowHidden, source.OmitHidden}[random.IntN(2)]}
		var sources []source.Source
		for i := range 1 + random.IntN(4) {
			full := tree[random.IntN(len(tree))]
			sources = append(sources, &all{entry.Place{Index: i, Given: full, Full: full}, tree})
		}
		found := func(s *source.Set) (paths []string) {
			_, err := s.Read(t.Context(), request, source.SinkFunc(func() source.Visitor {
				return func(entries []entry.Entry) error {
					for i := range entries {
						paths = append(paths, entries[i].FullPath())
					}
					return nil
				}
			}))
			require.NoError(t, err)
			slices.Sort(paths)
			return paths
		}
		want := slices.Compact(found(&source.Set{Sources: sources}))
		distinct, left := source.Distinct(sources, &request)
		require.Equal(t, len(sources), len(distinct)+left)
		require.Equal(t, want, found(&source.Set{Sources: distinct, Once: true}), "%v %+v", tree, request)
		require.Equal(t, want, found(&source.Set{Sources: sources, Once: true}), "%v %+v", tree, request)
	}
}
