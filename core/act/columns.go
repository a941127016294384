package act

import (
	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
	"frankledger/core/entry"
	"frankledger/core/row"
)

// PlanColumns returns what steps are shown with, to people.
func PlanColumns(p *plans.Plan) []row.Column[*plans.Step] {
	return []row.Column[*plans.Step]{
		row.TextColumn("name", "of the entry", func(s *plans.Step) (string, bool) { return p.Called(s.Entry, s.Path), true }).Shrinking().Looking((*plans.Step).Look),
		row.TextColumn("what happens", "what the step does, or why it is refused", func(s *plans.Step) (string, bool) {
			switch {
			case s.Refused != "":
				return "refused: " + string(s.Refused), true
			case s.Notes != "":
				return Does(p, s) + "; " + string(s.Notes), true
			}
			return Does(p, s), true
		}).Looking(func(s *plans.Step) row.Look {
			if s.Refused != "" || p.Options.ForGood {
				return row.Warning
			}
			return row.Plain
		}).Kept(),
		row.TextColumn("kind", "what it is", func(s *plans.Step) (string, bool) { return s.Kind, true }),
		row.NumberColumn("size", "bytes of content, with all that is in it", row.Bytes, (*plans.Step).Bytes),
		row.TimeColumn("modified", "when its content was last altered", func(s *plans.Step) (row.Moment, bool) {
			if s.Entry != nil {
				return s.Entry.Modified, s.Entry.Known.Has(entry.FactStatus)
			}
			return row.Moment(s.Modified), s.Inode != 0 // what is to be made has none yet
		}),
	}
}

// Does says what a step does.
func Does(p *plans.Plan, s *plans.Step) string { return verbs.All[p.Action].Does(p, s) }

// Words say what is asked to be done, and what it then is: hide, hidden.
func Words(p *plans.Plan) (ask, done string) { return verbs.All[p.Action].Words(p) }

// UndoColumns returns what steps that are to be undone are shown with.
func UndoColumns() []row.Column[*UndoStep] {
	return []row.Column[*UndoStep]{
		row.TextColumn("path", "what it was done to", func(s *UndoStep) (string, bool) { return string(s.Path), true }).Shrinking(),
		row.TextColumn("what happens", "what undo does, or why it does nothing", func(s *UndoStep) (string, bool) { return s.does(), true }).Looking(func(s *UndoStep) row.Look {
			if s.Err != nil {
				return row.Warning
			}
			return row.Plain
		}).Kept(),
	}
}

// does says what undo does with a step.
func (s *UndoStep) does() string {
	if s.Err != nil {
		return "stays as it is: " + s.Err.Error()
	}
	return verbs.All[s.Past.Action].Undoes(&s.Past.Options, s.Step)
}
