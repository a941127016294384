package duplicates

import "frankledger/core/entry"

// A row is a set, or for people one name of a file in it.
type row struct {
	set    *Set
	copy   *Copy
	at     int          // of the copy in the set
	top    bool         // of all
	keeper *entry.Entry // of a spare, what stays
}

// Parted tells whether the row begins another set.
func (r *row) Parted() bool { return r.at == 0 && !r.top }

// Heads returns the set if the row is the first of it.
func (r *row) Heads() *Set {
	if r.at == 0 {
		return r.set
	}
	return nil
}

func rowOf(e *entry.Entry) *row { return e.More.Row.(*row) }

// SetEntries returns the sets as entries, for DataColumns.
func (a *Answer) SetEntries() (list []*entry.Entry) {
	for _, set := range a.Sets {
		list = append(list, &entry.Entry{Folder: set.Copies[0].Entry.Folder, Name: set.Copies[0].Entry.Name, More: &entry.More{Row: &row{set: set}}})
	}
	return list
}

// CopyEntries returns the names of all files of the sets as entries, for
// CopyColumns.
func (a *Answer) CopyEntries() (list []*entry.Entry) {
	for _, set := range a.Sets {
		for _, e := range set.copyEntries() {
			rowOf(e).top = len(list) == 0
			list = append(list, e)
		}
	}
	return list
}

func (s *Set) copyEntries() (list []*entry.Entry) {
	for i := range s.Copies {
		e := *s.Copies[i].Entry
		e.More = &entry.More{Row: &row{set: s, copy: &s.Copies[i], at: i}}
		list = append(list, &e)
	}
	return list
}

func setNumber(name, meaning string, t entry.Type, get func(*Set) int64) *entry.Field {
	return entry.NumberField(name, meaning, t, func(e *entry.Entry) (int64, bool) { return get(rowOf(e).set), true })
}

var (
	sizeField        = setNumber("size", "bytes of content of each of the files", entry.Bytes, func(s *Set) int64 { return s.Size })
	reclaimableField = setNumber("reclaimable", "bytes that removing all but one would free", entry.Bytes, func(s *Set) int64 { return s.Reclaimable })
	upToField        = entry.FlagField("up_to", "it may be less: the file system does not tell all", func(e *entry.Entry) (bool, bool) { return rowOf(e).set.UpTo, true })
	digestField      = entry.TextField("digest", "of the content, in hexadecimal", func(e *entry.Entry) (string, bool) { return rowOf(e).set.Digest, true })
	algorithmField   = entry.TextField("algorithm", "of the digest", func(e *entry.Entry) (string, bool) { return rowOf(e).set.Algorithm.Name, true })
	staysField       = entry.FlagField("stays", "it is of the file that would stay", func(e *entry.Entry) (bool, bool) { return rowOf(e).copy.Stays, true })
	whichField       = entry.TextField("which", "whether the file would stay", func(e *entry.Entry) (string, bool) {
		if rowOf(e).copy.Stays {
			return "stays", true
		}
		return "spare", true
	})
	againField = entry.TextField("", "whether it is another name of the file above", func(e *entry.Entry) (string, bool) {
		r := rowOf(e)
		return "another name of the same file", r.at > 0 && r.set.Copies[r.at-1].File == r.copy.File
	}).LeftBlank()
)

// SpareColumns returns the fields by which a list of spares tells later what each
// of them was when the list was made, and which file stays instead.
func SpareColumns() []*entry.Field {
	keeper := func(e *entry.Entry) *entry.Entry { return rowOf(e).keeper }
	return []*entry.Field{
		entry.FieldNamed("size"), entry.FieldNamed("inode"), entry.FieldNamed("device"), entry.FieldNamed("modified"), entry.FieldNamed("changed"),
		entry.TextField("full_path", "from the root", func(e *entry.Entry) (string, bool) { return e.FullPath(), true }),
		entry.TextField("keeper", "the full path of the file that stays", func(e *entry.Entry) (string, bool) { return keeper(e).FullPath(), true }),
		entry.NumberField("keeper_inode", "its inode", entry.Number, func(e *entry.Entry) (int64, bool) { return int64(keeper(e).Inode), true }),
		entry.MomentField("keeper_modified", "when it was last modified", func(e *entry.Entry) (entry.Time, bool) { return keeper(e).Modified, true }),
		entry.MomentField("keeper_changed", "when its details were last changed", func(e *entry.Entry) (entry.Time, bool) { return keeper(e).Changed, true }),
	}
}

// DataColumns returns the fields to show sets with in JSON. With marks, each
// copy says whether its file would stay.
func DataColumns(marks bool) []*entry.Field {
	inside := []*entry.Field{entry.FieldNamed("path"), entry.FieldNamed("inode"), entry.FieldNamed("device"), entry.FieldNamed("modified")}
	if marks {
		inside = append(inside, staysField)
	}
	copies := entry.RowsField("copies", "the files, by all their names", inside, func(e *entry.Entry) []*entry.Entry { return rowOf(e).set.copyEntries() })
	return []*entry.Field{sizeField, digestField, algorithmField, reclaimableField, upToField, copies}
}

// CopyColumns returns the fields to show a name of a file with: below a line on
// its set, or without such a line. With marks, it says whether the file would
// stay.
func (a *Answer) CopyColumns(headed, marks bool) []*entry.Field {
	if !headed {
		columns := []*entry.Field{entry.FieldNamed("path"), entry.FieldNamed("inode"), entry.FieldNamed("device"), entry.FieldNamed("modified"),
			entry.FieldNamed("size"), digestField, algorithmField}
		if marks {
			columns = append(columns, staysField)
		}
		return columns
	}
	columns := []*entry.Field{entry.FieldNamed("name"), entry.FieldNamed("modified")}
	if marks {
		columns = append(columns, whichField)
	}
	for _, set := range a.Sets {
		if len(set.Copies) > set.Files {
			return append(columns, againField)
		}
	}
	return columns
}
