package tally

import (
	"cmp"
	"context"
	"slices"

	"frankledger/core/quantity"
	"frankledger/core/row"
	"frankledger/core/sides"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Growth is how a group has changed.
type Growth struct {
	Group         *Group // with the keys; of the rest, how many groups that is
	Before, After sums.Sum
	Came, Went    bool // there was none before, or is none any more
}

// Change is how many bytes of content there are more, or less.
func (g *Growth) Change() int64 { return g.After.Size - g.Before.Size }

func (g *Growth) entries() int64 { return g.After.Entries() - g.Before.Entries() }

// known reports whether sizes are known on both sides.
func (g *Growth) known() bool {
	return (g.Before.HasSize() || g.Before.Entries() == 0) && (g.After.HasSize() || g.After.Entries() == 0)
}

// Grown is what has changed since, by groups.
type Grown struct {
	Groups        []*Growth
	Same          int // groups in which neither number nor bytes have changed
	Before, After sums.Sum
	Held          *sides.Held
	tally         *Tally
}

// Since counts entries in groups as they were and as they are, and returns the groups with more or fewer entries or
// bytes: in the order of the first dimension if that has one, else the greatest change first. With first, only so
// many, and the others summed up in one. Counted is what meets the condition on either side, as far as both sides
// looked. Paths are relative.
func Since(ctx context.Context, before, after *sides.Side, o Options, first int) (*Grown, error) {
	relative := *o.Context
	relative.Relative = true
	var tallies [2]*Tally
	request := o.Request
	request.Facts = New(o.Dimensions, &relative).Needs()
	held, err := sides.Read(ctx, before, after, request, func(side int) source.Sink {
		tallies[side] = New(o.Dimensions, &relative)
		return tallies[side]
	})
	if err != nil {
		return nil, err
	}
	answer := &Grown{Held: held, tally: tallies[1]}
	byKey := map[string]*Growth{}
	for side, t := range tallies {
		for key, g := range t.merge() {
			one := byKey[key]
			if one == nil {
				g.Keys = splitKey(key)
				one = &Growth{Group: g, Came: side == 1, Went: true}
				byKey[key] = one
			}
			if side == 0 {
				one.Before = g.Sum
				answer.Before.Add(g.Sum)
			} else {
				one.After, one.Went = g.Sum, false
				answer.After.Add(g.Sum)
			}
		}
	}
	for _, g := range byKey {
		if g.Change() == 0 && g.entries() == 0 && !g.Came && !g.Went {
			answer.Same++
			continue
		}
		answer.Groups = append(answer.Groups, g)
	}
	t := answer.tally
	slices.SortFunc(answer.Groups, func(a, b *Growth) int {
		if !t.dimensions[0].Ordered {
			if c := cmp.Or(cmp.Compare(quantity.Magnitude(b.Change()), quantity.Magnitude(a.Change())), cmp.Compare(quantity.Magnitude(b.entries()), quantity.Magnitude(a.entries()))); c != 0 {
				return c
			}
		}
		for i, d := range t.dimensions {
			if c := d.Compare(a.Group.Keys[i], b.Group.Keys[i]); c != 0 {
				return c
			}
		}
		return 0
	})
	if first > 0 && len(answer.Groups) > first {
		rest := &Growth{Group: &Group{Rest: true, Left: len(answer.Groups) - first, Keys: make([]Key, len(t.dimensions))}}
		for _, g := range answer.Groups[first:] {
			rest.Before.Add(g.Before)
			rest.After.Add(g.After)
		}
		answer.Groups = append(answer.Groups[:first], rest)
	}
	return answer, nil
}

// Columns returns what is shown of groups that have changed.
func (a *Grown) Columns() []row.Column[*Growth] {
	const programs = row.Programs
	partly := func(g *Growth) bool { return !g.Before.Whole() || !g.After.Whole() }
	columns := row.AllThrough(a.tally.keyColumns(), func(g *Growth) *Group { return g.Group })
	return append(columns,
		row.NumberColumn("change", "how many bytes of content it grew or shrank by", row.MoreBytes, func(g *Growth) (int64, bool) { return g.Change(), g.known() }),
		row.NumberColumn("before", "bytes of content that there were", row.Bytes, func(g *Growth) (int64, bool) { return g.Before.Size, g.Before.HasSize() && !g.Came }).LeftBlank().AtLeast(partly),
		row.NumberColumn("now", "bytes of content that there are", row.Bytes, func(g *Growth) (int64, bool) { return g.After.Size, g.After.HasSize() && !g.Went }).LeftBlank().AtLeast(partly),
		row.NumberColumn("entries", "how many more, or fewer", row.MoreCount, func(g *Growth) (int64, bool) { return g.entries(), true }),
		row.NumberColumn("count_before", "how many entries there were", row.Count, func(g *Growth) (int64, bool) { return g.Before.Entries(), true }).For(programs),
		row.NumberColumn("count", "how many entries there are", row.Count, func(g *Growth) (int64, bool) { return g.After.Entries(), true }).For(programs),
		row.FlagColumn("rest", "the sum of what was left out", func(g *Growth) (bool, bool) { return g.Group.Rest, true }).For(programs),
	)
}
