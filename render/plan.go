package render

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"runtime"
	"strings"
	"sync"
	"unicode/utf8"

	"frankledger/core/act"
)

// PlanSummary says what a plan amounts to.
func (v *View) PlanSummary(s *Summary, p *act.Plan) {
	t := p.Totals()
	var kinds []string
	for _, one := range []struct {
		count          int
		single, plural string
	}{{t.Files, "file", "files"}, {t.Folders, "folder", "folders"}, {t.Others, "other", "others"}} {
		if one.count > 0 {
			kinds = append(kinds, Count(int64(one.count), one.single, one.plural))
		}
	}
	s.Grouped = true
	s.Lead = Count(int64(t.Steps), "step", "steps")
	if len(kinds) > 0 {
		s.Lead += ": " + strings.Join(kinds, ", ")
	}
	if t.Within > 0 {
		in := " in them"
		if t.Folders == 1 {
			in = " in it"
		}
		s.Lead += " with " + Count(t.Within, "entry", "entries") + in
	}
	if t.Files > 0 || t.Within > 0 {
		s.Lead += " · " + v.Units.SizeText(t.Bytes)
	}
	if p.Action == act.Move {
		into := "into " + Escaped(string(p.Options.Into))
		if p.Makes {
			into += ", which is not there and will be made"
		}
		s.Notes = append(s.Notes, into)
	}
	if t.Refused > 0 {
		s.Notes = append(s.Notes, Grouped(int64(t.Refused))+" refused")
	}
	if p.Covered > 0 {
		s.Notes = append(s.Notes, Count(int64(p.Covered), "match lies", "matches lie")+" in a folder that is acted on as a whole")
	}
}

// PlanJSON writes a plan as a JSON document, a step a line.
func PlanJSON(to io.Writer, p *act.Plan) error {
	head := *p
	head.Steps = []*act.Step{}
	text, err := marshal(head)
	if err != nil {
		return err
	}
	if _, err := to.Write(bytes.TrimSuffix(text, []byte("]}"))); err != nil {
		return err
	}
	const share = 4096 // steps a core formats at a time
	cores := runtime.GOMAXPROCS(0)
	rooms := make([][]byte, cores)
	for from := 0; from < len(p.Steps); from += cores * share {
		var group sync.WaitGroup
		for core := range cores {
			first := min(from+core*share, len(p.Steps))
			steps := p.Steps[first:min(first+share, len(p.Steps))]
			group.Go(func() {
				room := rooms[core][:0]
				for i, step := range steps {
					if first+i > 0 {
						room = append(room, ',')
					}
					room = step.AppendJSON(append(room, '\n'))
				}
				rooms[core] = room
			})
		}
		group.Wait()
		for _, room := range rooms {
			if _, err := to.Write(room); err != nil {
				return err
			}
		}
	}
	_, err = to.Write([]byte("\n]}\n"))
	return err
}

func marshal(value any) ([]byte, error) {
	var out bytes.Buffer
	to := json.NewEncoder(&out)
	to.SetEscapeHTML(false)
	err := to.Encode(value)
	return bytes.TrimSpace(out.Bytes()), err
}

// Ran appends what one call of a command wrote, below a line on what it was
// called for. On a terminal, what is no text is escaped.
func (v *View) Ran(dst []byte, r *act.Ran, escape bool) []byte {
	what := Escaped(string(r.Steps[0].Path))
	if more := len(r.Steps) - 1; more > 0 {
		what += " and " + Grouped(int64(more)) + " more"
	}
	ink, how := headingInk, "ended well"
	if r.Err != nil {
		ink, how = alarmInk, Escaped(r.Err.Error())
	}
	dst = append(v.Palette.put(dst, what+": "+how, ink), '\n')
	if !escape {
		dst = append(dst, r.Output...)
	} else if bytes.IndexByte(r.Output, 0) >= 0 || !utf8.Valid(r.Output) {
		dst = append(dst, fmt.Sprintf("  (%s that are no text)\n", Count(int64(len(r.Output)), "byte", "bytes"))...)
	} else {
		for line := range strings.Lines(string(r.Output)) {
			dst = append(append(append(dst, "  "...), Escaped(strings.TrimRight(line, "\r\n"))...), '\n')
		}
	}
	if n := len(dst); n > 0 && dst[n-1] != '\n' {
		dst = append(dst, '\n')
	}
	if r.Cut {
		dst = append(dst, "  (and more, which was not kept)\n"...)
	}
	return dst
}

// RanJSON appends what became of one call as a JSON object on a line.
func RanJSON(dst []byte, r *act.Ran) ([]byte, error) {
	value := map[string]any{"status": r.Status, "seconds": r.Took.Seconds(), "output": string(r.Output), "cut": r.Cut, "error": nil}
	paths := []any{}
	for _, s := range r.Steps {
		paths = append(paths, s.Path)
	}
	value["paths"] = paths
	if r.Err != nil {
		value["error"] = r.Err.Error()
	}
	if !utf8.Valid(r.Output) {
		value["output"], value["output_base64"] = nil, r.Output
	}
	if r.Status < 0 {
		value["status"] = nil
	}
	text, err := marshal(value)
	return append(append(dst, text...), '\n'), err
}

// RunText says what became of all calls.
func RunText(r act.RunResult) string {
	text := Count(int64(r.Calls), "call", "calls") + ": " + Grouped(int64(r.Done)) + " done well"
	for _, one := range []struct {
		count int
		word  string
	}{{r.Failed, "not well"}, {r.NotRun, "not run"}, {r.Refused, "refused"}} {
		if one.count > 0 {
			text += ", " + Grouped(int64(one.count)) + " " + one.word
		}
	}
	return text
}
