package weigh

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Growth is how much heavier a folder has become, or lighter.
type Growth struct {
	Kind          RowKind       // FolderRow, DirectRow or RestRow
	Folder        *entry.Folder // as it is, or as it was where it is there no longer
	Depth         int
	Before, After Sum
	Came, Went    bool  // it was not there before, or is there no longer
	Change        int64 // of what is weighed
	Left          int   // of a RestRow: how many folders
	Same          bool  // of a RestRow: in none of these anything has changed
}

// Known reports whether what is weighed is known on both sides.
func (g *Growth) Known(by Measure) bool {
	has := func(s *Sum, there bool) bool {
		switch {
		case !there:
			return true
		case by == ByDisk:
			return s.HasDisk()
		case by == ByFiles:
			return s.HasEntries()
		}
		return s.HasSize() || s.Entries() == 0
	}
	return has(&g.Before, !g.Came) && has(&g.After, !g.Went)
}

// Whole reports whether everything was read on both sides.
func (g *Growth) Whole() bool { return g.Before.Whole() && g.After.Whole() }

// Grown is what has changed since.
type Grown struct {
	Rows          []*Growth // the place, then what is in it, the greatest change first
	Before, After Sum       // of the whole
	Report        source.Report
}

// Since weighs a place as it was and as it is, and tells what has become heavier or lighter, by
// folder: the rows one level below a folder add up to it.
func Since(ctx context.Context, before, after *source.Set, o Options) (*Grown, error) {
	answer := &Grown{}
	var sides [2]*Totals
	for i, from := range []*source.Set{before, after} {
		request := o.Request
		request.Facts, request.Depth = entry.FactStatus, source.AllDepths
		if from.Sources[0].Place().Record != nil {
			request.Follow, request.SameDisk = false, false
		}
		sides[i] = NewTotals(source.Nowhere)
		report, err := from.Read(ctx, request, sides[i])
		answer.Report.Add(report)
		if err != nil {
			return nil, err
		}
	}
	answer.hold(sides[0], sides[1], before.Sources[0].Place(), after.Sources[0].Place(), o.Plan)
	return answer, nil
}

// Hold tells what has become heavier or lighter between two weighings of a place.
func Hold(before, after *Totals, was, is *entry.Place, plan Plan) *Grown {
	answer := &Grown{}
	answer.hold(before, after, was, is, plan)
	return answer
}

func (answer *Grown) hold(before, after *Totals, was, is *entry.Place, plan Plan) {
	g := &growing{plan: plan, before: before, after: after}
	root := g.join(before.Root(was), after.Root(is))
	answer.Before, answer.After = root.growth.Before, root.growth.After
	g.add(root)
	answer.Rows = g.rows
}

// growing puts the folders of both sides together.
type growing struct {
	plan          Plan
	before, after *Totals
	rows          []*Growth
}

// joined is a folder of both sides, or of one.
type joined struct {
	growth Growth
	own    Growth // what lies directly in it
	stir   bool   // something in it has changed, at any depth
	below  []*joined
}

func (g *growing) join(a, b *entry.Folder) *joined {
	j := &joined{}
	j.growth.Kind, j.own.Kind = FolderRow, DirectRow
	names := map[string][2]*entry.Folder{}
	if a != nil {
		j.growth.Folder, j.growth.Before, j.own.Before = a, g.before.Of(a), g.before.Own(a)
		for _, f := range g.before.Below(a) {
			names[f.Name] = [2]*entry.Folder{f, nil}
		}
	}
	if b != nil {
		j.growth.Folder, j.growth.After, j.own.After = b, g.after.Of(b), g.after.Own(b)
		for _, f := range g.after.Below(b) {
			names[f.Name] = [2]*entry.Folder{names[f.Name][0], f}
		}
	}
	j.growth.Came, j.growth.Went = a == nil, b == nil
	j.own.Folder, j.growth.Depth, j.own.Depth = j.growth.Folder, j.growth.Folder.Depth, j.growth.Folder.Depth+1
	by := g.plan.By
	j.growth.Change = by.Of(&j.growth.After) - by.Of(&j.growth.Before)
	j.own.Change = by.Of(&j.own.After) - by.Of(&j.own.Before)
	j.stir = j.own.Change != 0 || a == nil || b == nil
	for _, both := range names {
		below := g.join(both[0], both[1])
		j.stir = j.stir || below.stir
		j.below = append(j.below, below)
	}
	slices.SortFunc(j.below, func(x, y *joined) int {
		return cmp.Or(cmp.Compare(Magnitude(y.growth.Change), Magnitude(x.growth.Change)), strings.Compare(x.growth.Folder.Name, y.growth.Folder.Name))
	})
	return j
}

// Magnitude is how great a change is, whether more or less.
func Magnitude(n int64) uint64 {
	if n < 0 {
		return -uint64(n)
	}
	return uint64(n)
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
		if g.plan.First > 0 && shown >= g.plan.First || Magnitude(below.growth.Change) < uint64(g.plan.AtLeast) {
			rest.take(&below.growth)
			continue
		}
		if direct && Magnitude(j.own.Change) > Magnitude(below.growth.Change) {
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
