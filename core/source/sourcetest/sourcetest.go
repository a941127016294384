// Package sourcetest has the tests that every source must pass.
package sourcetest

import (
	"context"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// node is an entry as the standard library finds it.
type node struct {
	rel    string
	depth  int
	hidden bool // it, or something above it
	own    bool // it
	dir    bool
	size   int64
}

// Test asks a source all kinds of requests, and compares the answers with a plain walk. The root is the folder that
// the source is of, or was when it was recorded. A source that goes into no folders is to have what is directly in
// the root, whatever else there is.
func Test(t *testing.T, s source.Source, root string) {
	t.Helper()
	can := s.Capabilities()
	for _, depth := range []int{0, 1, 2, 3, source.AllDepths} {
		for hidden := source.ShowHidden; hidden <= source.OnlyHidden; hidden++ {
			for _, self := range []bool{false, true} {
				for name, skip := range map[string]func(*entry.Folder) bool{"": nil, "c": func(f *entry.Folder) bool { return f.Name == "c" }, "a/b": func(f *entry.Folder) bool { return f.Relative() == "a/b" }} {
					for _, condition := range []source.Condition{nil, large{}} {
						request := source.Request{Facts: entry.FactStatus, Depth: depth, Hidden: hidden, Self: self, Skip: skip, Condition: condition}
						want, report := expected(t, can.Below, root, request, name)
						got, found := given(t, s, request)
						what := fmt.Sprintf("depth %d, hidden %d, self %t, skip %q, condition %t", depth, hidden, self, name, condition != nil)
						require.Equal(t, want, got, what)
						if can.Below {
							require.Equal(t, report, [3]int64{found.Hidden, found.Skipped, found.Tested}, "%s: hidden, skipped, tested", what)
						}
					}
				}
			}
		}
	}
	for _, one := range []struct {
		request source.Request
		can     bool
	}{{source.Request{Depth: 1, Follow: true}, can.Follow}, {source.Request{Depth: 1, SameDisk: true}, can.SameDisk}} {
		_, err := s.Read(context.Background(), one.request, source.Nowhere)
		if one.can {
			require.NoError(t, err)
		} else {
			require.ErrorIs(t, err, source.ErrIncapable)
		}
	}
	testFacts(t, s)
	testCalls(t, s)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := s.Read(ctx, source.Request{Depth: source.AllDepths}, source.Nowhere)
	require.ErrorIs(t, err, context.Canceled)
	_, err = s.Read(context.Background(), source.Request{Depth: 1}, source.SinkFunc(func() source.Visitor {
		return func([]entry.Entry) error { return os.ErrInvalid }
	}))
	require.ErrorIs(t, err, os.ErrInvalid)
}

// uncertain are facts that a file system may not have, and those of links, which the tree has none of.
const uncertain = entry.FactCreated | entry.FactXattrs | entry.FactFlags | entry.FactMount | entry.FactTarget | entry.FactReach

// testFacts holds what a source knows of its entries against what it says that it knows.
func testFacts(t *testing.T, s source.Source) {
	can := s.Capabilities()
	require.Equal(t, can.Content && can.Below && can.Follow, can.Limits == nil, "what it cannot do has a reason")
	require.Error(t, can.Untold)
	var mu sync.Mutex
	var known entry.Facts
	_, err := s.Read(context.Background(), source.Request{Facts: entry.AllFacts, Depth: source.AllDepths}, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			mu.Lock()
			defer mu.Unlock()
			for i := range entries {
				known |= entries[i].Known
			}
			return nil
		}
	}))
	require.NoError(t, err)
	require.Zero(t, known&^can.Facts, "it knows more than it says")
	require.Zero(t, can.Facts&^known&^uncertain, "it says more than it knows")
}

// testCalls holds how a source calls visitors against what is said of these.
func testCalls(t *testing.T, s source.Source) {
	var returned atomic.Bool
	_, err := s.Read(context.Background(), source.Request{Facts: entry.FactStatus, Depth: source.AllDepths, Self: true}, source.SinkFunc(func() source.Visitor {
		var called atomic.Bool
		return func(entries []entry.Entry) error {
			switch {
			case !called.CompareAndSwap(false, true):
				t.Error("a visitor is called while it is at work")
			case returned.Load():
				t.Error("a visitor is called after Read has returned")
			case len(entries) == 0:
				t.Error("a visitor is given nothing")
			case slices.ContainsFunc(entries, func(e entry.Entry) bool { return e.Folder != entries[0].Folder }):
				t.Error("a visitor is given entries of several folders at once")
			}
			time.Sleep(time.Millisecond) // so that others would come meanwhile
			for i := range entries {
				entries[i] = entry.Entry{} // they are its own for the call
			}
			called.Store(false)
			return nil
		}
	}))
	returned.Store(true)
	require.NoError(t, err)
}

