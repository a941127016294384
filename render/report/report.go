// Package report says in words, and in the members of a JSON document, what was answered:
// headings, footers, plans and verdicts.
package report

import (
	"errors"
	"slices"
	"strings"

	"frankledger/core/checksum"
	"frankledger/core/condition/compile"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/source"
	"frankledger/core/sums"
	"frankledger/render"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// View is how an answer is shown, and what it is of.
type View struct {
	*render.View
	Places []*entry.Place
	Before int // how many of these are of before, where there are several of before and of now
	// Pasted has entries named by paths that can be used as they are from where the person is.
	Pasted bool
	// Lettered has the places named A and B, as the answer calls them.
	Lettered bool
	// Taken says how words were taken that were not written in the normal form.
	Taken []string
}

// Add adds a place that the answer is of.
func (v *View) Add(place *entry.Place) {
	v.Places = append(v.Places, place)
	v.Context.Paths = len(v.Places) > 1 || place.List || v.Pasted && place.Given != "."
}

// Summary is what there is to say after the rows.
type Summary struct {
	Shown   int64    // rows written
	Matched sums.Sum // entries there were to write
	Bytes   bool     // whether the sum's bytes are known
	Grouped bool     // the rows are groups of what was matched
	Chosen  bool     // by a condition, from all that the report says were tested
	Funnel  []compile.Left
	Totals  *sums.Sum // of all below the places, hidden or not; nil if not asked for
	// Elsewhere are names that were counted with another name of the same file.
	Elsewhere *sums.Sum
	// Lead says what was found, in place of the counts of entries.
	Lead    string
	Slips   []string // said of an answer without entries: what was likely meant
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

// Complete reports whether everything asked for was read.
func (s *Summary) Complete() bool { return !s.Stopped && len(s.Report.Problems) == 0 }

// counts returns how many entries could not be read, and how many vanished.
func (s *Summary) counts() (unread, vanished int64) {
	for _, p := range s.Report.Problems {
		switch {
		case p.Vanished:
			vanished += p.Entries
		case p.Untold == nil && !p.Unclear && !errors.Is(p.Err, checksum.ErrNotListed):
			unread += p.Entries
		}
	}
	return unread, vanished
}

// nothingRead reports whether there is no entry because a folder could not be read.
func (s *Summary) nothingRead() bool {
	return s.Matched.Entries() == 0 && slices.ContainsFunc(s.Report.Problems, func(p source.Problem) bool { return p.Shut })
}

// Frame returns what stands around the rows of an answer. The summary may still change
// until the rows are written.
func (v *View) Frame(s *Summary) render.Frame { return &frame{v, s} }

type frame struct {
	view    *View
	summary *Summary
}

// Heading implements render.Frame.
func (f *frame) Heading() []render.Line { return f.view.heading() }

// Footer implements render.Frame.
func (f *frame) Footer() []render.Line { return f.view.Footer(f.summary) }

// Base implements render.Frame.
func (f *frame) Base() string {
	if len(f.view.Places) != 1 || f.view.Places[0].Leaf || f.view.Places[0].List || f.view.Context.Paths {
		return ""
	}
	return strings.TrimSuffix(f.view.Places[0].Full, "/") + "/"
}

// Problems implements render.Frame.
func (f *frame) Problems() (lines []string) {
	for _, p := range f.summary.Report.Problems {
		lines = append(lines, ProblemLine(&p))
	}
	return lines
}

// ProblemLine says what could not be read, and why.
func ProblemLine(p *source.Problem) string {
	entries := ""
	if p.Entries > 1 {
		entries = " (" + units.Count(p.Entries, "entry", "entries") + ")"
	}
	return "could not " + p.Tried + " " + typeset.Escaped(p.Path) + entries + ": " + p.Reason()
}

// Wrote implements render.Frame.
func (f *frame) Wrote(rows int64) { f.summary.Shown = rows }

// Rows implements render.Frame.
func (f *frame) Rows() int64 { return f.summary.Shown }

// Total implements render.Frame.
func (f *frame) Total() int64 { return f.summary.Matched.Entries() }

// Before implements render.Frame: it writes the places.
func (f *frame) Before(o *exact.Object) {
	places := f.view.Places
	if len(places) == 1 {
		o.Text("place", places[0].Full)
	} else {
		o.Null("place")
	}
	o.Line()
	o.Objects("places", len(places), "", func(o *exact.Object, i int) {
		o.Text("given", places[i].Given)
		o.Text("full", places[i].Full)
		if r := places[i].Record; r != nil {
			PutRecord(o, r)
		}
	})
}

// PutRecord writes which record an object is of.
func PutRecord(o *exact.Object, r *entry.Record) {
	o.Object("record", func(o *exact.Object) {
		o.Number("number", r.Number)
		o.Text("label", r.Label)
		o.Text("host", r.Host)
		putMoment(o, "taken", r.Taken)
	})
}

// putMoment writes a moment as RFC 3339 has it.
func putMoment(o *exact.Object, key string, t entry.Time) {
	o.Key(key)
	o.Dst = append(t.AppendRFC3339(append(o.Dst, '"')), '"')
}

// After implements render.Frame: it writes the summary and the problems.
func (f *frame) After(o *exact.Object) {
	o.Line()
	o.Object("summary", func(o *exact.Object) { f.summary.put(o, f.view.Context) })
	o.Line()
	PutProblems(o, f.summary.Report.Problems)
}

func (s *Summary) put(o *exact.Object, c *entry.Context) {
	m, r := &s.Matched, &s.Report
	unread, vanished := s.counts()
	o.Number("entries", m.Entries())
	o.Number("shown", s.Shown)
	o.Number("files", m.Files)
	o.Number("folders", m.Folders)
	o.Number("links", m.Links)
	o.Number("others", m.Others)
	o.MaybeNumber("size", m.Size, s.Bytes && m.HasSize() && !s.nothingRead())
	o.MaybeNumber("disk", m.Disk, s.Bytes && m.HasDisk() && !s.nothingRead())
	if t := s.Totals; t != nil {
		o.MaybeNumber("total_size", t.Size, t.HasSize())
		o.MaybeNumber("total_disk", t.Disk, t.HasDisk())
	}
	if s.Elsewhere != nil {
		o.Number("elsewhere_names", s.Elsewhere.Files)
		o.Number("elsewhere_size", s.Elsewhere.Size)
	}
	if s.Chosen {
		o.Number("looked_at", r.Tested)
		if !slices.ContainsFunc(s.Numbers, func(n Number) bool { return n.Key == "unknown" }) {
			o.Number("unknown", r.Unknown)
		}
	}
	for _, n := range s.Numbers {
		o.MaybeNumber(n.Key, n.Value, n.Value >= 0)
	}
	o.Number("folders_read", r.Folders)
	o.Number("hidden", r.Hidden)
	o.Number("skipped", r.Skipped)
	o.Number("other_disks", r.OtherDisks)
	o.Number("repeated", r.Repeated)
	o.Number("again", r.Again)
	o.Number("unread", unread)
	o.Number("vanished", vanished)
	if len(s.Funnel) > 0 {
		o.Objects("funnel", len(s.Funnel), "", func(o *exact.Object, i int) {
			o.Text("condition", s.Funnel[i].Condition)
			o.Number("entries", s.Funnel[i].Entries)
			o.Number("unknown", s.Funnel[i].Unknown)
		})
	}
	putMoment(o, "as_of", entry.TimeOf(c.AsOf))
	o.Bool("complete", s.Complete())
}

// PutProblems writes what could not be read, a problem a line.
func PutProblems(o *exact.Object, problems []source.Problem) {
	o.Objects("problems", len(problems), "\n", func(o *exact.Object, i int) {
		p := &problems[i]
		o.Text("path", p.Path)
		o.Text("tried", p.Tried)
		o.Text("reason", p.Reason())
		o.Number("entries", p.Entries)
	})
}
