package doing

import (
	"errors"

	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
)

// Verb is one action. Planner, carrier and undo know none of them: what they have to know of one is in its
// traits, and in the faces below, which a verb may have.
type Verb interface {
	// Traits are how the steps of the verb behave.
	Traits() Traits
	// Plan fills in what a step does, or returns why it is refused.
	Plan(p *Planning, s *plans.Step, e *entry.Entry) error
	// Does says what a step does.
	Does(p *plans.Plan, s *plans.Step) string
	// Undoes says what undo does with a step.
	Undoes(o *plans.Options, s *plans.Step) string
	// Words say what is asked to be done to something, and what it then is.
	Words(p *plans.Plan) (ask, done string)
	// Do does a step. Before it changes anything, it tells the journal that the
	// step begins.
	Do(t *Task) error
	// Undo takes a step back. It returns false if there was nothing to undo.
	Undo(u *Undoing, s *journals.PastStep) (acted bool, err error)
	// Look finds out what became of a step that was begun and not closed.
	Look(u *Undoing, s *journals.PastStep) journals.State
}

// Traits are how the steps of a verb behave.
type Traits struct {
	Goes      bool // entries go to another path
	Upwards   bool // from the bottom up, so that the paths of other steps stay good
	Outermost bool // what lies in an entry goes with it, and is no step of its own
	Whole     bool // a folder goes with all that is in it, which must be what it was
	Stays     bool // entries stay where they are, and are acted on by a handle
	InTurn    bool // steps are planned one after the other: what one gets, another does not
	Copies    bool // the entry stays, and what is at the other path is a copy of it
	Frees     bool // what is removed may be a spare, of which something has to stay
	Parts     bool // the plan counts hard links that are parted, and undo cannot make again
	Foreign   bool // another program does it, and what that does is not known
	Dots      bool // names get a leading dot, so that names already hidden are in the way
	Cases     bool // a name may be one that differs in capital letters only
	Links     bool // what a link leads to can be acted on instead
	Makes     bool // there is no entry yet: it is made
}

// Preparer is a verb that reads its options before anything is planned, and returns one that has.
type Preparer interface {
	Prepare(p *Planner) (Verb, error)
}

// Needer is a verb that has to know more of entries than every plan does.
type Needer interface {
	Needs(p *Planner) (entry.Facts, error)
}

// Settler is a verb whose steps are settled with one another once all are planned.
type Settler interface {
	Settle(p *plans.Plan)
}

// Finisher is a verb some of whose steps, for which do or undo returns errLater, are finished when all
// those as deep are begun.
type Finisher interface {
	Finish(t *Task) error
	FinishUndo(u *Undoing, s *journals.PastStep) error
}

// Final is a verb that cannot be undone, or not completely.
type Final interface {
	// ForGood returns why what is done by these options cannot be undone; nil if it can.
	ForGood(o *plans.Options) error
}

// ForGood returns why what a verb does by some options cannot be undone; nil if it can.
func ForGood(v Verb, o *plans.Options) error {
	if final, is := v.(Final); is {
		return final.ForGood(o)
	}
	return nil
}

// Task is a step that is being done.
type Task struct {
	*Carrying
	Step   *plans.Step
	Number int
	From   openat.Spot // of a verb by which entries stay where they are, a handle, where the system has these
	Status sys.Status
	Survey *tree.Survey // of a folder that goes as a whole
	To     string       // where it went
	Notes  string       // what is not as before
	Left   bool         // something may have the name for passing still
}

// BeginStep writes to the journal that the step begins.
func (t *Task) BeginStep(e journals.Event) error {
	e.Begin = t.Number
	if err := t.Journal.Begun(e); err != nil {
		return &JournalError{err}
	}
	return nil
}

// JournalError is an error of the journal, without which nothing is done.
type JournalError struct{ Err error }

func (e *JournalError) Error() string { return "write the journal: " + e.Err.Error() }
func (e *JournalError) Unwrap() error { return e.Err }

// ErrLater is returned for a step that is finished when those beside it are begun.
var ErrLater = errors.New("later")
