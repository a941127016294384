package cards

import (
	"fmt"
	"path/filepath"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/inspect"
	"frankledger/render"
	"frankledger/render/layout"
	"frankledger/render/report"
	"frankledger/render/style"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// Text appends cards for people.
func Text(v *report.View, dst []byte, all []*inspect.Card) []byte {
	for i, c := range all {
		if i > 0 {
			dst = append(dst, '\n')
		}
		dst = card(v, dst, c)
	}
	return dst
}

// cardRows gathers the lines of a card: a label and what it says. A line
// without a label goes on from the one above.
type cardRows [][2]string

func (r *cardRows) add(label, format string, args ...any) {
	*r = append(*r, [2]string{label, fmt.Sprintf(format, args...)})
}

// narrowestCard is how narrow what a card says is made on a narrow screen.
const narrowestCard = 16

func card(v *report.View, dst []byte, c *inspect.Card) []byte {
	e := c.Entry
	full := e.Folder.Place.Full
	dst = v.Palette.Put(dst, typeset.Escaped(e.Name), style.Heading)
	dst = append(dst, '\n')
	dst = v.Palette.Put(dst, strings.Repeat(" ", layout.Indent)+typeset.Escaped(full)+v.Recorded(e.Folder.Place), style.Quiet)
	dst = append(dst, "\n\n"...)

	var rows cardRows
	addWhat(v, &rows, c)
	addTimes(v, &rows, e)
	addRights(v, &rows, c)
	addPlace(v, &rows, c)
	g := layout.Grid{Palette: v.Palette, Width: v.Width, Least: narrowestCard}
	for _, row := range rows {
		g.Add(layout.Row{Cells: []layout.Cell{{Text: row[0], Style: style.Quiet}, {Text: row[1]}}})
	}
	dst = g.Append(dst)
	if len(c.Preview) > 0 {
		dst = v.Palette.Put(dst, "\n"+strings.Repeat(" ", layout.Indent)+units.Count(int64(len(c.Preview)), "line", "lines")+" from the start\n", style.Quiet)
		for _, line := range c.Preview {
			line = typeset.Escaped(strings.ReplaceAll(line, "\t", "    "))
			if v.Width > 0 {
				line = typeset.Truncate(line, v.Width-2*layout.Indent, "…")
			}
			dst = append(append(typeset.Fill(dst, 2*layout.Indent), line...), '\n')
		}
	}
	return dst
}

// addWhat say what it is and how much is in it.
func addWhat(v *report.View, rows *cardRows, c *inspect.Card) {
	e := c.Entry
	what := e.Kind.String()
	if e.Known&entry.FactContent != 0 && e.More.Type != "" {
		what += ", " + e.More.Type
	}
	if e.Marks&entry.MarkMislabelled != 0 {
		_, ext := entry.SplitName(e.Name)
		what += ", which does not fit ." + typeset.Escaped(ext) + " says"
	}
	if e.Hidden() {
		why := "its name starts with a dot"
		if e.Marks&entry.MarkFlaggedHidden != 0 {
			why = "the system's flag is set"
		}
		what += "; hidden, since " + why
	}
	rows.add("kind", "%s", what)
	addLink(v, rows, c)
	exact := func(bytes int64) string {
		if v.Units == units.AllBytes || bytes < 1000 {
			return units.Grouped(bytes) + " bytes"
		}
		sizes := v.Units.SizeText(bytes)
		for _, other := range []string{units.Binary.SizeText(bytes), units.Decimal.SizeText(bytes)} {
			if !strings.Contains(sizes, other) {
				sizes += " · " + other
			}
		}
		return sizes + " · " + units.Grouped(bytes) + " bytes"
	}
	if e.HasSize() {
		rows.add("content", "%s", exact(e.Size))
	}
	switch {
	case c.Holds == nil:
	case !c.Holds.HasEntries():
		rows.add("holds", "not known, because it could not be read")
	default:
		rows.add("holds", "%s: %s", units.Count(c.Holds.Entries(), "entry", "entries"), report.KindCounts(&report.Summary{Matched: *c.Holds}))
		rows.add("", "%s of content, %s on disk", exact(c.Holds.Size), v.Units.SizeText(c.Holds.Disk))
		if c.Partly {
			rows.add("", "and more that could not be read")
		}
	}
	if e.Known&entry.FactStatus != 0 {
		disk := exact(e.Disk)
		switch {
		case e.Kind == entry.KindFolder:
			disk += " for the bookkeeping of the folder"
		case e.Kind == entry.KindFile && e.Disk < e.Size:
			disk += ": sparse, with holes that take no space"
		}
		rows.add("on disk", "%s", disk)
	}
	if c.NoPreview != "" {
		rows.add("preview", "none: %s", c.NoPreview)
	}
}

func addLink(v *report.View, rows *cardRows, c *inspect.Card) {
	e := c.Entry
	if e.Kind != entry.KindLink || e.Known&entry.FactTarget == 0 {
		return
	}
	rows.add("target", "%s", typeset.Escaped(e.More.Target))
	for i, step := range c.Chain {
		label := "leads to"
		if i > 0 {
			label = "and that to"
		}
		if !strings.Contains(step, "..") { // else a folder before it may be a link
			step = filepath.Clean(step)
		}
		rows.add(label, "%s", typeset.Escaped(step))
	}
	switch {
	case c.End == inspect.Nowhere:
		rows.add("", "which does not exist: the link is broken")
	case c.End == inspect.Round:
		rows.add("", "which leads back to itself: the link is broken")
	}
}

// addTimes tell the four times apart.
func addTimes(v *report.View, rows *cardRows, e *entry.Entry) {
	zone, layout := v.Zone, "2006-01-02 15:04:05"
	if v.Times == units.UTC {
		zone, layout = nil, "2006-01-02 15:04:05Z"
	}
	for _, t := range []struct{ field, phrase string }{
		{"modified", "content last altered"},
		{"accessed", "last read"},
		{"changed", "details last altered, such as names, owner, permissions"},
		{"created", "made"},
	} {
		at, known := entry.FieldNamed(t.field).Moment(e)
		if !known {
			rows.add(t.field, "%-*s  %-16s  (%s)", len(layout), render.Absent, "not known here", t.phrase)
			continue
		}
		when := at.Std()
		if zone != nil {
			when = when.In(zone)
		}
		relative := *v
		relative.Times = units.Relative
		number, unit := relative.Clock().Moment(at)
		rows.add(t.field, "%s  %-16s  (%s)", when.Format(layout), number+" "+unit, t.phrase)
	}
}

// addRights say who may do what.
func addRights(v *report.View, rows *cardRows, c *inspect.Card) {
	e := c.Entry
	if e.Known&entry.FactStatus == 0 {
		return
	}
	if e.Kind == entry.KindLink {
		rows.add("permissions", "those of its target apply")
	} else {
		rows.add("permissions", "%s  %s", e.Permissions.Triads(), e.Permissions.Octal())
		rows.add("", "%s", e.Details().Access.Within(e.Permissions).Sentence(e.Kind))
	}
	for _, special := range []struct {
		bit  entry.Permissions
		name string
	}{{entry.SetUser, "set-user-ID"}, {entry.SetGroup, "set-group-ID"}, {entry.Sticky, "sticky"}} {
		if e.Permissions&special.bit != 0 {
			rows.add("", "the %s bit is set", special.name)
		}
	}
	for _, line := range accessWords(v, e) {
		rows.add("", "%s", line)
	}
	if d := e.Details(); d.Capabilities != "" {
		rows.add("capabilities", "as a program it has the Linux capabilities %s", strings.ReplaceAll(d.Capabilities, ",", ", "))
	}
	if !e.Folder.Place.Kept {
		rows.add("you", "%s", youMay(c))
	}
	name := func(id uint32, lookup func(uint32) (string, bool)) string {
		if name, known := lookup(id); known {
			return fmt.Sprintf("%s (%d)", typeset.Escaped(name), id)
		}
		return fmt.Sprintf("%d, without an account here", id)
	}
	rows.add("owner", "%s", name(e.UID, v.Context.Accounts.User))
	rows.add("group", "%s", name(e.GID, v.Context.Accounts.Group))
}

// youMay says what the person running the program may do, as the system told.
func youMay(c *inspect.Card) string {
	e := c.Entry
	verbs := [3]string{"read it", "write to it", "run it"}
	may := [3]bool{e.Marks&entry.MarkReadable != 0, e.Marks&entry.MarkWritable != 0, e.Marks&entry.MarkExecutable != 0}
	if e.Kind == entry.KindFolder {
		verbs = [3]string{"list it", "change what is in it", "enter it"}
		may[2] = c.MayEnter
	}
	var yes []string
	for i, verb := range verbs {
		if may[i] {
			yes = append(yes, verb)
		}
	}
	if len(yes) == 0 {
		return "may not do anything with it"
	}
	return "may " + strings.Join(yes, ", ")
}

// addPlace say where it lies.
func addPlace(v *report.View, rows *cardRows, c *inspect.Card) {
	e := c.Entry
	if e.Known&entry.FactStatus != 0 {
		if e.Kind != entry.KindFolder {
			names := units.Count(int64(e.Links), "name", "names")
			if e.Links > 1 && c.Looked == nil {
				names += " (hard links)"
				if !e.Folder.Place.Kept {
					names += "; --siblings PLACE finds the others"
				}
			}
			rows.add("names", "%s", names)
		}
		if c.Looked != nil {
			for i, sibling := range c.Siblings {
				rows.add(map[bool]string{true: "also"}[i == 0], "%s", typeset.Escaped(sibling))
			}
			if missing := int(e.Links) - 1 - len(c.Siblings); missing > 0 {
				rows.add("", "%s outside %s", units.Count(int64(missing), "name", "names"), typeset.Escaped(c.Looked.Full))
			}
		}
		rows.add("inode", "%d on device %d:%d", e.Inode, unix.Major(e.Device), unix.Minor(e.Device))
	}
	for _, a := range entry.Algorithms {
		if e.Known.Has(a.Fact) {
			rows.add(a.Name, "%s", e.More.Digests.By(a.Fact))
		}
	}
	d := e.Details()
	if d.Filesystem != "" {
		rows.add("file system", "%s, mounted at %s", typeset.Escaped(d.Filesystem), typeset.Escaped(d.Mount))
	}
	if len(d.Flags) > 0 {
		rows.add("flags", "%s", strings.Join(d.Flags, ", "))
	}
	if len(d.Xattrs) > 0 {
		rows.add("attributes", "%s", typeset.Escaped(strings.Join(d.Xattrs, ", ")))
	}
}