// walk lists what is in a folder, with the folder itself as ".".
func walk(t *testing.T, root string) (nodes []node) {
	require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		require.NoError(t, err)
		info, err := d.Info()
		require.NoError(t, err)
		n := node{rel: ".", dir: d.IsDir(), size: info.Size()}
		if path != root {
			n.rel, _ = filepath.Rel(root, path)
			n.depth = 1 + strings.Count(n.rel, "/")
			n.own = strings.HasPrefix(d.Name(), ".")
			n.hidden = n.own || strings.Contains(n.rel, "/.") || strings.HasPrefix(n.rel, ".")
		}
		nodes = append(nodes, n)
		return nil
	}))
	return nodes
}

// expected is what a request gives, and what it reports as hidden, skipped and tested.
func expected(t *testing.T, below bool, root string, request source.Request, skip string) (rels []string, report [3]int64) {
	rels = []string{}
	for _, n := range walk(t, root) {
		chosen := request.Condition == nil || !n.dir && n.size > 5
		if !below {
			if n.depth == 1 && chosen {
				rels = append(rels, n.rel)
			}
			continue
		}
		if n.depth == 0 {
			if request.Self || request.Depth == 0 {
				report[2]++
				if chosen {
					rels = append(rels, n.rel)
				}
			}
			continue
		}
		skipped := func(rel string) bool {
			return skip == "c" && filepath.Base(rel) == "c" || skip == "a/b" && rel == "a/b"
		}
		shut := false // something above was not entered
		for at := filepath.Dir(n.rel); at != "."; at = filepath.Dir(at) {
			shut = shut || skipped(at)
		}
		if shut || n.depth > request.Depth || request.Hidden == source.OmitHidden && n.hidden && !n.own {
			continue
		}
		if request.Hidden == source.OmitHidden && n.own {
			if !aboveHidden(n.rel) {
				report[0]++
			}
			continue
		}
		if n.dir && n.depth < request.Depth && skipped(n.rel) {
			report[1]++
		}
		if request.Hidden == source.OnlyHidden && !n.own {
			continue
		}
		report[2]++
		if chosen {
			rels = append(rels, n.rel)
		}
	}
	if request.Condition == nil {
		report[2] = 0
	}
	slices.Sort(rels)
	return rels, report
}

// aboveHidden reports whether a folder above is hidden.
func aboveHidden(rel string) bool {
	for at := filepath.Dir(rel); at != "."; at = filepath.Dir(at) {
		if strings.HasPrefix(filepath.Base(at), ".") {
			return true
		}
	}
	return false
}

// given is what a source gives.
func given(t *testing.T, s source.Source, request source.Request) ([]string, source.Report) {
	var mu sync.Mutex
	rels := map[string]bool{}
	report, err := s.Read(context.Background(), request, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			mu.Lock()
			defer mu.Unlock()
			for i := range entries {
				e := &entries[i]
				rel := strings.Clone(e.Relative()) // names are only lent
				if e.Self && !e.Folder.Place.Leaf {
					rel = "."
				}
				require.False(t, rels[rel], "%s is given twice", rel)
				rels[rel] = true
				require.True(t, e.Known.Has(request.Facts), "of %s not all is known that was asked for", rel)
			}
			return nil
		}
	}))
	require.NoError(t, err)
	require.Empty(t, report.Problems)
	return append([]string{}, slices.Sorted(maps.Keys(rels))...), report
}

// large is a condition that needs facts.
type large struct{}

func (large) Needs() entry.Facts { return entry.FactStatus }

func (large) Test() source.Test {
	return func(e *entry.Entry, asked entry.Facts) source.Verdict {
		switch {
		case e.Kind != entry.KindFile && e.Kind != entry.KindUnknown:
			return source.No
		case !asked.Has(entry.FactStatus):
			return source.Open
		case e.HasSize() && e.Size > 5:
			return source.Yes
		}
		return source.No
	}
}

// Tree makes a tree that has what requests are about, in a new folder, and returns that.
func Tree(t *testing.T) string {
	root := t.TempDir()
	for name, size := range map[string]int{
		"a/x": 1, "a/b/c/d": 6, "a/b/e": 9, "a/.hidden/deep/y": 9, "a/.hidden/.z": 3, ".top": 7, ".dot/c/f": 8, "c/g": 8, "c/h/i": 2, "x/one": 2, "empty": 0, "x/c": 0,
	} {
		path := filepath.Join(root, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, make([]byte, size), 0o640))
	}
	return root
}
