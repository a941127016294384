package source

import "frankledger/core/entry"

// Marked returns a request for everything below the places, with some facts. With a condition, entries that meet it
// have [entry.MarkChosen] and the facts of this request; entries for which that is not known have
// [entry.MarkUndecided]. So everything can be summed, whatever is chosen.
func (r Request) Marked(facts entry.Facts) Request {
	all := r
	all.Facts, all.Self = r.Facts|facts, r.Self || r.Depth == 0
	all.Depth, all.Hidden = AllDepths, ShowHidden
	if r.Condition == nil {
		return all
	}
	all.Facts = facts
	all.Condition = &marking{request: r, more: r.Facts &^ facts}
	return all
}

// Chosen reports whether an entry has the mark.
func Chosen(e *entry.Entry) bool { return e.Marks&entry.MarkChosen != 0 }

// marking is a condition that is met by everything, and marks what meets another.
type marking struct {
	request Request
	more    entry.Facts // that are wanted of what is chosen
	tested  Parts[int64]
}

// Needs implements Condition.
func (m *marking) Needs() entry.Facts { return m.request.Condition.Needs() | m.more }

// Test implements Condition.
func (m *marking) Test() Test {
	test, tested := m.request.Condition.Test(), m.tested.New(0)
	return func(e *entry.Entry, asked entry.Facts) Verdict {
		if !Chosen(e) {
			if m.request.Covers(e) != Given {
				return Yes
			}
			switch test(e, asked) {
			case Open:
				return Open
			case Yes:
				e.Marks |= entry.MarkChosen
			case Unknown:
				e.Marks |= entry.MarkUndecided
				*tested++
				return Yes
			default:
				*tested++
				return Yes
			}
		}
		if m.more&^asked != 0 {
			return Open
		}
		*tested++
		return Yes
	}
}

// takeTested returns how many entries the other condition was asked about since the last call.
func (m *marking) takeTested() (all int64) {
	for _, n := range m.tested.Take() {
		all += *n
	}
	return all
}
