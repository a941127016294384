package report

import (
	"bytes"
	"fmt"
	"path"
	"strconv"
	"strings"
	"unicode/utf8"

	"frankledger/core/act"
	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/render/style"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// planned says what a plan is about: 2 folders, 1 file with 5 entries in them.
func planned(t plans.Totals) string {
	var kinds []string
	for _, one := range []struct {
		count          int
		single, plural string
	}{{t.Files, "file", "files"}, {t.Folders, "folder", "folders"}, {t.Others, "other", "others"}} {
		if one.count > 0 {
			kinds = append(kinds, units.Count(int64(one.count), one.single, one.plural))
		}
	}
	text := strings.Join(kinds, ", ")
	if t.Within > 0 {
		in := " in them"
		if t.Folders == 1 {
			in = " in it"
		}
		text += " with " + units.Count(t.Within, "entry", "entries") + in
	}
	return text
}

// Question asks whether to carry a plan out.
func Question(p *plans.Plan) string {
	ask, _ := act.Words(p)
	return strings.ToUpper(ask[:1]) + typeset.Escaped(ask[1:]) + " " + planned(p.Totals()) + "?"
}

// PlanSummary says what a plan amounts to.
func (v *View) PlanSummary(s *Summary, p *plans.Plan) {
	t := p.Totals()
	s.Grouped = true
	if len(p.Steps) > 0 || p.Same > 0 {
		s.Slips = nil // something was found
	}
	s.Lead = units.Count(int64(t.Steps), "step", "steps")
	if what := planned(t); what != "" {
		s.Lead += ": " + what
	}
	if t.Files > 0 || t.Within > 0 {
		s.Lead += " · " + v.Units.SizeText(t.Bytes)
	}
	if p.Options.Into != "" {
		into := "into " + typeset.Escaped(path.Join(string(p.Options.Into), string(p.Options.Folders)))
		if p.Makes {
			into += ", which will be created"
		}
		s.Notes = append(s.Notes, into)
	}
	if p.Same > 0 {
		more := ""
		if len(p.Steps) > 0 {
			more = " more"
		}
		s.Notes = append(s.Notes, units.Grouped(int64(p.Same))+more+" "+sameText(p.Action, p.Same == 1))
	}
	if t.Refused > 0 {
		s.Notes = append(s.Notes, units.Grouped(int64(t.Refused))+" refused, for the reason beside it")
	}
	if open := openToAll(p); p.Action == plans.Hide && open > 0 {
		s.Notes = append(s.Notes, "hiding only leaves them out of lists: everyone may still read "+units.Grouped(int64(open))+" of them; frank act permit go= keeps others out")
	}
	if p.Covered > 0 {
		s.Notes = append(s.Notes, units.Count(int64(p.Covered), "match lies", "matches lie")+" in a folder that the plan moves or removes as a whole")
	}
}

// openToAll is how many of the entries everyone may read.
func openToAll(p *plans.Plan) (n int) {
	for _, s := range p.Steps {
		if mode, err := entry.ParsePermissions(s.Mode); err == nil && s.Refused == "" && mode&0o004 != 0 {
			n++
		}
	}
	return n
}

// sameText says what is so already of some matches, or of one.
func sameText(action plans.Action, one bool) string {
	is, has := "are ", "have "
	if one {
		is, has = "is ", "has "
	}
	switch action {
	case plans.Hide:
		return is + "hidden already"
	case plans.Reveal:
		return is + "not hidden"
	case plans.Permit:
		return has + "these permissions already"
	case plans.Own:
		return has + "that owner and group already"
	case plans.Stamp:
		return has + "these times already"
	}
	return has + "that name already"
}

// Ran appends what one call of a command wrote, below a line on what it was
// called for. On a terminal, what is no text is escaped.
func (v *View) Ran(dst []byte, r *verbs.Ran, escape bool) []byte {
	what := typeset.Escaped(string(r.Steps[0].Path))
	if more := len(r.Steps) - 1; more > 0 {
		what += " and " + units.Grouped(int64(more)) + " more"
	}
	ink, how := style.Heading, "ended well"
	if r.Err != nil {
		ink, how = style.Alarm, typeset.Escaped(r.Err.Error())
	}
	dst = append(v.Palette.Put(dst, what+": "+how, ink), '\n')
	if !escape {
		dst = append(dst, r.Output...)
	} else if bytes.IndexByte(r.Output, 0) >= 0 || !utf8.Valid(r.Output) {
		dst = append(dst, fmt.Sprintf("  (%s that are not text)\n", units.Count(int64(len(r.Output)), "byte", "bytes"))...)
	} else {
		for line := range strings.Lines(string(r.Output)) {
			dst = append(append(append(dst, "  "...), typeset.Escaped(strings.TrimRight(line, "\r\n"))...), '\n')
		}
	}
	if n := len(dst); n > 0 && dst[n-1] != '\n' {
		dst = append(dst, '\n')
	}
	if r.Cut {
		dst = append(dst, "   (and more, which frank did not keep)\n"...)
	}
	if r.Left {
		dst = append(dst, "   (something it started is still running; frank does not keep what that writes)\n"...)
	}
	return dst
}

// RanJSON appends what became of one call as a JSON object on a line.
func RanJSON(dst []byte, r *verbs.Ran) []byte {
	o := exact.Begin(dst)
	o.Bool("cut", r.Cut)
	if r.Err != nil {
		o.Text("error", r.Err.Error())
	} else {
		o.Null("error")
	}
	o.Bool("left_running", r.Left)
	o.Text("output", string(r.Output))
	paths := make([]string, len(r.Steps))
	for i, s := range r.Steps {
		paths[i] = string(s.Path)
	}
	o.Texts("paths", paths)
	o.Key("seconds")
	o.Dst = strconv.AppendFloat(o.Dst, r.Took.Seconds(), 'f', -1, 64)
	o.MaybeNumber("status", int64(r.Status), r.Status >= 0)
	return append(o.End(), '\n')
}

// RunText says what became of all calls.
func RunText(r verbs.RunResult) string {
	text := units.Count(int64(r.Calls), "call", "calls") + ": " + units.Grouped(int64(r.Done)) + " succeeded"
	for _, one := range []struct {
		count int
		word  string
	}{{r.Failed, "failed"}, {r.NotRun, "not run"}, {r.Refused, "refused"}} {
		if one.count > 0 {
			text += ", " + units.Grouped(int64(one.count)) + " " + one.word
		}
	}
	return text
}
