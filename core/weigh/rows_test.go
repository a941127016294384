package weigh_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/sums"
	"frankledger/core/weigh"
)

// weighed sums up a small made-up tree: top holds a (a/b, a/c) and d.
func weighed(t *testing.T) (*sums.Totals, *entry.Folder) {
	root := &entry.Folder{Place: &entry.Place{Given: "top", Full: "/top"}}
	totals := sums.NewTotals(source.Nowhere)
	visit := totals.Visitor()
	fill := func(folder *entry.Folder, folders []*entry.Folder, sizes ...int64) {
		var entries []entry.Entry
		for _, f := range folders {
			entries = append(entries, entry.Entry{Folder: folder, Inside: f, Name: f.Name, Kind: entry.KindFolder, Known: entry.FactStatus})
		}
		for i, size := range sizes {
			entries = append(entries, entry.Entry{Folder: folder, Name: fmt.Sprint("file", i), Kind: entry.KindFile, Known: entry.FactStatus, Size: size, Links: 1})
		}
		require.NoError(t, visit(entries))
	}
	a, d := entry.NewFolder(root, "a"), entry.NewFolder(root, "d")
	b, c := entry.NewFolder(a, "b"), entry.NewFolder(a, "c")
	fill(root, []*entry.Folder{a, d}, 10)
	fill(a, []*entry.Folder{b, c}, 5, 5)
	fill(b, nil, 40)
	fill(c, nil, 20)
	fill(d, nil, 20)
	c.MarkUnread()
	return totals, root
}

func rowTexts(rows []*weigh.Row) (list []string) {
	for _, r := range rows {
		what := map[weigh.RowKind]string{weigh.FolderRow: r.Folder.Name, weigh.DirectRow: "direct", weigh.RestRow: fmt.Sprint(r.Left, " more")}[r.Kind]
		mark := ""
		if !r.Complete {
			mark = " incomplete"
		}
		list = append(list, fmt.Sprintf("%d %s %d %d%%%s", r.Depth, what, r.Sum.Size, r.Share/10_000, mark))
	}
	return list
}

func TestRows(t *testing.T) {
	totals, root := weighed(t)
	assert.Equal(t, []string{"0  100 100% incomplete", "1 a 70 70% incomplete", "1 d 20 20%", "1 direct 10 10%"},
		rowTexts(weigh.Plan{Depth: 1, Direct: true}.Rows(totals, root, nil)))
	assert.Equal(t, []string{"0  100 100% incomplete", "1 a 70 70% incomplete", "2 b 40 40%", "2 c 20 20% incomplete", "2 direct 10 10%", "1 d 20 20%", "1 direct 10 10%"},
		rowTexts(weigh.Plan{Depth: 9, Direct: true}.Rows(totals, root, nil)))
	assert.Equal(t, []string{"0  100 100% incomplete", "1 a 70 70% incomplete", "2 b 40 40%", "2 1 more 20 20% incomplete", "1 1 more 20 20%"},
		rowTexts(weigh.Plan{Depth: 9, First: 1}.Rows(totals, root, nil)))
	assert.Equal(t, []string{"0  100 100% incomplete", "1 2 more 90 90% incomplete"},
		rowTexts(weigh.Plan{Depth: 9, AtLeastShare: 800_000}.Rows(totals, root, nil)))
	assert.Equal(t, []string{"0  100 100% incomplete", "1 a 70 70% incomplete", "1 1 more 20 20%"},
		rowTexts(weigh.Plan{Depth: 1, AtLeast: 50}.Rows(totals, root, nil)))
	files := weigh.Plan{Depth: 1, By: sums.ByFiles}.Rows(totals, root, nil)
	assert.Equal(t, []int64{6, 4, 1}, []int64{files[0].Sum.Files, files[1].Sum.Files, files[2].Sum.Files})
	assert.Empty(t, totals.Root(&entry.Place{Given: "elsewhere"}, nil).Name, "a place where nothing was found weighs nothing")
}
