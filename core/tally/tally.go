// Package tally counts entries and their bytes in groups.
package tally

import (
	"cmp"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/quantity"
	"frankledger/core/source"
	"frankledger/core/sums"
	"frankledger/core/text"
)

// Group is the entries that agree in all dimensions.
type Group struct {
	Keys    []Key
	Sum     sums.Sum
	Share   int64 // of all bytes of content, in millionths
	Oldest  entry.Time
	Largest int64 // bytes of the largest file
	HasFile bool
	Rest    bool // the sum of groups that were left out
	Left    int  // how many
}

// Key is the value of a dimension; Absent where the entries have none.
type Key struct {
	Text   string
	Absent bool
}

// Tally is a sink that groups entries. Its memory grows with the number of
// groups, and of files with several names.
type Tally struct {
	dimensions []*Dimension
	context    *entry.Context

	parts  source.Parts[part]
	merged map[string]*Group // what they have, once they were joined
}

// New returns a tally by one or two dimensions.
func New(dimensions []*Dimension, c *entry.Context) *Tally {
	return &Tally{dimensions: dimensions, context: c}
}

// Needs returns the facts that a tally looks at.
func (t *Tally) Needs() entry.Facts {
	facts := entry.FactStatus
	for _, d := range t.dimensions {
		facts |= d.Needs
	}
	return facts
}

type part struct {
	groups map[string]*Group
	named  []sums.Name[name]
	key    []byte
}

// name is a name that something has, and the group it is in.
type name struct{ path, key string }

// The bytes that a key is made of: for each dimension whether there is a value,
// the value, and an end. No name has a zero byte in it.
const (
	there  = 1
	absent = 2
	end    = 0
)

// Visitor implements source.Sink.
func (t *Tally) Visitor() source.Visitor {
	p := t.parts.New(part{groups: make(map[string]*Group)})
	return func(entries []entry.Entry) error {
		for i := range entries {
			p.add(t, &entries[i])
		}
		return nil
	}
}

func (p *part) add(t *Tally, e *entry.Entry) {
	p.key = p.key[:0]
	for _, d := range t.dimensions {
		start := len(p.key)
		p.key = append(p.key, there)
		var ok bool
		if p.key, ok = d.append(p.key, e, t.context); !ok {
			p.key = append(p.key[:start], absent)
		}
		p.key = append(p.key, end)
	}
	g := p.groups[string(p.key)]
	if g == nil {
		g = &Group{}
		p.groups[string(p.key)] = g
	}
	if known := e.Known&entry.FactStatus != 0; known && (!g.Sum.Dated || e.Modified.Compare(g.Oldest) < 0) {
		g.Oldest = e.Modified
	}
	if e.HasSize() {
		g.Largest, g.HasFile = max(g.Largest, e.Size), true
	}
	if bytes, several := g.Sum.Take(e); several {
		p.named = append(p.named, sums.Name[name]{Node: e.Node(), Of: name{e.Path(), string(p.key)}, Bytes: bytes})
	}
	if e.Known&entry.FactStatus != 0 { // folders have a date here too
		g.Sum.Date(e.Modified)
	}
}

// Most returns the groups with most bytes, or with most entries; and the others summed up in
// one.
func (t *Tally) Most(first int, entries bool) []*Group {
	groups := t.Groups(0)
	slices.SortStableFunc(groups, func(a, b *Group) int {
		bySize, byCount := cmp.Compare(b.Sum.Size, a.Sum.Size), cmp.Compare(b.Sum.Entries(), a.Sum.Entries())
		if entries {
			return cmp.Or(byCount, bySize)
		}
		return cmp.Or(bySize, byCount)
	})
	return t.withRest(groups, first)
}

// InBands returns the groups of a tally by bands, in their order, with those between the first
// and the last that have nothing in them.
func (t *Tally) InBands() (groups []*Group) {
	byKey := t.merge()
	last := 0
	for _, band := range t.dimensions[0].bands {
		g := byKey[string(rune(there))+band+string(rune(end))]
		if g == nil {
			g = &Group{}
		} else {
			last = len(groups) + 1
		}
		if g.Keys = []Key{{Text: band}}; last > 0 {
			groups = append(groups, g)
		}
	}
	groups = groups[:last]
	if g := byKey[string(rune(absent))+string(rune(end))]; g != nil {
		g.Keys = []Key{{Absent: true}}
		groups = append(groups, g)
	}
	return groups
}

