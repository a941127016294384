package cli

import (
	"errors"
	"os"
	"slices"
	"strings"

	"frankledger/core/account"
	"frankledger/core/condition"
	"frankledger/render"
)

// whereWord parts places from the condition.
const whereWord = "where"

// splitWhere parts the words of a command into places and condition.
func splitWhere(args []string) (places, words []string, has bool) {
	i := slices.Index(args, whereWord)
	if i < 0 {
		return args, nil, false
	}
	return args[:i], args[i+1:], true
}

// where reads the condition among the words of a command, makes it part of the
// request, and returns the places.
func (p *Program) where(r *reading, args []string) (places []string, err error) {
	places, words, has := splitWhere(args)
	if !has {
		return places, nil
	}
	if len(words) == 0 {
		return nil, misuse("a condition is missing after where; for example: where name has dawn")
	}
	c, err := condition.Parse(words)
	if err != nil {
		return nil, conditionMistake(err)
	}
	accounts := r.view.Context.Accounts.(*account.Names)
	env := &condition.Environment{
		AsOf: r.view.Context.AsOf, Zone: r.view.Zone, MatchCase: r.matchCase,
		User: uint32(os.Geteuid()), Groups: myGroups(), Accounts: accounts,
	}
	program, err := c.Compile(env)
	if err != nil {
		return nil, conditionMistake(err)
	}
	if r.funnel {
		if err := c.Funnel(program); err != nil {
			return nil, conditionMistake(err)
		}
	}
	for _, pair := range c.Contradictions(env) {
		p.say("frank: %s", pair)
	}
	r.condition, r.program, r.request.Condition = c, program, program
	return places, nil
}

// conditionMistake shows where in the condition the mistake is.
func conditionMistake(err error) error {
	var mistake *condition.Error
	if !errors.As(err, &mistake) {
		return misuse("%w", err)
	}
	marked := "  " + strings.ReplaceAll(mistake.Marked(), "\n", "\n  ")
	return misuse("there is a mistake in the condition\n\n%s\n\n  %s\n", marked, render.Escaped(mistake.Message))
}

func myGroups() []uint32 {
	groups := []uint32{uint32(os.Getegid())}
	others, _ := os.Getgroups() // none, if the system does not say
	for _, g := range others {
		groups = append(groups, uint32(g))
	}
	return groups
}
