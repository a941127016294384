package duplicates

import (
	"slices"

	"frankledger/core/entry"
	"frankledger/core/row"
)

// Name is a row for people: one name of a file in a set.
type Name struct {
	*Copy
	Set *Set
	At  int  // of the name in the set
	Top bool // of all
}

// Names returns the names of all files of the sets.
func (a *Answer) Names() (names row.List[*Name]) {
	for _, set := range a.Sets {
		for i := range set.Copies {
			names = append(names, &Name{&set.Copies[i], set, i, len(names) == 0})
		}
	}
	return names
}

// Spare is a name of a file that can go, and the file that stays.
type Spare struct{ Entry, Keeper *entry.Entry }

// SpareNames returns the names of all files that can go.
func (a *Answer) SpareNames() (spares row.List[*Spare]) {
	for _, set := range a.whole {
		keeper := slices.IndexFunc(set.Copies, func(c Copy) bool { return c.Stays })
		for _, c := range set.Copies {
			if !c.Stays && (a.only != OnlyFolders || a.spare(c.Entry)) {
				spares = append(spares, &Spare{c.Entry, set.Copies[keeper].Entry})
			}
		}
	}
	return spares
}

// ToClear returns the folders and files that can go: the larger folders first, so
// that what stays of each is still whole when it is cleared.
func (a *Answer) ToClear() (spares []*Spare) {
	for _, set := range a.folders {
		for _, c := range set.Copies {
			if !c.Stays {
				spares = append(spares, &Spare{c.Entry, set.Copies[0].Entry})
			}
		}
	}
	for _, s := range a.SpareNames() {
		if !a.spare(s.Entry) {
			spares = append(spares, s)
		}
	}
	return spares
}

// SpareColumns returns what spares are shown with: columns of entries, and in JSON
// what a list of them needs to tell later what each was when it was made, and which
// file stays instead.
func SpareColumns(c *entry.Context, columns []row.Column[*entry.Entry]) []row.Column[*Spare] {
	spare := func(s *Spare) *entry.Entry { return s.Entry }
	keeper := func(s *Spare) *entry.Entry { return s.Keeper }
	facts := entry.ColumnsNamed(c, "inode", "modified", "changed")
	more := append(entry.ColumnsNamed(c, "size", "inode", "device", "modified", "changed"), entry.FullPath)
	all := row.AllThrough(columns, spare)
	for _, column := range more {
		if row.Named(columns, column.Name) == nil {
			all = append(all, row.Through(column.For(row.Nested), spare))
		}
	}
	return append(all,
		row.Through(entry.FullPath, keeper).Called("keeper").For(row.Nested), row.Through(facts[0], keeper).Called("keeper_inode").For(row.Nested),
		row.Through(facts[1], keeper).Called("keeper_modified").For(row.Nested), row.Through(facts[2], keeper).Called("keeper_changed").For(row.Nested))
}

// SetColumns returns what sets are shown with, to programs that take values within
// values. With marks, each copy says whether its file would stay.
func SetColumns(c *entry.Context, marks bool) []row.Column[*Set] {
	number := func(name, meaning string, get func(s *Set) int64) row.Column[*Set] {
		return row.NumberColumn(name, meaning, row.Bytes, func(s *Set) (int64, bool) { return get(s), true })
	}
	inside := row.AllThrough(entry.ColumnsNamed(c, "path", "inode", "device", "modified"), copied)
	if marks {
		inside = append(inside, stays)
	}
	return []row.Column[*Set]{
		kindOf,
		number("size", "bytes of content of each of the files, or in each of the folders", func(s *Set) int64 { return s.Size }),
		filesIn, digestOf, algorithmOf,
		number("reclaimable", "bytes that removing all but one would free", func(s *Set) int64 { return s.Reclaimable }),
		row.FlagColumn("up_to", "it may be less, because the file system does not report everything", func(s *Set) (bool, bool) { return s.UpTo, true }),
		row.NumberColumn("beside", "files that only the first folder has", row.Number, func(s *Set) (int64, bool) { return s.Beside, s.Part }),
		row.NumberColumn("beside_size", "bytes of these", row.Bytes, func(s *Set) (int64, bool) { return s.BesideSize, s.Part }),
		row.RowsColumn("copies", "the files, by all their names, or the folders", inside, func(s *Set) (copies []*Copy) {
			for i := range s.Copies {
				copies = append(copies, &s.Copies[i])
			}
			return copies
		}),
	}
}

// NameColumns returns what names are shown with: at a screen below a line on their set,
// or without such a line. With marks, it says whether the file would stay.
func (a *Answer) NameColumns(c *entry.Context, marks bool) []row.Column[*Name] {
	const headed, alone = row.Screen, row.Page | row.Flat
	in := func(n *Name) *entry.Entry { return n.Entry }
	set := func(n *Name) *Set { return n.Set }
	var columns []row.Column[*Name]
	add := func(to row.Readers, from []row.Column[*entry.Entry]) {
		for _, column := range from {
			columns = append(columns, row.Through(column.For(to), in))
		}
	}
	add(headed, row.Choose(entry.ColumnsNamed(c, "name", "modified"), row.Screen))
	add(alone, entry.ColumnsNamed(c, "path", "inode", "device", "modified", "size"))
	columns = append(columns, row.Through(digestOf, set).For(alone), row.Through(algorithmOf, set).For(alone), row.Through(kindOf, set).For(alone), row.Through(filesIn, set).For(alone))
	if marks {
		columns = append(columns, row.Through(stays, func(n *Name) *Copy { return n.Copy }).For(alone), row.TextColumn("which", "whether the file would stay", func(n *Name) (string, bool) {
			if n.Stays {
				return "stays", true
			}
			return "spare", true
		}).Kept().For(headed))
	}
	if slices.ContainsFunc(a.Sets, func(set *Set) bool { return set.Kind == OfFiles && len(set.Copies) > set.Files }) {
		columns = append(columns, row.TextColumn("", "whether it is another name of the file above", func(n *Name) (string, bool) {
			return "another name of the same file", n.At > 0 && n.Set.Copies[n.At-1].File == n.File
		}).LeftBlank().For(headed))
	}
	return columns
}

func copied(c *Copy) *entry.Entry { return c.Entry }

var (
	stays       = row.FlagColumn("stays", "it is of the file that would stay", func(c *Copy) (bool, bool) { return c.Stays, true })
	kindOf      = row.TextColumn("kind", "what the set is of: file or folder", func(s *Set) (string, bool) { return s.Kind.String(), true })
	filesIn     = row.NumberColumn("files", "files in each of the folders", row.Number, func(s *Set) (int64, bool) { return s.Within, s.Kind == OfFolders })
	digestOf    = row.TextColumn("digest", "of the content, in hexadecimal; of a folder its tree hash", func(s *Set) (string, bool) { return s.Digest, s.Digest != "" })
	algorithmOf = row.TextColumn("algorithm", "of the digest", func(s *Set) (string, bool) { return s.Algorithm.Name, true })
)