// Groups returns the groups: in the order of their first dimension if that has
// one, else the heaviest first. With first, only so many of them, and the others
// summed up in one.
func (t *Tally) Groups(first int) []*Group {
	byKey := t.merge()
	// What they are sorted by stands together: to look for it in each group takes longer than
	// to compare it.
	order := make([]weighed, 0, len(byKey))
	total := t.total()
	for key, g := range byKey {
		g.Keys = splitKey(key)
		order = append(order, weighed{g, g.Keys[0], g.Sum.Size, g.Sum.Entries()})
	}
	slices.SortFunc(order, t.compare)
	groups := make([]*Group, len(order))
	for i, o := range order {
		groups[i] = o.group
		o.group.Share = quantity.ShareOf(o.size, total.Size)
	}
	return t.withRest(groups, first)
}

// total is what all groups have.
func (t *Tally) total() (total sums.Sum) {
	for _, g := range t.merge() {
		total.Add(g.Sum)
	}
	return total
}

// withRest returns the first so many groups, and the others summed up in one; all if first is 0.
func (t *Tally) withRest(groups []*Group, first int) []*Group {
	if first == 0 || len(groups) <= first {
		return groups
	}
	rest := &Group{Rest: true, Left: len(groups) - first, Keys: make([]Key, len(t.dimensions))}
	for _, g := range groups[first:] {
		rest.join(g)
	}
	total := t.total()
	rest.Share = quantity.ShareOf(rest.Sum.Size, total.Size)
	return append(groups[:first:first], rest)
}

// merge joins what the visitors counted. A file with several names is counted in
// the group of the first, in order of the bytes of their paths.
func (t *Tally) merge() map[string]*Group {
	if t.merged != nil {
		return t.merged
	}
	all := map[string]*Group{}
	var named []sums.Name[name]
	for _, p := range t.parts.Take() {
		if named = append(named, p.named...); len(all) == 0 {
			all = p.groups
			continue
		}
		for key, g := range p.groups {
			if before := all[key]; before != nil {
				before.join(g)
			} else {
				all[key] = g
			}
		}
	}
	sums.CountOnce(named, func(n name) string { return n.path }, func(n *sums.Name[name]) { all[n.Of.key].Sum.Add(n.Bytes) }, nil)
	t.merged = all
	return all
}

func (g *Group) join(other *Group) {
	if other.Sum.Dated && (!g.Sum.Dated || other.Oldest.Compare(g.Oldest) < 0) {
		g.Oldest = other.Oldest
	}
	g.Sum.Add(other.Sum)
	g.Largest, g.HasFile = max(g.Largest, other.Largest), g.HasFile || other.HasFile
}

func splitKey(key string) (keys []Key) {
	for value := range strings.SplitSeq(strings.TrimSuffix(key, string(rune(end))), string(rune(end))) {
		keys = append(keys, Key{Text: value[1:], Absent: value[0] == absent})
	}
	return keys
}

// weighed is a group with what it is sorted by.
type weighed struct {
	group         *Group
	first         Key
	size, entries int64
}

func (t *Tally) compare(a, b weighed) int {
	if !t.dimensions[0].Ordered {
		if c := cmp.Or(cmp.Compare(b.size, a.size), cmp.Compare(b.entries, a.entries)); c != 0 {
			return c
		}
	}
	if c := t.dimensions[0].Compare(a.first, b.first); c != 0 || len(t.dimensions) == 1 {
		return c
	}
	return t.dimensions[1].Compare(a.group.Keys[1], b.group.Keys[1])
}

// Compare orders the values of a dimension, those that are absent last.
func (d *Dimension) Compare(a, b Key) int {
	switch {
	case a.Absent || b.Absent:
		return cmp.Compare(btoi(a.Absent), btoi(b.Absent))
	case d.bands != nil:
		return cmp.Compare(slices.Index(d.bands, a.Text), slices.Index(d.bands, b.Text))
	}
	return text.CompareNatural(a.Text, b.Text)
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}
