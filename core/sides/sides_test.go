package sides_test

import (
	"context"
	"errors"
	"path"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/sides"
	"frankledger/core/source"
)

// made is a source of files by their paths, with a size each. What is in a folder whose path ends with ! could
// not be read.
type made struct {
	place entry.Place
	files map[string]int64
}

func (m *made) Place() *entry.Place { return &m.place }

func (m *made) Capabilities() source.Capabilities {
	return source.Capabilities{Below: true, Facts: entry.FactStatus, Untold: source.ErrUntold}
}

func (m *made) Read(_ context.Context, request source.Request, sink source.Sink) (report source.Report, err error) {
	root := &entry.Folder{Place: &m.place}
	folders := map[string]*entry.Folder{"": root, ".": root}
	in := map[*entry.Folder][]entry.Entry{}
	var test source.Test
	if request.Condition != nil {
		test = request.Condition.Test()
	}
	give := func(e entry.Entry) {
		if test != nil && test(&e, ^entry.Facts(0)) != source.Yes {
			return
		}
		if request.Skip == nil || e.Folder.Parent == nil || !request.Skip(e.Folder) {
			in[e.Folder] = append(in[e.Folder], e)
		}
	}
	var folderOf func(rel string) *entry.Folder
	folderOf = func(rel string) *entry.Folder {
		if folders[rel] == nil {
			above := folderOf(path.Dir(rel))
			f := entry.NewFolder(above, path.Base(rel))
			folders[rel] = f
			e := entry.Entry{Folder: above, Name: f.Name, Kind: entry.KindFolder, Known: entry.FactStatus, Inside: f}
			if strings.HasSuffix(rel, "!") {
				f.MarkUnread()
				report.Problems = append(report.Problems, source.Problem{Path: m.place.Given + "/" + rel, Tried: "read", Err: errors.New("no"), Entries: 1, Shut: true})
			}
			give(e)
		}
		return folders[rel]
	}
	for rel, size := range m.files {
		if f := folderOf(path.Dir(rel)); !f.Unread() {
			give(entry.Entry{Folder: f, Name: path.Base(rel), Kind: entry.KindFile, Known: entry.FactStatus, Size: size})
		}
	}
	visit := sink.Visitor()
	for _, entries := range in {
		if err := visit(entries); err != nil {
			return report, err
		}
	}
	return report, nil
}

// over is a condition on sizes, and named one on names, which lasts.
type over int64

func (over) Needs() entry.Facts { return entry.FactStatus }

func (o over) Test() source.Test {
	return func(e *entry.Entry, _ entry.Facts) source.Verdict {
		switch {
		case e.Kind != entry.KindFile:
			return source.No
		case e.Size < 0:
			return source.Unknown
		case e.Size > int64(o):
			return source.Yes
		}
		return source.No
	}
}

type named string

func (named) Needs() entry.Facts { return 0 }

func (n named) Test() source.Test {
	return func(e *entry.Entry, _ entry.Facts) source.Verdict {
		if strings.Contains(e.Name, string(n)) {
			return source.Yes
		}
		return source.No
	}
}

func TestRead(t *testing.T) {
	type files = map[string]int64
	for name, c := range map[string]struct {
		before, after           files
		scope                   sides.Scope // of the side before
		condition               source.Condition
		was, is                 string
		undecided, unclear, out int64
		unread                  int64
	}{
		"all": {before: files{"a": 1, "d/b": 2}, after: files{"a": 3, "d/c": 2}, was: "a d d/b", is: "a d d/c"},
		"a condition is met on either side": {before: files{"shrinks": 9, "grows": 1, "small": 1, "goes": 8}, after: files{"shrinks": 2, "grows": 7, "small": 2, "comes": 6},
			condition: over(5), was: "goes grows shrinks", is: "comes grows shrinks"},
		"what is not known of either is not decided": {before: files{"a": -1, "same": -1}, after: files{"a": 3, "same": -1}, condition: over(5), undecided: 1 + 1},
		"known of one side":                          {before: files{"a": -1}, after: files{"a": 9}, condition: over(5), was: "a", is: "a"},
		"hidden was left out":                        {before: files{"a": 1}, after: files{"a": 1, ".h": 1}, scope: sides.Scope{Hidden: source.OmitHidden}, was: "a", is: "a", out: 1},
		"a condition that lasts": {before: files{"x.txt": 1}, after: files{"x.txt": 1, "y.txt": 1, "z": 1}, scope: sides.Scope{Condition: named(".txt"), Lasting: true},
			was: "x.txt", is: "x.txt y.txt", out: 1},
		"a condition that does not": {before: files{"big": 9}, after: files{"big": 2, "other": 9, "small": 1}, scope: sides.Scope{Condition: over(5)}, was: "big", is: "big", unclear: 1, out: 1},
		"both":                      {before: files{"big": 9}, after: files{"big": 2, "other": 9, "small": 1}, scope: sides.Scope{Condition: over(5)}, condition: named("o"), unclear: 1},
		"unread before":             {before: files{"d!/a": 1, "b": 1}, after: files{"d!/a": 1, "b": 1}, was: "b d!", is: "b d!"},
	} {
		t.Run(name, func(t *testing.T) {
			var mu sync.Mutex
			var got [2][]string
			sink := func(side int) source.Sink {
				got[side] = nil
				return source.SinkFunc(func() source.Visitor {
					return func(entries []entry.Entry) error {
						mu.Lock()
						defer mu.Unlock()
						for i := range entries {
							got[side] = append(got[side], strings.Clone(entries[i].Relative()))
						}
						return nil
					}
				})
			}
			before := &sides.Side{Set: &source.Set{Sources: []source.Source{&made{entry.Place{Given: "@x", Kept: true, Record: &entry.Record{}}, c.before}}}, Scopes: []sides.Scope{c.scope}}
			after := &sides.Side{Set: &source.Set{Sources: []source.Source{&made{entry.Place{Given: "t"}, c.after}}}, Scopes: make([]sides.Scope, 1)}
			held, err := sides.Read(t.Context(), before, after, source.Request{Facts: entry.FactStatus, Depth: source.AllDepths, Condition: c.condition}, sink)
			require.NoError(t, err)
			for side, want := range []string{c.was, c.is} {
				slices.Sort(got[side])
				assert.Equal(t, want, strings.Join(got[side], " "), "side %d", side)
			}
			assert.Equal(t, [4]int64{c.undecided, c.unclear, c.out, c.unread}, [4]int64{held.Undecided, held.Unclear, held.Outside, held.Unread}, "undecided, unclear, outside, unread")
		})
	}
}
