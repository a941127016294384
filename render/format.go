package render

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/row"
	"frankledger/core/text"
	"frankledger/render/layout"
	"frankledger/render/style"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// Format is a way to write rows. Its methods append to dst and return it. Row may be
// called from several goroutines, once Begin has returned.
type Format[R any] interface {
	Begin(dst []byte, f Frame) []byte
	Row(dst []byte, r R) []byte
	End(dst []byte, f Frame) []byte
}

// Frame is what stands around the rows of an answer: what it is of, and what there is to
// say in the end. Package report makes them.
type Frame interface {
	// Heading and Footer are lines for people, before and after the rows.
	Heading() []Line
	Footer() []Line
	// Before and After write members for programs.
	Before(o *exact.Object)
	After(o *exact.Object)
	// Base is what the full paths of rows begin with, if they do: that of the one place, with a
	// slash.
	Base() string
	// Problems are what could not be read, a line each.
	Problems() []string
	// Wrote is told how many rows were written, before the end, and Rows tells that.
	Wrote(rows int64)
	Rows() int64
	// Total is how many rows there were to write.
	Total() int64
}

// Line is a line of text, and how it is shown.
type Line struct {
	Text  string
	Style style.Style
}

// Measurer is a format that wants to see rows before it begins, to lay its columns
// out. Several cores may measure, each with a fresh measurer that is joined to the
// format in the end.
type Measurer[R any] interface {
	Measure(r R)
	Fresh() Measurer[R]
	Join(fresh Measurer[R])
}

// Separated is a format that puts something between entries.
type Separated interface{ Separator() string }

// Grouped is a format that has something between groups of so many rows.
type Grouped interface {
	Each() int
	NextGroup(dst []byte) []byte
}

// Limited is a format that has room for so many rows only, and tells of the others.
type Limited[R any] interface {
	Most() int
	Left(dst []byte, list row.Source[R], from int) []byte
}

// View is how an answer is to be shown.
type View struct {
	Context *entry.Context
	Units   units.Sizes
	Times   units.Times
	Zone    *time.Location // for local times
	Machine string         // that this is made on
	Subject string         // what a page shows, in a few words; "" for nothing
	Palette style.Palette
	Width   int      // columns of the terminal; 0 for no limit
	Escape  bool     // the output is a terminal: no byte of a name may act on it
	Plain   bool     // no heading and no footer
	Sorted  []string // the columns that rows are sorted by, which tell most of them
	// UnitsAsked and TimesAsked say that units or times were asked for, also for data.
	UnitsAsked, TimesAsked bool
	Every                  bool // no column may be left out for want of room: each was asked for
}

// Clock says how moments are shown.
func (v *View) Clock() units.Clock {
	return units.Clock{Times: v.Times, Zone: v.Zone, AsOf: v.Context.AsOf}
}

// Form is what there is to know of a format.
type Form struct {
	Name    string
	Meaning string // one line
	Reader  row.Readers
	Fields  []string // of entries, shown unless told otherwise
	Paths   bool     // it has the path of each row, and no columns
	Endings []string // of files that are mostly of it
}

// The formats that can be asked for, the default first.
var (
	Table    = &Form{"table", "a table for people", row.Screen, peopleFields, false, []string{"txt"}}
	Paths    = &Form{"paths", "one path per line", row.Flat, []string{"path"}, true, []string{"paths"}}
	Paths0   = &Form{"paths0", "paths with a NUL after each, safe for any name", row.Flat, []string{"path"}, true, nil}
	CSV      = &Form{"csv", "comma-separated values (RFC 4180)", row.Flat, dataFields, false, []string{"csv"}}
	JSON     = &Form{"json", "one JSON document, with summary and problems", row.Nested, dataFields, false, []string{"json"}}
	Lines    = &Form{"jsonl", "one JSON object per line, for each entry", row.Nested, dataFields, false, []string{"jsonl", "ndjson"}}
	Markdown = &Form{"markdown", "a Markdown table", row.Page, peopleFields, false, []string{"md", "markdown"}}
	HTML     = &Form{"html", "a page for a browser, complete in one file", row.Page, peopleFields, false, []string{"html", "htm"}}

	Forms = []*Form{Table, Paths, Paths0, CSV, JSON, Lines, Markdown, HTML}
)

// Formats that are made by options of their own, or by some commands.
var (
	Counted  = &Form{Name: "count", Reader: row.Flat} // the number of entries alone
	Kept     = &Form{Name: "list", Reader: row.Flat}  // full paths, to be read again as a place
	SVG      = &Form{"svg", "a picture (SVG), for documents", row.Page, nil, false, []string{"svg"}}
	Manifest = &Form{Name: "manifest", Reader: row.Flat, Fields: peopleFields} // lines of digests and paths (RFC 8493)
)

var (
	peopleFields = []string{"name", "size", "modified", "permissions", "owner"}
	dataFields   = []string{"path", "name", "kind", "size", "modified", "permissions", "owner"}
)

// ForPeople reports whether sizes and times are shown the way people read them, with a
// heading and a footer.
func (f *Form) ForPeople() bool { return f.Reader&row.People != 0 }

// WithColumns returns the formats for rows that have no path.
func WithColumns() []*Form {
	return slices.DeleteFunc(slices.Clone(Forms), func(f *Form) bool { return f.Paths })
}

// WithPicture returns formats, and the one for a picture.
func WithPicture(forms []*Form) []*Form { return append(slices.Clip(forms), SVG) }

// Names lists the names of formats.
func Names(forms []*Form) (names []string) {
	for _, f := range forms {
		names = append(names, f.Name)
	}
	return names
}

// FormNamed returns the format of that name that can be asked for, or nil.
func FormNamed(name string) *Form {
	for _, f := range append([]*Form{Manifest, SVG}, Forms...) {
		if f.Name == name {
			return f
		}
	}
	return nil
}

// LookupForm returns the format of that name among those of Forms.
func LookupForm(name string) (*Form, error) {
	if f := FormNamed(name); f != nil && f != Manifest && f != SVG {
		return f, nil
	}
	hint := "the formats are " + strings.Join(Names(Forms), ", ")
	if near := text.Nearest(name, Names(Forms)); near != "" {
		hint = "did you mean " + near + "?"
	}
	return nil, fmt.Errorf("no such format: %q; %s", name, hint)
}

// Wrapped breaks lines between words where the screen is too narrow for them.
func (v *View) Wrapped(lines []Line) (fitting []Line) {
	for _, line := range lines {
		for i, text := range typeset.Wrap(line.Text, v.Width, layout.Indent) {
			if i > 0 {
				text = strings.Repeat(" ", layout.Indent) + text
			}
			fitting = append(fitting, Line{Text: text, Style: line.Style})
		}
	}
	return fitting
}

// AppendLines appends lines of text.
func (v *View) AppendLines(dst []byte, lines []Line) []byte {
	for _, line := range lines {
		dst = append(v.Palette.Put(dst, line.Text, line.Style), '\n')
	}
	return dst
}
