package tally

import (
	"fmt"
	"slices"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/row"
)

// Columns returns what groups are shown with: in JSON with one key, an object where there are several dimensions,
// else with a column for each of these. With rests, a column says which rows these are.
func (t *Tally) Columns(rests bool) []row.Column[*Group] {
	const programs, people = row.Programs, row.People
	partly := func(g *Group) bool { return !g.Sum.Whole() }
	share := func(g *Group) (int64, bool) { return g.Share, g.Sum.HasSize() }
	largest := row.NumberColumn("largest", "bytes of the largest file", row.Bytes, func(g *Group) (int64, bool) { return g.Largest, g.HasFile })
	columns := append(t.keyColumns(),
		row.NumberColumn("count", "how many entries", row.Count, func(g *Group) (int64, bool) { return g.Sum.Entries(), true }),
		row.NumberColumn("size", "bytes of content", row.Bytes, func(g *Group) (int64, bool) { return g.Sum.Size, g.Sum.HasSize() }).AtLeast(partly),
		row.NumberColumn("disk", "bytes on disk", row.Bytes, func(g *Group) (int64, bool) { return g.Sum.Disk, g.Sum.HasDisk() }).For(programs),
		row.NumberColumn("share", "part of all bytes of content", row.Share, share),
		row.NumberColumn(" ", "the share, drawn", row.Bar, share).For(people),
		largest.For(people),
		row.TimeColumn("oldest", "when the oldest was last altered", func(g *Group) (row.Moment, bool) { return g.Oldest, g.Sum.Dated }),
		row.TimeColumn("newest", "when the newest was last altered", func(g *Group) (row.Moment, bool) { return g.Sum.Newest, g.Sum.Dated }),
		largest.For(programs),
	)
	if rests {
		columns = append(columns, row.FlagColumn("rest", "the sum of what was left out", func(g *Group) (bool, bool) { return g.Rest, true }).For(programs))
	}
	return columns
}

// keyColumns returns what tells groups apart.
func (t *Tally) keyColumns() []row.Column[*Group] {
	columns := []row.Column[*Group]{row.JSONColumn("key", "what the entries have in common", t.keyJSON)}
	for i, d := range t.dimensions {
		key := row.TextColumn(d.Name, "what the entries have in common", func(g *Group) (string, bool) {
			if g.Rest && i == 0 {
				return fmt.Sprintf("%d more", g.Left), true
			}
			return g.Keys[i].Text, !g.Rest && !g.Keys[i].Absent
		})
		if d.long {
			key = key.Shrinking()
		}
		flat := key
		if len(t.dimensions) == 1 {
			flat = key.Called("key")
		}
		if d.Needs&entry.FactDigests != 0 {
			key = t.shortened(key, i)
		}
		columns = append(columns, key.For(row.People), flat.For(row.Flat))
	}
	return columns
}

// leastDigits is how many digits of a digest are shown at least.
const leastDigits = 8

// shortened is the column of digests with as many of their digits as tell all of them apart.
func (t *Tally) shortened(key row.Column[*Group], i int) row.Column[*Group] {
	digits := sync.OnceValue(func() int {
		var all []string
		for _, g := range t.merge() {
			all = append(all, g.Keys[i].Text)
		}
		slices.Sort(all)
		digits := leastDigits
		all = slices.Compact(all)
		for n := 1; n < len(all); n++ {
			alike := 0
			for alike < min(len(all[n]), len(all[n-1])) && all[n][alike] == all[n-1][alike] {
				alike++
			}
			digits = max(digits, alike+1)
		}
		return digits
	})
	return row.TextColumn(key.Name, key.Meaning, func(g *Group) (string, bool) {
		text, has := key.Text(g)
		if has && !g.Rest && len(text) > digits() {
			text = text[:digits()] + "…"
		}
		return text, has
	})
}

// keyJSON writes the key: a value, or an object of several.
func (t *Tally) keyJSON(g *Group) string {
	if g.Rest {
		return "null"
	}
	if len(t.dimensions) == 1 {
		return string(t.dimensions[0].appendJSON(nil, "key", g.Keys[0]))
	}
	o := exact.Begin(nil)
	for i, d := range t.dimensions {
		o.Key(d.Name)
		o.Dst = d.appendJSON(o.Dst, d.Name, g.Keys[i])
	}
	return string(o.End())
}

// appendJSON appends a value that is a member under some key.
func (d *Dimension) appendJSON(dst []byte, key string, k Key) []byte {
	switch {
	case k.Absent:
		return append(dst, "null"...)
	case d.Type == entry.Flag || d.Type == entry.Number:
		return append(dst, k.Text...)
	}
	return exact.AppendBeside(exact.AppendText(dst, k.Text), key, k.Text)
}

// Cross is a tally by two dimensions laid out as a table.
type Cross struct {
	Down, Across []Key
	Cells        map[[2]Key]*Group // nil where there are no entries
}

// Cross lays the groups out: the first dimension down, the second across.
func (t *Tally) Cross() *Cross {
	c := &Cross{Cells: make(map[[2]Key]*Group)}
	var met [2]map[Key]bool
	for i, keys := range []*[]Key{&c.Down, &c.Across} {
		met[i] = map[Key]bool{}
		for _, g := range t.Groups(0) {
			if key := g.Keys[i]; !met[i][key] {
				met[i][key] = true
				*keys = append(*keys, key)
			}
			c.Cells[[2]Key{g.Keys[0], g.Keys[1]}] = g
		}
		slices.SortFunc(*keys, t.dimensions[i].Compare)
	}
	return c
}
