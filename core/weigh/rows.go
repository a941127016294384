package weigh

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/quantity"
	"frankledger/core/sums"
)

// RowKind is what a row is about.
type RowKind uint8

const (
	FolderRow RowKind = iota
	DirectRow         // what lies directly in a folder, beside the folders in it
	RestRow           // the folders that were left out, together
	FileRow           // one of the heaviest files below the folder before it
	TotalRow          // all places together
)

// Row is one row of the answer to "how heavy".
type Row struct {
	Kind     RowKind
	Folder   *entry.Folder
	Depth    int
	Sum      sums.Sum
	Own      sums.Sum
	Share    int64 // of the whole place, in millionths
	Left     int   // of a RestRow: how many folders
	Complete bool  // everything in it was read
	File     *entry.Entry
	Places   int  // how many there are, where the rows are under a total
	Alone    bool // of a FileRow: it is under no folder
}

// Plan says which rows are wanted.
type Plan struct {
	By      sums.Measure
	Depth   int
	First   int   // folders shown in each folder; 0 for all
	AtLeast int64 // the least that a folder weighs to be shown
	// AtLeastShare is the least in millionths of the whole.
	AtLeastShare int64
	Largest      int  // how many files to show below each folder
	Heaviest     int  // how many files to show of all, and nothing else; 0 for folders
	Direct       bool // rows for what lies directly in folders
	Total        bool // rows under one for all places, if there are several
}

// On a map there is room for folders that weigh so much of the whole, in millionths, and for so
// many in each.
const (
	leastOnMap = 300
	mostOnMap  = 150
)

// ForMap returns a plan for what is drawn on a map down to a depth, where nothing else was said.
func (plan Plan) ForMap(depth int) Plan {
	plan.Depth, plan.Direct, plan.Total = depth, true, true
	if plan.First == 0 {
		plan.First = mostOnMap
	}
	if plan.AtLeastShare == 0 && plan.AtLeast == 0 {
		plan.AtLeastShare = leastOnMap
	}
	return plan
}

// Rows returns the rows for a place: itself first, then what is in it, the
// heaviest first, and behind each folder what is in that. The rows one level
// below a folder, if Direct ones are among them, add up to it.
func (plan Plan) Rows(t *sums.Totals, root *entry.Folder, largest *Largest) []*Row {
	whole := t.Of(root)
	return plan.rowsOf(t, root, plan.By.Of(&whole), largest)
}

// rowsOf returns the rows for a place, with their shares of a whole.
func (plan Plan) rowsOf(t *sums.Totals, root *entry.Folder, whole int64, largest *Largest) []*Row {
	r := &rows{t: t, plan: plan, whole: whole, largest: largest}
	r.add(root)
	return r.list
}

// Under returns the rows for several places, heaviest first, under one for all of them.
func (plan Plan) Under(t *sums.Totals, roots []*entry.Folder, largest *Largest) []*Row {
	var all sums.Sum
	for _, root := range roots {
		all.Add(t.Of(root))
	}
	whole := plan.By.Of(&all)
	slices.SortStableFunc(roots, func(a, b *entry.Folder) int {
		x, y := t.Of(a), t.Of(b)
		return cmp.Compare(plan.By.Of(&y), plan.By.Of(&x))
	})
	list := []*Row{{Kind: TotalRow, Sum: all, Share: quantity.ShareOf(whole, whole), Complete: all.Whole(), Places: len(roots)}}
	for _, root := range roots {
		list = append(list, plan.rowsOf(t, root, whole, largest)...)
	}
	for _, row := range list {
		row.Places = len(roots)
	}
	return list
}

// Files returns rows for the heaviest files of all places.
func (plan Plan) Files(t *sums.Totals, roots []*entry.Folder, largest *Largest) (list []*Row) {
	all := t.All()
	r := &rows{t: t, plan: plan, whole: plan.By.Of(&all)}
	for _, root := range roots {
		for _, file := range largest.of(root) {
			r.file(root, file)
		}
	}
	slices.SortStableFunc(r.list, func(a, b *Row) int { return cmp.Compare(plan.By.Of(&b.Sum), plan.By.Of(&a.Sum)) })
	for _, row := range r.list {
		row.Places, row.Alone = len(roots), true
	}
	return r.list[:min(len(r.list), plan.Heaviest)]
}

