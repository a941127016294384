package weigh

import (
	"fmt"
	"path"

	"frankledger/core/entry"
)

// Entry returns a row as an entry, for the fields below: its path is that of
// the folder.
func (r *Row) Entry() *entry.Entry {
	e := &entry.Entry{Kind: entry.KindFolder, More: &entry.More{Row: r}}
	if !r.Complete {
		e.Marks |= entry.MarkAtLeast
	}
	switch f := r.Folder; {
	case r.Kind == FileRow:
		file := *r.File
		file.More = e.More
		return &file
	case f.Parent == nil:
		e.Folder, e.Name, e.Self = f, path.Base(f.Place.Full), true
	default:
		e.Folder, e.Name = f.Parent, f.Name
	}
	if r.Kind != FolderRow {
		e.Kind = entry.KindUnknown // it stands for several things
	}
	return e
}

func row(e *entry.Entry) *Row { return e.More.Row.(*Row) }

// rowWords are the kinds of rows as `row` has them.
var rowWords = [...]string{"folder", "direct", "rest", "file"}

// The fields of rows, for programs.
var (
	pathField  = entry.FieldNamed("path")
	depthField = entry.NumberField("depth", "how deep it lies below the place", entry.Number, func(e *entry.Entry) (int64, bool) { return int64(row(e).Depth), true })
	sizeField  = entry.NumberField("size", "bytes of content", entry.Bytes, func(e *entry.Entry) (int64, bool) { return row(e).Sum.Size, row(e).Sum.HasSize() })
	diskField  = entry.NumberField("disk", "bytes on disk", entry.Bytes, func(e *entry.Entry) (int64, bool) { return row(e).Sum.Disk, row(e).Sum.HasDisk() })
	filesField = entry.NumberField("files", "names of files", entry.Number, func(e *entry.Entry) (int64, bool) {
		return row(e).Sum.Files, row(e).Kind != FileRow && row(e).Sum.HasEntries()
	})
	foldersField = entry.NumberField("folders", "folders", entry.Number, func(e *entry.Entry) (int64, bool) {
		return row(e).Sum.Folders, row(e).Kind != FileRow && row(e).Sum.HasEntries()
	})
	shareField   = entry.NumberField("share", "part of the whole place", entry.Share, func(e *entry.Entry) (int64, bool) { return row(e).Share, row(e).Sum.HasSize() })
	newestField  = entry.MomentField("newest", "when the newest was last altered", func(e *entry.Entry) (entry.Time, bool) { return row(e).Sum.Newest, row(e).Sum.Dated })
	ownSizeField = entry.NumberField("own_size", "bytes of content directly in it", entry.Bytes, func(e *entry.Entry) (int64, bool) {
		return row(e).Own.Size, row(e).Kind == FolderRow && row(e).Own.HasSize()
	})
	ownFilesField = entry.NumberField("own_files", "files directly in it", entry.Number, func(e *entry.Entry) (int64, bool) {
		return row(e).Own.Files, row(e).Kind == FolderRow && row(e).Own.HasEntries()
	})
	completeField  = entry.FlagField("complete", "everything in it was read", func(e *entry.Entry) (bool, bool) { return row(e).Complete, true })
	restField      = entry.FlagField("rest", "the sum of what was left out", func(e *entry.Entry) (bool, bool) { return row(e).Kind == RestRow, true })
	rowField       = entry.TextField("row", "folder, rest or file", func(e *entry.Entry) (string, bool) { return rowWords[row(e).Kind], true })
	labelField     = entry.TextField("folder", "the folder", func(e *entry.Entry) (string, bool) { return row(e).label(), true })
	barField       = entry.NumberField(" ", "the share, drawn", entry.Bar, func(e *entry.Entry) (int64, bool) { return row(e).Share, row(e).Sum.HasSize() })
	addsField      = entry.NumberField("adds", "what it adds", entry.Bytes, func(e *entry.Entry) (int64, bool) { return addend(e).Adds, true })
	addsCountField = entry.NumberField("adds", "what it adds", entry.Number, func(e *entry.Entry) (int64, bool) { return addend(e).Adds, true })
	totalField     = entry.NumberField("total", "with all before it", entry.Bytes, func(e *entry.Entry) (int64, bool) { return addend(e).Total, true })
	totalCount     = entry.NumberField("total", "with all before it", entry.Number, func(e *entry.Entry) (int64, bool) { return addend(e).Total, true })
	elsewhereField = entry.FlagField("elsewhere", "counted with another name of the same file", func(e *entry.Entry) (bool, bool) { return addend(e).Elsewhere, true })
)

func addend(e *entry.Entry) Addend { return e.More.Row.(Addend) }

// Columns returns the fields to show rows with: for people or for programs.
func (p *Plan) Columns(forPeople bool) []*entry.Field {
	if forPeople {
		columns := []*entry.Field{labelField, sizeField}
		if p.By == ByDisk {
			columns = append(columns, diskField)
		}
		return append(columns, shareField, barField, filesField, foldersField, newestField)
	}
	columns := []*entry.Field{pathField, depthField, sizeField, diskField, filesField, foldersField, shareField, newestField, ownSizeField, ownFilesField, completeField}
	if p.First > 0 || p.AtLeast > 0 || p.AtLeastShare > 0 {
		columns = append(columns, restField)
	}
	if p.Largest > 0 {
		columns = append(columns, rowField)
	}
	return columns
}

// AddendColumns returns the fields to show what was added up with. The entries
// have their Addend as More.Row.
func AddendColumns(by Measure, forPeople bool) []*entry.Field {
	name := pathField
	if forPeople {
		name = entry.FieldNamed("name")
	}
	if by == ByFiles {
		return []*entry.Field{name, addsCountField, totalCount}
	}
	return []*entry.Field{name, addsField, totalField, elsewhereField}
}

// label names a row for people.
func (r *Row) label() string {
	f := r.Folder
	way := f.Way()
	switch r.Kind {
	case DirectRow:
		if way == "" {
			return "directly in it"
		}
		return way + ", directly in it"
	case RestRow:
		text := fmt.Sprintf("%d more folders", r.Left)
		if r.Left == 1 {
			text = "1 more folder"
		}
		if way != "" {
			text = way + ", " + text
		}
		return text
	case FileRow:
		return "    " + r.File.Way()
	}
	if way == "" {
		way = path.Base(f.Place.Full)
	}
	switch {
	case r.Complete:
	case r.Sum.Unread == 0 && r.Sum.Known == r.Sum.Entries():
		way += " (not all sizes known)"
	default:
		way += " (not all read)"
	}
	return way
}
