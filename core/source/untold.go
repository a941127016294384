package source

import "frankledger/core/entry"

// Doubting is a condition that tells what it could not decide.
type Doubting interface {
	Condition
	// TakeUntold returns of how many entries it was not known, since it was called last,
	// whether they meet the condition, and because of which fields. It must not be called
	// while entries are tested.
	TakeUntold() (entries int64, fields []Untold)
}

// Untold is a field that a condition depends on, and the number of entries for which it is not known.
type Untold struct {
	Field   *entry.Field
	Entries int64
}

// NoteUntold adds to a report of a source what the condition could not decide there.
func (r *Report) NoteUntold(s Source, c Condition) {
	if m, is := c.(*marking); is {
		r.Tested, c = m.takeTested(), m.request.Condition
	}
	doubting, is := c.(Doubting)
	if !is {
		return
	}
	entries, fields := doubting.TakeUntold()
	r.Unknown += entries
	for _, f := range fields {
		r.Problems = append(r.Problems, Problem{Path: s.Place().Given, Tried: "look up " + f.Field.Name + " in", Err: s.Capabilities().Untold, Entries: f.Entries, Untold: f.Field})
	}
}
