package tally

import (
	"encoding/json"
	"fmt"

	"frankledger/core/entry"
)

// Entry returns a group as an entry, for the fields of Columns.
func (g *Group) Entry() *entry.Entry {
	e := &entry.Entry{Folder: nowhere, Self: true, More: &entry.More{Row: g}}
	if !g.Sum.Whole() {
		e.Marks |= entry.MarkAtLeast
	}
	return e
}

var nowhere = &entry.Folder{Place: &entry.Place{}}

func group(e *entry.Entry) *Group { return e.More.Row.(*Group) }

func number(name, meaning string, t entry.Type, get func(*Group) (int64, bool)) *entry.Field {
	return entry.NumberField(name, meaning, t, func(e *entry.Entry) (int64, bool) { return get(group(e)) })
}

var (
	countField  = number("count", "how many entries", entry.Number, func(g *Group) (int64, bool) { return g.Sum.Entries(), true })
	sizeField   = number("size", "bytes of content", entry.Bytes, func(g *Group) (int64, bool) { return g.Sum.Size, g.Sum.HasSize() })
	diskField   = number("disk", "bytes on disk", entry.Bytes, func(g *Group) (int64, bool) { return g.Sum.Disk, g.Sum.HasDisk() })
	shareField  = number("share", "part of all bytes of content", entry.Share, func(g *Group) (int64, bool) { return g.Share, g.Sum.HasSize() })
	barField    = number(" ", "the share, drawn", entry.Bar, func(g *Group) (int64, bool) { return g.Share, g.Sum.HasSize() })
	largest     = number("largest", "bytes of the largest file", entry.Bytes, func(g *Group) (int64, bool) { return g.Largest, g.HasFile })
	oldestField = entry.MomentField("oldest", "when the oldest was last altered", func(e *entry.Entry) (entry.Time, bool) { return group(e).Oldest, group(e).Sum.Dated })
	newestField = entry.MomentField("newest", "when the newest was last altered", func(e *entry.Entry) (entry.Time, bool) { return group(e).Sum.Newest, group(e).Sum.Dated })
	restField   = entry.FlagField("rest", "the sum of what was left out", func(e *entry.Entry) (bool, bool) { return group(e).Rest, true })
)

// Columns returns the fields to show groups with for people.
func (t *Tally) Columns() []*entry.Field {
	return append(t.keyFields(), countField, sizeField, shareField, barField, largest, oldestField, newestField)
}

// DataColumns returns the fields to show groups with for programs: in JSON with
// one key, an object where there are several dimensions, else with a field for
// each of these. With rests, it is told which are.
func (t *Tally) DataColumns(inJSON, rests bool) []*entry.Field {
	columns := t.keyFields()
	switch {
	case inJSON:
		columns = []*entry.Field{entry.JSONField("key", "what the entries agree in", func(e *entry.Entry) string { return t.keyJSON(group(e)) })}
	case len(columns) == 1:
		columns[0].Name = "key"
	}
	columns = append(columns, countField, sizeField, diskField, shareField, oldestField, newestField, largest)
	if rests {
		columns = append(columns, restField)
	}
	return columns
}

func (t *Tally) keyFields() []*entry.Field {
	var fields []*entry.Field
	for i, d := range t.dimensions {
		fields = append(fields, entry.TextField(d.Name, "", func(e *entry.Entry) (string, bool) {
			g := group(e)
			if g.Rest && i == 0 {
				return fmt.Sprintf("%d more", g.Left), true
			}
			return g.Keys[i].Text, !g.Rest && !g.Keys[i].Absent
		}))
	}
	return fields
}

// keyJSON writes the key: a value, or an object of several.
func (t *Tally) keyJSON(g *Group) string {
	if g.Rest {
		return "null"
	}
	if len(t.dimensions) == 1 {
		return t.dimensions[0].json(g.Keys[0])
	}
	text := "{"
	for i, d := range t.dimensions {
		if i > 0 {
			text += ","
		}
		text += `"` + d.Name + `":` + d.json(g.Keys[i])
	}
	return text + "}"
}

func (d *Dimension) json(k Key) string {
	switch {
	case k.Absent:
		return "null"
	case d.Type == entry.Flag || d.Type == entry.Number:
		return k.Text
	}
	text, err := json.Marshal(k.Text)
	if err != nil {
		panic(err) // text always has a form
	}
	return string(text)
}

// Cross is a tally by two dimensions laid out as a table.
type Cross struct {
	Down, Across []Key
	Cells        map[[2]Key]*Group // nil where there are no entries
}

// Cross lays the groups out: the first dimension down, the second across.
func (t *Tally) Cross() *Cross {
	c := &Cross{Cells: make(map[[2]Key]*Group)}
	for _, g := range t.Groups(0) {
		c.Cells[[2]Key{g.Keys[0], g.Keys[1]}] = g
		c.Down = insert(c.Down, g.Keys[0], t.dimensions[0])
		c.Across = insert(c.Across, g.Keys[1], t.dimensions[1])
	}
	return c
}

// insert puts a key at its place, unless it is there.
func insert(keys []Key, key Key, d *Dimension) []Key {
	i := 0
	for i < len(keys) && d.Compare(keys[i], key) < 0 {
		i++
	}
	if i < len(keys) && keys[i] == key {
		return keys
	}
	return append(keys[:i], append([]Key{key}, keys[i:]...)...)
}