// Overlap reports whether a place lies in another, on the same machine.
func Overlap(roots []*entry.Folder) bool {
	on := map[string][]string{}
	for _, root := range roots {
		host := ""
		if r := root.Place.Record; r != nil {
			host = r.Host
		}
		on[host] = append(on[host], strings.TrimSuffix(root.Place.Full, "/")+"/")
	}
	for _, paths := range on {
		slices.Sort(paths)
		for i := 1; i < len(paths); i++ {
			if strings.HasPrefix(paths[i], paths[i-1]) {
				return true
			}
		}
	}
	return false
}

type rows struct {
	t       *sums.Totals
	plan    Plan
	whole   int64
	largest *Largest
	list    []*Row
}

func (r *rows) add(folder *entry.Folder) {
	sum := r.t.Of(folder)
	r.list = append(r.list, &Row{Kind: FolderRow, Folder: folder, Depth: folder.Depth, Sum: sum, Own: r.t.Own(folder),
		Share: r.share(&sum), Complete: sum.Whole()})
	for _, file := range r.largest.of(folder) {
		r.file(folder, file)
	}
	if folder.Depth < r.plan.Depth {
		r.below(folder)
	}
}

// file adds the row of a file below a folder.
func (r *rows) file(folder *entry.Folder, file *entry.Entry) {
	var sum sums.Sum
	if bytes, several := sum.Take(file); several {
		sum.Add(bytes)
	}
	r.list = append(r.list, &Row{Kind: FileRow, Folder: folder, Depth: folder.Depth + 1, Sum: sum, Share: r.share(&sum), Complete: sum.Whole(), File: file})
}

// below adds the rows of what is directly in a folder.
func (r *rows) below(folder *entry.Folder) {
	type folderSum struct {
		folder *entry.Folder
		sum    sums.Sum
	}
	own := r.t.Own(folder)
	direct := len(r.t.Below(folder)) > 0 && own.Entries() > 0 // else it says the same as the folder
	var shown []folderSum
	var rest sums.Sum
	left := 0
	for _, f := range r.t.Below(folder) {
		shown = append(shown, folderSum{f, r.t.Of(f)})
	}
	slices.SortFunc(shown, func(a, b folderSum) int {
		return cmp.Or(cmp.Compare(r.plan.By.Of(&b.sum), r.plan.By.Of(&a.sum)), strings.Compare(a.folder.Name, b.folder.Name))
	})
	for i, w := range shown {
		if r.plan.First > 0 && i >= r.plan.First || r.plan.By.Of(&w.sum) < r.plan.AtLeast || r.share(&w.sum) < r.plan.AtLeastShare {
			rest.Add(w.sum)
			left++
			continue
		}
		// What lies directly here has its place among the folders.
		if direct && r.plan.Direct && r.plan.By.Of(&own) > r.plan.By.Of(&w.sum) {
			r.direct(folder, own)
			direct = false
		}
		r.add(w.folder)
	}
	if direct && r.plan.Direct {
		r.direct(folder, own)
	}
	if left > 0 {
		r.list = append(r.list, &Row{Kind: RestRow, Folder: folder, Depth: folder.Depth + 1, Sum: rest, Share: r.share(&rest), Left: left, Complete: rest.Whole()})
	}
}

func (r *rows) direct(folder *entry.Folder, own sums.Sum) {
	r.list = append(r.list, &Row{Kind: DirectRow, Folder: folder, Depth: folder.Depth + 1, Sum: own, Own: own, Share: r.share(&own), Complete: own.Whole()})
}

func (r *rows) share(s *sums.Sum) int64 { return quantity.ShareOf(r.plan.By.Of(s), r.whole) }

// SetAtLeast reads the least that a folder weighs to be shown: a size or a percentage or,
// by files, a number of these.
func (plan *Plan) SetAtLeast(text string) (err error) {
	if text == "" {
		return nil
	}
	if percent, is := strings.CutSuffix(text, "%"); is {
		n, err := strconv.ParseFloat(percent, 64)
		if err != nil || !(n >= 0 && n <= 100) || strings.Trim(percent, "0123456789.") != "" {
			return fmt.Errorf("this should be a percentage from 0%% to 100%%, not %s", text)
		}
		plan.AtLeastShare = int64(n*10_000 + 0.5)
		return nil
	}
	if plan.By == sums.ByFiles {
		plan.AtLeast, err = strconv.ParseInt(text, 10, 64)
		if err != nil || plan.AtLeast < 0 {
			return fmt.Errorf("with --by files, give a number of files or a percentage, not %s", text)
		}
		return nil
	}
	plan.AtLeast, err = condition.ParseBytes(text)
	return err
}
