package report

import (
	"frankledger/core/duplicates"
	"frankledger/core/row"
	"frankledger/render"
	"frankledger/render/layout"
	"frankledger/render/style"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// DuplicatesSummary says what could be freed.
func (v *View) DuplicatesSummary(s *Summary, a *duplicates.Answer, looked, read int64) {
	s.Numbers = append(s.Numbers, Number{"sets", int64(len(a.Sets))}, Number{"folder_sets", int64(a.Folders)}, Number{"spares", int64(a.Spares)},
		Number{"reclaimable", a.Reclaimable}, Number{"empty", int64(a.Empty)}, Number{"bytes_read", read})
	folders := units.Count(int64(a.Copied), "spare folder", "spare folders")
	sets, files := units.Count(int64(len(a.Sets)-a.Folders), "set", "sets"), " files with the same content"
	switch {
	case len(a.Sets) == 0:
		s.Lead = "no two files have the same content"
	case a.Folders == 0:
		s.Lead = sets + " of" + files + ": " + units.Count(int64(a.Files), "file", "files") + ", " + units.Count(int64(a.Spares), "spare", "spares")
	case a.Folders == len(a.Sets):
		s.Lead = folders + ": " + units.Count(int64(a.Spares), "spare file", "spare files")
	default:
		s.Lead = folders + ", and " + sets + " of other" + files + ": " + units.Count(int64(a.Spares), "spare file", "spare files") + " in all"
	}
	if len(a.Sets) > 0 {
		s.Lead += "; removing these would free " + upTo(a.UpTo) + v.Units.SizeText(a.Reclaimable)
	}
	s.Notes = append(s.Notes, units.Count(looked, "file", "files")+" looked at, "+v.Units.SizeText(read)+" read")
	if a.Elsewhere > 0 {
		s.Notes = append(s.Notes, units.Count(int64(a.Elsewhere), "spare frees", "spares free")+" nothing, because another name of it is outside these places")
	}
	if a.Empty > 0 {
		s.Notes = append(s.Notes, units.Count(int64(a.Empty), "empty file", "empty files")+" left out; --empty includes them")
	}
}

// KeepRule says by which rule it is chosen what stays.
func KeepRule(o *duplicates.Options, places int) string {
	rule := "the first in order of paths stays"
	switch {
	case o.Keep == duplicates.Oldest:
		rule = "the oldest stays"
	case o.Keep == duplicates.Newest:
		rule = "the newest stays"
	case o.Keep == duplicates.ShortestPath:
		rule = "the one with the shortest path stays"
	case places > 1:
		rule = "one in the place named first stays (there, the first in order of paths)"
	}
	if len(o.KeepIn) > 0 {
		return "in each set, a file in a folder of --keep-in stays; if there are several or none, " + rule
	}
	return "in each set, " + rule + "; --keep-in and --keep choose otherwise"
}

// SetLine is what a set of files with the same content is headed with.
func (v *View) SetLine(s *duplicates.Set) string {
	free := "; " + upTo(s.UpTo) + v.Units.SizeText(s.Reclaimable) + " reclaimable"
	if s.Kind != duplicates.OfFolders {
		return units.Grouped(int64(s.Files)) + " files of " + v.Units.SizeText(s.Size) + " each" + free
	}
	within, size := units.Count(s.Within, "file", "files"), v.Units.SizeText(s.Size)
	switch {
	case !s.Part:
		return units.Grouped(int64(s.Files)) + " folders with the same " + within + ", " + size + " each" + free
	case s.Beside > 0:
		return "the first folder has all " + within + " (" + size + ") of the second, and " + units.Count(s.Beside, "other file", "other files") + " (" + v.Units.SizeText(s.BesideSize) + ")" + free
	}
	return "the first folder has all " + within + " (" + size + ") of the second, and more" + free
}

// OnlySummary says how many files are in one place only.
func (v *View) OnlySummary(s *Summary, a *duplicates.Answer, place string, looked, read int64) {
	only := int64(len(a.Only))
	s.Numbers = append(s.Numbers, Number{"only", only}, Number{"bytes_read", read})
	s.Lead = units.Count(only, "file", "files") + " of " + typeset.Escaped(place) + " whose content is nowhere else"
	if only == 0 {
		s.Lead = "all content of " + typeset.Escaped(place) + " is also elsewhere"
	}
	s.Notes = append(s.Notes, units.Count(looked, "file", "files")+" looked at, "+v.Units.SizeText(read)+" read")
}

// NewSets returns a table of files with the same content, each set below a line on it.
func NewSets(v *View, columns []row.Column[*duplicates.Name]) render.Format[*duplicates.Name] {
	return render.NewTable(v.View, row.Choose(columns, row.Screen), func(dst []byte, n *duplicates.Name) []byte {
		if n.At > 0 {
			return dst
		}
		if !n.Top {
			dst = append(dst, '\n')
		}
		for i, line := range typeset.Wrap(v.SetLine(n.Set), v.Width-layout.Indent, layout.Indent) {
			dst = append(v.Palette.Put(typeset.Fill(dst, layout.Indent*(1+min(i, 1))), line, style.Heading), '\n')
		}
		return dst
	})
}

// upTo stands before what may be less.
func upTo(so bool) string {
	if so {
		return "up to "
	}
	return ""
}
