package weigh

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/quantity"
	"frankledger/core/sides"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Growth is how much heavier a folder has become, or lighter.
type Growth struct {
	Kind          RowKind       // FolderRow, DirectRow or RestRow
	Folder        *entry.Folder // as it is, or as it was where it is no longer there
	Depth         int
	Before, After sums.Sum
	Came, Went    bool  // it was not there before, or is there no longer
	Change        int64 // of what is weighed
	Left          int   // of a RestRow: how many folders
	Same          bool  // of a RestRow: in none of these anything has changed
}

// Known reports whether what is weighed is known on both sides.
func (g *Growth) Known(by sums.Measure) bool {
	return (g.Came || by.Known(&g.Before)) && (g.Went || by.Known(&g.After))
}

// Whole reports whether everything was read on both sides.
func (g *Growth) Whole() bool { return g.Before.Whole() && g.After.Whole() }

// Grown is what has changed since.
type Grown struct {
	Rows          []*Growth // the place, then what is in it, the greatest change first
	Before, After sums.Sum  // of the whole
	Held          *sides.Held
	Matched       bool // a condition chose what was weighed
}

// Since weighs a place as it was and as it is, and tells what has become heavier or lighter, by
// folder: the rows one level below a folder add up to it. Weighed is what meets the condition on
// either side, as far as both sides looked.
func Since(ctx context.Context, before, after *sides.Side, o Options) (*Grown, error) {
	request := o.Request
	request.Facts, request.Depth = entry.FactStatus, source.AllDepths
	var totals [2]*sums.Totals
	held, err := sides.Read(ctx, before, after, request, func(side int) source.Sink {
		totals[side] = sums.NewTotals(source.Nowhere)
		return totals[side]
	})
	if err != nil {
		return nil, err
	}
	answer := &Grown{Held: held, Matched: request.Condition != nil}
	answer.hold(totals[0], totals[1], before.Sources[0].Place(), after.Sources[0].Place(), o.Plan)
	return answer, nil
}

// Hold tells what has become heavier or lighter between two weighings of all that is in a place.
func Hold(before, after *sums.Totals, was, is *entry.Place, plan Plan) *Grown {
	answer := &Grown{Held: &sides.Held{}}
	answer.hold(before, after, was, is, plan)
	return answer
}

func (answer *Grown) hold(before, after *sums.Totals, was, is *entry.Place, plan Plan) {
	g := &growing{plan: plan, before: before, after: after, matched: answer.Matched}
	root := g.join(before.Root(was, answer.Held.Report.Problems), after.Root(is, answer.Held.Report.Problems))
	answer.Before, answer.After = root.growth.Before, root.growth.After
	g.add(root)
	answer.Rows = g.rows
}

// growing puts the folders of both sides together.
type growing struct {
	plan          Plan
	before, after *sums.Totals
	matched       bool // only what meets a condition was weighed
	rows          []*Growth
}

// joined is a folder of both sides, or of one.
type joined struct {
	growth Growth
	own    Growth // what lies directly in it
	stir   bool   // something in it has changed, at any depth
	below  []*joined
}

// join joins a folder of both sides. What could not be read on one of them is left out on both.
func (g *growing) join(a, b *entry.Folder) *joined {
	j := &joined{}
	j.growth.Kind, j.own.Kind = FolderRow, DirectRow
	unread := a != nil && a.Unread() || b != nil && b.Unread()
	names := map[string][2]*entry.Folder{}
	if a != nil {
		j.growth.Folder, j.own.Before = a, g.before.Own(a)
		for _, f := range g.before.Below(a) {
			names[f.Name] = [2]*entry.Folder{f, nil}
		}
	}
	if b != nil {
		j.growth.Folder, j.own.After = b, g.after.Own(b)
		for _, f := range g.after.Below(b) {
			names[f.Name] = [2]*entry.Folder{names[f.Name][0], f}
		}
	}
	if unread {
		clear(names)
		if j.own.Before = (sums.Sum{Unread: 1}); a != nil && b != nil {
			j.own.After = j.own.Before
		} else if a == nil {
			j.own.Before, j.own.After = sums.Sum{}, j.own.Before
		}
	}
	if !g.matched { // else there may be such a folder that nothing in matches
		j.growth.Came, j.growth.Went = a == nil, b == nil
	}
	j.own.Folder, j.growth.Depth, j.own.Depth = j.growth.Folder, j.growth.Folder.Depth, j.growth.Folder.Depth+1
	j.growth.Before, j.growth.After = j.own.Before, j.own.After
	for _, both := range names {
		below := g.join(both[0], both[1])
		j.stir = j.stir || below.stir
		j.growth.Before.Add(below.growth.Before)
		j.growth.After.Add(below.growth.After)
		j.below = append(j.below, below)
	}
	by := g.plan.By
	j.growth.Change = by.Of(&j.growth.After) - by.Of(&j.growth.Before)
	j.own.Change = by.Of(&j.own.After) - by.Of(&j.own.Before)
	j.stir = j.stir || j.own.Change != 0 || j.growth.Came || j.growth.Went
	slices.SortFunc(j.below, func(x, y *joined) int {
		return cmp.Or(cmp.Compare(quantity.Magnitude(y.growth.Change), quantity.Magnitude(x.growth.Change)), strings.Compare(x.growth.Folder.Name, y.growth.Folder.Name))
	})
	return j
}

// add adds the row of a folder, and those of what is in it.
func (g *growing) add(j *joined) {
	g.rows = append(g.rows, &j.growth)
	if j.growth.Depth >= g.plan.Depth {
		return
	}
	direct := len(j.below) > 0 && j.own.Change != 0 // else it says the same as the folder, or nothing
	rest, same := Growth{Kind: RestRow, Folder: j.growth.Folder, Depth: j.growth.Depth + 1}, Growth{Kind: RestRow, Folder: j.growth.Folder, Depth: j.growth.Depth + 1, Same: true}
	shown := 0
	for _, below := range j.below {
		if !below.stir {
			same.take(&below.growth)
			continue
		}
		if g.plan.First > 0 && shown >= g.plan.First || quantity.Magnitude(below.growth.Change) < uint64(g.plan.AtLeast) {
			rest.take(&below.growth)
			continue
		}
		if direct && quantity.Magnitude(j.own.Change) > quantity.Magnitude(below.growth.Change) {
			g.rows = append(g.rows, &j.own)
			direct = false
		}
		shown++
		g.add(below)
	}
	if direct {
		g.rows = append(g.rows, &j.own)
	}
	for _, r := range []*Growth{&rest, &same} {
		if r.Left > 0 {
			g.rows = append(g.rows, r)
		}
	}
}

// take adds a folder to the sum of those that are not shown.
func (g *Growth) take(other *Growth) {
	g.Before.Add(other.Before)
	g.After.Add(other.After)
	g.Change += other.Change
	g.Left++
}
