package journals

import (
	"fmt"
	"path"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/row"
)

// PastColumns returns what journals are shown with.
func PastColumns() []row.Column[*Past] {
	count := func(name, meaning string, state State) []row.Column[*Past] {
		some := row.NumberColumn(name, meaning, row.Number, func(p *Past) (int64, bool) { return int64(p.Count(state)), p.Count(state) > 0 })
		return row.NumberColumn(name, meaning, row.Number, func(p *Past) (int64, bool) { return int64(p.Count(state)), true }).Shown(some.LeftBlank().IfAny())
	}
	began := row.TimeColumn("began", "when", func(p *Past) (row.Moment, bool) { return row.MomentOf(p.Began), true })
	columns := []row.Column[*Past]{
		row.NumberColumn("journal", "its number", row.Number, func(p *Past) (int64, bool) { return p.Number, true }).For(row.People).Kept(),
		row.TextColumn("action", "what was done", func(p *Past) (string, bool) { return string(p.Action), true }).Kept(),
		row.NumberColumn("number", "of the journal", row.Number, func(p *Past) (int64, bool) { return p.Number, true }).For(row.Programs),
	}
	columns = append(columns, began.Shown(began.Called("when"))...)
	columns = append(columns, row.TextColumn("what", "what it was done to: the first of it", func(p *Past) (string, bool) { return p.about(), p.Len() > 0 }).Shrinking().For(row.People))
	columns = append(columns, row.NumberColumn("steps", "how many there were", row.Number, func(p *Past) (int64, bool) { return int64(p.Len()), true }))
	columns = append(columns, count("done", "how many are done", Done)...)
	columns = append(columns, count("failed", "how many could not be", Failed)...)
	columns = append(columns, count("undone", "how many were taken back", Undone)...)
	columns = append(columns, count("partly", "how many were done, but not to their end", Partly)...)
	state := row.TextColumn("state", "how it ended", func(p *Past) (string, bool) { return p.Word(), true })
	return append(columns, state.Shown(row.TextColumn("how it ended", "", func(p *Past) (string, bool) { return p.ending(), true }).Looking((*Past).endingLook).Kept())...)
}

// about names what the first steps are about, and where that is.
func (p *Past) about() string {
	paths := p.First()
	if len(paths) == 0 {
		return ""
	}
	folder := path.Dir(paths[0])
	for _, other := range paths {
		for folder != "/" && !strings.HasPrefix(other, folder+"/") {
			folder = path.Dir(folder)
		}
	}
	var names []string
	for _, one := range paths {
		names = append(names, strings.TrimPrefix(strings.TrimPrefix(one, folder), "/"))
	}
	text := strings.Join(names, ", ")
	if more := p.Len() - len(paths); more > 0 {
		text += fmt.Sprintf(" and %d more", more)
	}
	return text + ", in " + folder
}

// JournalStep is a step, and the journal that it is in.
type JournalStep struct {
	*PastStep
	Past *Past
}

// JournalStepColumns returns what steps of several journals are shown with.
func JournalStepColumns() []row.Column[*JournalStep] {
	return append([]row.Column[*JournalStep]{
		row.NumberColumn("journal", "its number", row.Number, func(s *JournalStep) (int64, bool) { return s.Past.Number, true }),
		row.TextColumn("action", "what was done", func(s *JournalStep) (string, bool) { return string(s.Past.Action), true }),
		row.TimeColumn("began", "when", func(s *JournalStep) (row.Moment, bool) { return row.MomentOf(s.Past.Began), true }),
	}, row.AllThrough(PastStepColumns(), func(s *JournalStep) *PastStep { return s.PastStep })...)
}

// ending says in words how it ended.
func (p *Past) ending() string {
	switch {
	case p.Undone || !p.Ended:
		return p.Word()
	case p.Count(Failed) > 0 || p.Count(Partly) > 0:
		return "not all done"
	}
	return "all done"
}

// endingLook warns where something was not done.
func (p *Past) endingLook() row.Look {
	if !p.Undone && (!p.Ended || p.Count(Failed) > 0 || p.Count(Partly) > 0) {
		return row.Warning
	}
	return row.Plain
}

// Word says how it ended.
func (p *Past) Word() string {
	switch {
	case p.Undone:
		return "undone"
	case !p.Ended:
		return "broken off"
	}
	return "ended"
}

// Word says what became of the step. If it was broken off, that is what the disk
// says.
func (s *PastStep) Word() string {
	switch {
	case !s.Looked:
		return s.State.String()
	case s.Found == NotBegun:
		return "broken off: nothing was done"
	case s.Found == Begun:
		return "broken off: unclear"
	}
	return "broken off: " + s.Found.String()
}

var stateWords = [...]string{"not begun", "begun", "done", "failed", "undone", "partly done"}

func (s State) String() string { return stateWords[s] }

// PastStepColumns returns what the steps of a journal are shown with.
func PastStepColumns() []row.Column[*PastStep] {
	return []row.Column[*PastStep]{
		row.TextColumn("path", "what it was done to", func(s *PastStep) (string, bool) { return string(s.Path), true }).Shrinking().Looking(func(s *PastStep) row.Look {
			kind, _ := entry.KindNamed(s.Kind)
			return (&entry.Entry{Kind: kind}).Look()
		}),
		row.TextColumn("state", "what became of it", func(s *PastStep) (string, bool) { return s.Word(), true }).Looking(func(s *PastStep) row.Look {
			if s.State == Failed || s.State == Partly {
				return row.Warning
			}
			return row.Plain
		}),
		row.TextColumn("to", "where it went", func(s *PastStep) (string, bool) { return string(s.To), s.To != "" }).LeftBlank(),
		row.TextColumn("why", "why it was not done, or not fully", func(s *PastStep) (string, bool) {
			if s.Aside != "" && s.Why == "" {
				return "something was left as " + s.Aside, true
			}
			if s.Of > 0 {
				return fmt.Sprintf("%d of %d entries were removed; %s", s.Gone, s.Of, s.Why), true
			}
			return s.Why, s.Why != ""
		}).LeftBlank(),
	}
}
