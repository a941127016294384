package render

import (
	"fmt"
	"strings"
	"time"

	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/weigh"
)

// Format is a way to write entries. Its methods append to dst and return it.
// Row may be called from several goroutines, once Begin has returned.
type Format interface {
	Begin(dst []byte) []byte
	Row(dst []byte, e *entry.Entry) []byte
	End(dst []byte, s *Summary) []byte
}

// Measurer is a format that wants to see entries before it begins, to lay its
// columns out. Several cores may measure, each with a fresh measurer that is
// joined to the format in the end.
type Measurer interface {
	Measure(e *entry.Entry)
	Fresh() Measurer
	Join(fresh Measurer)
}

// View is how entries are to be shown.
type View struct {
	Places  []*entry.Place
	Columns []*entry.Field
	Context *entry.Context
	Units   Units
	Times   Times
	Zone    *time.Location // for local times
	Palette Palette
	Width   int  // columns of the terminal; 0 for no limit
	Escape  bool // the output is a terminal: no byte of a name may act on it
	Plain   bool // no heading and no footer
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

// formats are made by name; the first is the default.
var formats = []struct {
	name, meaning string
	fields        []string // default columns; nil: the format has none
	make          func(*View) Format
}{
	{"table", "a table for people", []string{"name", "kind", "size", "modified", "permissions", "owner"}, func(v *View) Format { return newTable(v) }},
	{"paths", "one path a line", nil, func(v *View) Format { return paths{v, '\n'} }},
	{"paths0", "paths with a NUL after each, safe for any name", nil, func(v *View) Format { return paths{v, 0} }},
	{"csv", "comma-separated values (RFC 4180)", dataFields, func(v *View) Format { return csv{v} }},
	{"json", "one JSON document, with summary and problems", dataFields, func(v *View) Format { return newJSONDocument(v) }},
	{"jsonl", "one JSON object a line for each entry", dataFields, func(v *View) Format { return jsonLines{newJSONRow(v)} }},
	{"markdown", "a Markdown table", []string{"name", "kind", "size", "modified", "permissions", "owner"}, func(v *View) Format { return markdown{v} }},
}

var dataFields = []string{"path", "name", "kind", "size", "modified", "permissions", "owner"}

// FormatNames lists the names of the formats, the default first.
func FormatNames() []string {
	names := make([]string, len(formats))
	for i := range formats {
		names[i] = formats[i].name
	}
	return names
}

// FormatMeaning returns a line on a format.
func FormatMeaning(name string) string { return formats[formatIndex(name)].meaning }

// CheckFormat returns an error unless there is a format of that name.
func CheckFormat(name string) error {
	if formatIndex(name) >= 0 {
		return nil
	}
	hint := "the formats are " + strings.Join(FormatNames(), ", ")
	if near := entry.Nearest(name, FormatNames()); near != "" {
		hint = "did you mean " + near + "?"
	}
	return fmt.Errorf("no such format: %q; %s", name, hint)
}

// DefaultColumns returns the columns that a format shows unless told
// otherwise; none if it has no columns at all.
func DefaultColumns(name string) []*entry.Field {
	var columns []*entry.Field
	for _, field := range formats[formatIndex(name)].fields {
		columns = append(columns, entry.FieldNamed(field))
	}
	return columns
}

// ForPeople tells whether a format shows sizes and times the way people read
// them, with a heading and a footer.
func ForPeople(name string) bool { return name == "table" || name == "markdown" }

// Formats that are no choice of --as, but made by options of their own.
const (
	CountFormat = "count" // the number of entries alone
	ListFormat  = "list"  // full paths, to be read again as a place
	// ManifestFormat is lines of digests and paths (RFC 8493), for rows that
	// have these.
	ManifestFormat = "manifest"
)

// New returns the format of that name, which must exist, for a view.
func New(name string, v *View) Format {
	switch name {
	case CountFormat:
		return count{}
	case ListFormat:
		return &list{end: '\n'}
	case ManifestFormat:
		return manifest{}
	}
	return formats[formatIndex(name)].make(v)
}

func formatIndex(name string) int {
	for i := range formats {
		if formats[i].name == name {
			return i
		}
	}
	return -1
}
