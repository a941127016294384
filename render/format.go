package render

import (
	"fmt"
	"strings"
	"time"

	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/core/similar"
	"frankledger/core/source"
	"frankledger/core/weigh"
)

// Format is a way to write rows. Its methods append to dst and return it. Row may be
// called from several goroutines, once Begin has returned.
type Format[R any] interface {
	Begin(dst []byte) []byte
	Row(dst []byte, r R) []byte
	End(dst []byte, s *Summary) []byte
}

// Measurer is a format that wants to see rows before it begins, to lay its columns
// out. Several cores may measure, each with a fresh measurer that is joined to the
// format in the end.
type Measurer[R any] interface {
	Measure(r R)
	Fresh() Measurer[R]
	Join(fresh Measurer[R])
}

// View is how an answer is to be shown.
type View struct {
	Places  []*entry.Place
	Context *entry.Context
	Units   Units
	Times   Times
	Zone    *time.Location // for local times
	Palette Palette
	Width   int  // columns of the terminal; 0 for no limit
	Escape  bool // the output is a terminal: no byte of a name may act on it
	Plain   bool // no heading and no footer
}

// Add adds a place that the answer is of.
func (v *View) Add(place *entry.Place) {
	v.Places = append(v.Places, place)
	v.Context.Paths = len(v.Places) > 1 || place.List
}

// Summary is what there is to say after the entries.
type Summary struct {
	Shown   int64     // entries written
	Matched weigh.Sum // entries there were to write
	Bytes   bool      // whether the sum's bytes are known
	Grouped bool      // the rows are groups of what was matched
	Chosen  bool      // by a condition, from all that the report says were tested
	Funnel  []condition.Left
	Totals  *weigh.Sum // of all below the places, hidden or not; nil if not asked for
	// Elsewhere are names that were counted with another name of the same file.
	Elsewhere *weigh.Sum
	// Lead says what was found, in place of the counts of entries.
	Lead    string
	Notes   []string // more to say after that
	Numbers []Number // for the summary in JSON
	Report  source.Report
	Content bool // content was compared, whatever sizes and times said
	Stopped bool // ended before all was read
}

// Number is a number of the summary by the key that it has in JSON. One that is not
// known is less than 0.
type Number struct {
	Key   string
	Value int64
}

// Complete tells whether everything asked for was read.
func (s *Summary) Complete() bool { return !s.Stopped && len(s.Report.Problems) == 0 }

// Form is what there is to know of a format.
type Form struct {
	Name    string
	Meaning string // one line
	Reader  row.Readers
	Fields  []string // of entries, shown unless told otherwise
	Paths   bool     // it has the path of each row, and no columns
}

// The formats that can be asked for, the default first.
var (
	Table    = &Form{"table", "a table for people", row.Screen, peopleFields, false}
	Paths    = &Form{"paths", "one path a line", row.Flat, []string{"path"}, true}
	Paths0   = &Form{"paths0", "paths with a NUL after each, safe for any name", row.Flat, []string{"path"}, true}
	CSV      = &Form{"csv", "comma-separated values (RFC 4180)", row.Flat, dataFields, false}
	JSON     = &Form{"json", "one JSON document, with summary and problems", row.Nested, dataFields, false}
	Lines    = &Form{"jsonl", "one JSON object a line for each entry", row.Nested, dataFields, false}
	Markdown = &Form{"markdown", "a Markdown table", row.Page, peopleFields, false}

	Forms = []*Form{Table, Paths, Paths0, CSV, JSON, Lines, Markdown}
)

// Formats that are made by options of their own, or by some commands.
var (
	Counted  = &Form{Name: "count", Reader: row.Flat}                          // the number of entries alone
	Kept     = &Form{Name: "list", Reader: row.Flat}                           // full paths, to be read again as a place
	Manifest = &Form{Name: "manifest", Reader: row.Flat, Fields: peopleFields} // lines of digests and paths (RFC 8493)
)

var (
	peopleFields = []string{"name", "kind", "size", "modified", "permissions", "owner"}
	dataFields   = []string{"path", "name", "kind", "size", "modified", "permissions", "owner"}
)

// ForPeople tells whether sizes and times are shown the way people read them, with a
// heading and a footer.
func (f *Form) ForPeople() bool { return f.Reader&row.People != 0 }

// WithColumns returns the formats for rows that have no path.
func WithColumns() []*Form { return []*Form{Table, CSV, JSON, Lines, Markdown} }

// Names lists the names of formats.
func Names(forms []*Form) (names []string) {
	for _, f := range forms {
		names = append(names, f.Name)
	}
	return names
}

// FormNamed returns the format of that name that can be asked for, or nil.
func FormNamed(name string) *Form {
	for _, f := range append([]*Form{Manifest}, Forms...) {
		if f.Name == name {
			return f
		}
	}
	return nil
}

// LookupForm returns the format of that name among those of Forms.
func LookupForm(name string) (*Form, error) {
	if f := FormNamed(name); f != nil && f != Manifest {
		return f, nil
	}
	hint := "the formats are " + strings.Join(Names(Forms), ", ")
	if near := similar.Nearest(name, Names(Forms)); near != "" {
		hint = "did you mean " + near + "?"
	}
	return nil, fmt.Errorf("no such format: %q; %s", name, hint)
}

// New returns a format for rows: of their columns, those that are for its readers.
func New[R any](f *Form, v *View, columns []row.Column[R]) Format[R] {
	all := columns
	columns = row.Choose(columns, f.Reader)
	switch f {
	case Paths:
		return paths[R]{v, row.Named(all, "path"), '\n'}
	case Paths0:
		return paths[R]{v, row.Named(all, "path"), 0}
	case CSV:
		return csv[R]{v, columns}
	case JSON:
		return newJSONDocument(v, columns)
	case Lines:
		return jsonLines[R]{newJSONRow(v, columns)}
	case Markdown:
		return markdown[R]{v, columns}
	case Counted:
		return count[R]{}
	case Kept:
		return &list[R]{path: row.Named(all, "full_path"), end: '\n'}
	case Manifest:
		return manifest[R]{row.Named(all, "digest"), row.Named(all, "path")}
	}
	return newTable(v, columns, nil)
}
