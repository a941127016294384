package entry

import (
	"slices"

	"frankledger/core/row"
)

// Time is a moment as file systems keep it.
type Time = row.Moment

// TimeOf converts from the standard library's time.
var TimeOf = row.MomentOf

// Columns returns the columns that show fields of entries.
func Columns(c *Context, fields ...*Field) (columns []row.Column[*Entry]) {
	for _, f := range fields {
		column := f.column(c)
		if f.shown == nil {
			columns = append(columns, column)
			continue
		}
		shown := row.AppendColumn(f.Name, f.Meaning, func(dst []byte, e *Entry) ([]byte, bool) { return f.shown(dst, e, c) })
		columns = append(columns, column.Shown(f.dressed(shown))...)
	}
	return columns
}

// Unknown is what people are shown for a value that may exist and could not be found out.
const Unknown = "?"

// UnknownColumn lists which of some fields are not known of an entry, for programs: those have no value, just like
// fields that the entry does not have.
func UnknownColumn(fields []*Field) row.Column[*Entry] {
	return row.TextsColumn("unknown", "the fields that may have a value, and could not be read", func(e *Entry) (names []string) {
		for _, f := range fields {
			if !f.Knows(e) {
				names = append(names, f.Name)
			}
		}
		return names
	})
}

// ColumnsNamed returns the columns that show the fields of these names, which must
// exist.
func ColumnsNamed(c *Context, names ...string) (columns []row.Column[*Entry]) {
	for _, name := range names {
		columns = append(columns, Columns(c, FieldNamed(name))...)
	}
	return columns
}

// column returns the field as a column.
func (f *Field) column(c *Context) (column row.Column[*Entry]) {
	switch f.Type {
	case Text:
		column = row.AppendColumn(f.Name, f.Meaning, func(dst []byte, e *Entry) ([]byte, bool) { return f.text(dst, e, c) })
	case Moment:
		column = row.TimeColumn(f.Name, f.Meaning, f.moment)
	case Flag:
		column = row.FlagColumn(f.Name, f.Meaning, f.flag)
	default:
		column = row.NumberColumn(f.Name, f.Meaning, f.Type, func(e *Entry) (int64, bool) { return f.number(e, c) })
	}
	if f.Type == Bytes {
		column = column.AtLeast(isAtLeast)
	}
	return f.dressed(column)
}

func isAtLeast(e *Entry) bool { return e.Marks&MarkAtLeast != 0 }

// MarkTotals returns columns where sizes of folders, which are totals, are marked as such.
func MarkTotals(columns []row.Column[*Entry]) []row.Column[*Entry] {
	for i := range columns {
		if columns[i].Name == "size" {
			columns[i] = columns[i].Marked(func(e *Entry) row.Mark {
				switch {
				case isAtLeast(e):
					return row.AtLeast
				case e.Kind == KindFolder:
					return row.Sum
				}
				return row.NoMark
			})
		}
	}
	return columns
}

// dressed adds to a column how the field is shown.
func (f *Field) dressed(column row.Column[*Entry]) row.Column[*Entry] {
	if f.alike != nil {
		column = column.Alike(f.alike)
	}
	if f.Long {
		column = column.Shrinking().Looking((*Entry).Look)
	}
	if f.Needs == 0 {
		return column
	}
	return column.Instead(func(e *Entry) string {
		if f.Knows(e) {
			return ""
		}
		return Unknown
	})
}

// Look is what the entry is shown as.
func (e *Entry) Look() row.Look {
	switch e.Kind {
	case KindUnknown:
		return row.Plain
	case KindFolder:
		return row.Folder
	case KindLink:
		return row.Link
	case KindFile:
		if e.Known&FactStatus != 0 && e.Permissions&0o111 != 0 {
			return row.Program
		}
		return row.Plain
	}
	return row.Special
}

// OverviewNeeds are the facts that an overview shows: those of links only if they can be found out.
const OverviewNeeds, OverviewAside = FactStatus | OverviewAside, FactTarget | FactReach

// Overview returns the columns that tell people most of a folder, with these fields: mostly name, size, modified,
// permissions and owner. What has no size has there what it is. With totals, the kind has a column of its own, and
// sizes stand last, as amounts do that add up.
func Overview(c *Context, totals bool, fields []*Field) []row.Column[*Entry] {
	kind, size := FieldNamed("kind"), FieldNamed("size")
	if totals {
		fields = slices.Clone(fields)
		if !slices.Contains(fields, kind) {
			fields = slices.Insert(fields, min(1, len(fields)), kind)
		}
		if at := slices.Index(fields, size); at >= 0 {
			fields = append(slices.Delete(fields, at, at+1), size)
		}
	}
	columns := Columns(c, fields...)
	for i := range columns {
		switch {
		case columns[i].Name == size.Name && totals:
			columns[i] = columns[i].Kept()
		case columns[i].Name == size.Name:
			columns[i] = columns[i].Instead(func(e *Entry) string {
				if e.Kind == KindFile {
					return Unknown
				}
				return e.Kind.String()
			})
		}
	}
	return append(columns, row.TextColumn("leads to", "what a link points to", leadsTo).LeftBlank().IfAny().For(row.Screen),
		row.TextColumn("hidden", "whether it is hidden", func(e *Entry) (string, bool) { return "hidden", e.Hidden() }).LeftBlank().IfAny().For(row.Screen))
}

// leadsTo tells where a link leads.
func leadsTo(e *Entry) (string, bool) {
	switch {
	case e.Kind != KindLink || e.Known&FactTarget == 0:
		return "", false
	case e.Known&FactReach != 0 && e.Marks&MarkReaches == 0:
		return e.More.Target + " (broken)", true
	}
	return e.More.Target, true
}

// FullPath is the path from the root of the system.
var FullPath = row.AppendColumn("full_path", "from the root", func(dst []byte, e *Entry) ([]byte, bool) {
	return e.appendFullPath(dst), true
})
