package cli

import (
	"cmp"
	"errors"
	"os"
	"strings"

	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/account"
	"frankledger/core/condition"
	"frankledger/core/condition/compile"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/render/typeset"
)

// where reads the condition among the words of a command, makes it part of the
// request, and returns the places.
func (p *Program) where(r *question, args []string) (places []string, err error) {
	places, words, has := usage.SplitWhere(args)
	var c *condition.Condition
	switch {
	case has && len(words) == 0:
		return nil, usage.Misuse("a condition is missing after where; for example: where name has dawn")
	case has:
		if c, err = condition.Parse(words); err != nil {
			return nil, cmp.Or(p.args.Swallowed(words), p.conditionMistake(err))
		}
		c = c.WithPieces(r.pieces)
	case len(r.pieces) > 0:
		c = condition.Pieces(r.pieces)
	default:
		return places, r.checkSought()
	}
	accounts := r.view.Context.Accounts.(*account.Names)
	env := &condition.Environment{
		AsOf: r.view.Context.AsOf, Zone: r.view.Zone, MatchCase: r.matchCase,
		User: uint32(os.Geteuid()), Groups: myGroups(), Accounts: accounts, Relative: r.relative,
	}
	program, err := compile.Condition(c, env)
	if err != nil {
		return nil, p.conditionMistake(err)
	}
	if r.funnel {
		if err := compile.Funnel(c, program); err != nil {
			return nil, p.conditionMistake(err)
		}
	}
	for _, pair := range compile.Contradictions(c, env) {
		p.Say("frank: %s", pair)
	}
	if r.relative {
		for _, slip := range c.FromPlace(places) {
			p.Say("frank: %s", slip)
		}
	}
	if c.OfHidden() && !r.written("hidden") {
		r.request.Hidden = source.ShowHidden
	}
	r.condition, r.program, r.request.Condition, r.request.Sought = c, program, program, program.Sought()
	r.slips = append(r.slips, c.Slips(env)...)
	if c.Spoken {
		p.taken(r, usage.Where+" "+typeset.Escaped(c.String()))
	}
	for _, note := range c.Notes {
		p.taken(r, typeset.Escaped(note))
	}
	return places, r.checkSought()
}

// checkSought refuses to show lines with text that nothing is said about.
func (r *question) checkSought() error {
	if r.request.Facts&entry.FactText != 0 && r.request.Sought == nil {
		return usage.MisuseOf("columns", "line and text show a match only if the condition looks for one: where text has 'a piece'")
	}
	return nil
}

// taken says how words were taken: in the heading or, where there is none, to a person.
func (p *Program) taken(r *question, line string) {
	switch {
	case r.form.ForPeople():
		r.view.Taken = append(r.view.Taken, line)
	case !r.quiet && session.IsTerminal(p.Err):
		p.Say("%s", line)
	}
}

// What is added up where a condition chooses.
const (
	sumsMatches    = "sums include only matches (list --totals adds up everything in a folder)"
	sumsEverything = "sizes of folders include everything in them (weigh adds up only matches)"
)

// addsUp has the heading say what is added up, if there is a condition.
func (r *question) addsUp(what string) {
	if r.program != nil && r.form.ForPeople() {
		r.view.Taken = append(r.view.Taken, what)
	}
}

// conditionMistake shows where in the condition the mistake is.
func (p *Program) conditionMistake(err error) error {
	var mistake *condition.Error
	if !errors.As(err, &mistake) {
		return usage.Misuse("%w", err)
	}
	marked := "  " + strings.ReplaceAll(mistake.Marked(), "\n", "\n  ")
	err = usage.Misuse("there is a mistake in the condition\n\n%s\n\n  %s\n", marked, typeset.Escaped(mistake.Message))
	err.(*usage.Failure).Topic = "conditions"
	for _, words := range mistake.Repairs {
		err = usage.Repaired(err, p.args.WithCondition(words))
	}
	return err
}

func myGroups() []uint32 {
	groups := []uint32{uint32(os.Getegid())}
	others, _ := os.Getgroups() // none, if the system does not say
	for _, g := range others {
		groups = append(groups, uint32(g))
	}
	return groups
}
