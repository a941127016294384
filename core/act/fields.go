package act

import (
	"fmt"
	"path"
	"slices"

	"frankledger/core/entry"
)

// Rows returns the steps as entries, for Columns.
func (p *Plan) Rows() (list []*entry.Entry) {
	for _, s := range p.Steps {
		e := entry.Entry{}
		if s.Entry != nil {
			e = *s.Entry
		} else {
			kind, _ := entry.KindNamed(s.Kind)
			e = entry.Entry{Folder: &entry.Folder{Place: &entry.Place{Given: string(s.Path), Full: string(s.Path)}}, Self: true, Name: path.Base(string(s.Path)),
				Kind: kind, Known: entry.FactStatus, Size: s.Size, Modified: entry.Time(s.Modified)}
		}
		e.More = &entry.More{Row: s}
		if s.Holds != nil {
			e.Size, e.Summed = s.Holds.Size, true
		}
		list = append(list, &e)
	}
	return list
}

func stepIn(e *entry.Entry) *Step { return e.More.Row.(*Step) }

// Columns returns the fields to show steps with, to people.
func (p *Plan) Columns() []*entry.Field {
	does := entry.TextField("does", "what the step does, or why it is refused", func(e *entry.Entry) (string, bool) {
		if s := stepIn(e); s.Refused != "" {
			return "refused: " + string(s.Refused), true
		}
		s := stepIn(e)
		if s.Notes != "" {
			return p.Does(s) + "; " + string(s.Notes), true
		}
		return p.Does(s), true
	})
	name := entry.TextField("name", "of the entry", func(e *entry.Entry) (string, bool) { return e.Path(), true })
	return []*entry.Field{name, does, entry.FieldNamed("kind"), entry.FieldNamed("size"), entry.FieldNamed("modified")}
}

// Does tells what a step does.
func (p *Plan) Does(s *Step) string { return verbs[p.Action].does(p, s) }

// PastEntries returns journals as entries, the newest first, for PastColumns.
func PastEntries(list []*Past) (entries []*entry.Entry) {
	for _, p := range slices.Backward(list) {
		entries = append(entries, &entry.Entry{Folder: &entry.Folder{Place: &entry.Place{Given: "/", Full: "/"}}, Self: true, More: &entry.More{Row: p}})
	}
	return entries
}

// PastColumns returns the fields to show journals with.
func PastColumns() []*entry.Field {
	of := func(e *entry.Entry) *Past { return e.More.Row.(*Past) }
	count := func(name, meaning string, state State) *entry.Field {
		return entry.NumberField(name, meaning, entry.Number, func(e *entry.Entry) (int64, bool) { return int64(of(e).Count(state)), true })
	}
	return []*entry.Field{
		entry.TextField("action", "what was done", func(e *entry.Entry) (string, bool) { return string(of(e).Action), true }),
		entry.NumberField("number", "of the journal", entry.Number, func(e *entry.Entry) (int64, bool) { return of(e).Number, true }),
		entry.MomentField("began", "when", func(e *entry.Entry) (entry.Time, bool) { return entry.TimeOf(of(e).Began), true }),
		entry.NumberField("steps", "how many there were", entry.Number, func(e *entry.Entry) (int64, bool) { return int64(len(of(e).Steps)), true }),
		count("done", "how many are done", Done), count("failed", "how many could not be", Failed), count("undone", "how many were taken back", Undone),
		count("partly", "how many were done, but not to their end", Partly),
		entry.TextField("state", "how it ended", func(e *entry.Entry) (string, bool) { return of(e).Word(), true }),
	}
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

// StepEntries returns the steps of a journal as entries, for StepColumns.
func (p *Past) StepEntries() (entries []*entry.Entry) {
	for _, s := range p.Steps {
		kind, _ := entry.KindNamed(s.Kind)
		entries = append(entries, &entry.Entry{Folder: &entry.Folder{Place: &entry.Place{Given: string(s.Path), Full: string(s.Path)}}, Self: true, Name: path.Base(string(s.Path)),
			Kind: kind, More: &entry.More{Row: s}})
	}
	return entries
}

// StepColumns returns the fields to show the steps of a journal with.
func StepColumns() []*entry.Field {
	of := func(e *entry.Entry) *PastStep { return e.More.Row.(*PastStep) }
	to := entry.TextField("to", "where it went", func(e *entry.Entry) (string, bool) { return string(of(e).To), of(e).To != "" })
	why := entry.TextField("why", "it could not be done, or not as it was meant", func(e *entry.Entry) (string, bool) {
		s := of(e)
		if s.Of > 0 {
			return fmt.Sprintf("%d of %d entries were removed; %s", s.Gone, s.Of, s.Why), true
		}
		return s.Why, s.Why != ""
	})
	return []*entry.Field{
		entry.FieldNamed("path"),
		entry.TextField("state", "what became of it", func(e *entry.Entry) (string, bool) { return of(e).Word(), true }),
		to.LeftBlank(), why.LeftBlank(),
	}
}
