package act

import (
	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// A verb is one action. The planner, the carrier and undo know none of them.
type verb interface {
	// plan fills in what a step does, or returns why it is refused.
	plan(p *planning, s *Step, e *entry.Entry) error
	// does says what a step does.
	does(p *Plan, s *Step) string
	// words say what is asked to be done to something, and what it then is.
	words(p *Plan) (ask, done string)
	// do does a step. Before it changes anything, it tells the journal that the
	// step begins.
	do(t *task) error
	// undo takes a step back. It returns false if there was nothing to take back.
	undo(u *undoing, s *PastStep) (acted bool, err error)
	// look finds out what became of a step that was begun and not closed.
	look(u *undoing, s *PastStep) State

	goes() bool    // entries go to another path
	upwards() bool // from the bottom up, so that the paths of other steps stay good
	outermost() bool
	whole() bool // a folder goes with all that is in it, which must be what it was
	stays() bool // entries stay where they are, and are acted on by a handle
}

// verbs are all verbs.
var verbs = map[Action]verb{
	Hide:   hide{},
	Reveal: reveal{},
	Move:   move{},
	Remove: remove{},
	Stamp:  stamp{},
	Permit: permit{},
	Copy:   copyTo{},
	Own:    own{},
	Rename: naming{},
	Clear:  clearing{},
	Run:    run{},
}

// task is a step that is being done.
type task struct {
	*carrying
	step   *Step
	number int
	from   spot // of a verb by which entries stay where they are, a handle, where the system has these
	st     sys.Status
	survey *survey // of a folder that goes as a whole
	to     string  // where it went
	notes  string  // what is not as before
	left   bool    // something may have the name for passing still
}

// begin tells the journal that the step begins.
func (t *task) begin(e event) error {
	e.Begin = t.number
	if err := t.journal.begun(e); err != nil {
		return &journalError{err}
	}
	return nil
}

// journalError is an error of the journal, without which nothing is done.
type journalError struct{ err error }

func (e *journalError) Error() string { return "write the journal: " + e.err.Error() }
func (e *journalError) Unwrap() error { return e.err }
