package weigh

import (
	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/core/sums"
)

// rowWords are the kinds of rows as `row` has them.
var rowWords = [...]string{"folder", "direct", "rest", "file", "total"}

// Columns returns what rows are shown with, besides the name that people are shown.
func (p *Plan) Columns() []row.Column[*Row] {
	const programs, people = row.Programs, row.People
	partly := func(r *Row) bool { return r.Kind != FileRow && !r.Complete }
	files := row.NumberColumn("files", "names of files", row.Count, func(r *Row) (int64, bool) { return r.Sum.Files, r.Kind != FileRow && r.Sum.HasEntries() })
	folders := row.NumberColumn("folders", "folders", row.Count, func(r *Row) (int64, bool) { return r.Sum.Folders, r.Kind != FileRow && r.Sum.HasEntries() })
	size := row.NumberColumn("size", "bytes of content", row.Bytes, func(r *Row) (int64, bool) { return r.Sum.Size, r.Sum.HasSize() }).AtLeast(partly).Instead(func(r *Row) string { return entry.Unknown })
	disk := row.NumberColumn("disk", "bytes on disk", row.Bytes, func(r *Row) (int64, bool) { return r.Sum.Disk, r.Sum.HasDisk() }).AtLeast(partly)
	newest := row.TimeColumn("newest", "when the newest was last altered", func(r *Row) (row.Moment, bool) { return r.Sum.Newest, r.Sum.Dated })
	part := func(r *Row) (int64, bool) { return r.Share, r.Sum.HasSize() }
	share := row.NumberColumn("share", "part of the whole place", row.Share, part)
	columns := append(p.beside(files, folders, newest, size, disk),
		share.For(people).Kept(),
		row.NumberColumn(" ", "the share, drawn", row.Bar, part).For(people),
		row.AppendColumn("path", "its path", func(dst []byte, r *Row) ([]byte, bool) {
			if r.Kind == TotalRow { // of several places
				return dst, false
			}
			return r.appendPath(dst), true
		}).For(programs),
		row.NumberColumn("depth", "how deep it lies below the place", row.Number, func(r *Row) (int64, bool) { return int64(r.Depth), true }).For(programs),
		size.For(programs), disk.For(programs), files.For(programs), folders.For(programs), share.For(programs), newest.For(programs),
		row.NumberColumn("own_size", "bytes of content directly in it", row.Bytes, func(r *Row) (int64, bool) {
			return r.Own.Size, r.Kind == FolderRow && r.Own.HasSize()
		}).For(programs),
		row.NumberColumn("own_files", "files directly in it", row.Count, func(r *Row) (int64, bool) {
			return r.Own.Files, r.Kind == FolderRow && r.Own.HasEntries()
		}).For(programs),
		row.FlagColumn("complete", "everything in it was read", func(r *Row) (bool, bool) { return r.Complete, true }).For(programs))
	if p.First > 0 || p.AtLeast > 0 || p.AtLeastShare > 0 {
		columns = append(columns, row.FlagColumn("rest", "the sum of what was left out", func(r *Row) (bool, bool) { return r.Kind == RestRow, true }).For(programs))
	}
	if p.Largest > 0 || p.Heaviest > 0 {
		columns = append(columns, row.TextColumn("row", "folder, rest or file", func(r *Row) (string, bool) { return rowWords[r.Kind], true }).For(programs))
	}
	return columns
}

// beside returns what people are shown between the name and the share, as an account book has it: what it is first, and
// the amount last. The amount is never left out.
func (p *Plan) beside(files, folders, newest, size, disk row.Column[*Row]) (columns []row.Column[*Row]) {
	switch {
	case p.Heaviest > 0: // rows are of one file each
		columns = append(columns, newest.Called("modified"), size)
	case p.By == sums.ByFiles:
		columns = append(columns, folders, newest, size, files)
	default:
		columns = append(columns, files, folders, newest, size)
	}
	if p.By == sums.ByDisk {
		columns = append(columns, disk)
	}
	last := len(columns) - 1
	columns[last] = columns[last].Kept()
	return row.Only(columns, row.People)
}

func (r *Row) appendPath(dst []byte) []byte {
	if r.Kind == FileRow {
		return r.File.AppendPath(dst)
	}
	return r.Folder.AppendPath(dst)
}

// IsTotal reports whether the row adds up all the others: it is that of several places, or of the only one.
func (r *Row) IsTotal() bool {
	return r.Kind == TotalRow || r.Kind == FolderRow && r.Depth == 0 && r.Places <= 1
}

// Look is what the row is shown as.
func (r *Row) Look() row.Look {
	switch r.Kind {
	case FileRow:
		return r.File.Look()
	case FolderRow:
		return row.Folder
	}
	return row.Plain // it stands for several things
}

// AddendColumns returns what addends are shown with.
func AddendColumns(by sums.Measure, c *entry.Context) []row.Column[*Addend] {
	in := func(a *Addend) *entry.Entry { return a.Entry }
	path, name := entry.ColumnsNamed(c, "path")[0].For(row.Programs), row.Choose(entry.ColumnsNamed(c, "name"), row.Screen)[0].For(row.People)
	t := row.Bytes
	if by == sums.ByFiles {
		t = row.Number
	}
	columns := []row.Column[*Addend]{
		row.Through(path, in), row.Through(name, in),
		row.NumberColumn("adds", "what it adds", t, func(a *Addend) (int64, bool) {
			return a.Adds, by != sums.BySize || a.Entry.Kind != entry.KindFile || a.Entry.HasSize()
		}).Instead(func(*Addend) string { return entry.Unknown }),
		row.NumberColumn("total", "with all before it", t, func(a *Addend) (int64, bool) { return a.Total, true }),
	}
	if by != sums.ByFiles {
		columns = append(columns, row.FlagColumn("elsewhere", "counted with another name of the same file", func(a *Addend) (bool, bool) { return a.CountedAs != "", true }).For(row.Programs),
			row.TextColumn("counted_as", "the name it was counted with", func(a *Addend) (string, bool) { return a.CountedAs, a.CountedAs != "" }).For(row.Programs),
			row.TextColumn("counted as", "the name it was counted with", func(a *Addend) (string, bool) { return a.CountedAs, a.CountedAs != "" }).LeftBlank().IfAny().For(row.People))
	}
	return columns
}

// GrowthColumns returns the columns for what grew or shrank, besides the name that people are shown.
func (p *Plan) GrowthColumns() []row.Column[*Growth] {
	const programs, people = row.Programs, row.People
	by := p.By
	more, amount := row.MoreBytes, row.Bytes
	if by == sums.ByFiles {
		more, amount = row.MoreCount, row.Count
	}
	partly := func(g *Growth) bool { return !g.Whole() }
	before := row.NumberColumn("before", "its size before", amount, func(g *Growth) (int64, bool) { return by.Of(&g.Before), g.Known(by) && !g.Came }).LeftBlank().AtLeast(partly)
	after := row.NumberColumn("now", "its size now", amount, func(g *Growth) (int64, bool) { return by.Of(&g.After), g.Known(by) && !g.Went }).LeftBlank().AtLeast(partly)
	files := row.NumberColumn("files", "files more or fewer", row.MoreCount, func(g *Growth) (int64, bool) { return g.After.Files - g.Before.Files, g.Known(sums.ByFiles) })
	if by == sums.ByFiles {
		files = files.For(programs)
	}
	return []row.Column[*Growth]{
		row.AppendColumn("path", "its path", func(dst []byte, g *Growth) ([]byte, bool) { return g.Folder.AppendPath(dst), true }).For(programs),
		row.NumberColumn("depth", "how deep it lies below the place", row.Number, func(g *Growth) (int64, bool) { return int64(g.Depth), true }).For(programs),
		row.NumberColumn("change", "how much it grew, or shrank", more, func(g *Growth) (int64, bool) { return g.Change, g.Known(by) }),
		before, after, files,
		row.TextColumn("row", "folder, direct (what lies directly in it) or rest", func(g *Growth) (string, bool) { return rowWords[g.Kind], true }).For(programs),
		row.FlagColumn("new", "it was not there before", func(g *Growth) (bool, bool) { return g.Came, g.Kind == FolderRow }).For(programs),
		row.FlagColumn("gone", "it is no longer there", func(g *Growth) (bool, bool) { return g.Went, g.Kind == FolderRow }).For(programs),
		row.FlagColumn("complete", "everything in it was read on both sides", func(g *Growth) (bool, bool) { return g.Whole(), true }).For(programs),
	}
}

// IsTotal reports whether the row adds up all the others.
func (g *Growth) IsTotal() bool { return g.Kind == FolderRow && g.Depth == 0 }

// Look is what the row is shown as.
func (g *Growth) Look() row.Look {
	if g.Kind == FolderRow {
		return row.Folder
	}
	return row.Plain
}
