package cli

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/usage"
	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

func (p *Program) actJournalCommand() *cobra.Command {
	var o showingOptions
	var first flags.Parsed[int]
	forms := render.WithColumns()
	cmd := &cobra.Command{
		Use: "journal [NUMBER | ACTION] [where CONDITION…]",
		Long: `Shows what was done, one line for each journal, newest first. With a NUMBER, it shows
every step of that journal. With an ACTION, such as hide, it shows what was hidden and
still is. With where, it shows every step whose entry met the condition before the step.
The condition may ask for name, path, kind, size, times and permissions.`,
		Args: cobra.ArbitraryArgs,

		ValidArgsFunction: p.completeJournals,
		RunE: func(cmd *cobra.Command, args []string) error {
			words, _, has := usage.SplitWhere(args)
			if len(words) > 1 {
				return usage.Misuse("name one number or one action, or none")
			}
			r, err := p.showing(cmd, &o)
			if err != nil {
				return err
			}
			r.first = first.Value
			if len(words) == 1 && !has {
				if _, err := strconv.ParseInt(words[0], 10, 64); err == nil || !plans.Action(words[0]).Known() {
					return p.journal(r, words[0])
				}
			}
			if len(words) == 1 || has {
				return p.journalSteps(r, words, args)
			}
			return p.journals(r)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	flags.AddNumber(f, &first, "first", "f", "0", "show only the newest `NUMBER`")
	group(cmd, groupWhat, "first")
	addShowing(cmd, &o, forms)
	examples(cmd,
		example{"act journal --first 10", "the last ten"},
		example{"act journal hide", "what did I hide?"},
		example{"act journal where name has rota", "what was done to these?"})
	return cmd
}

// journal answers with the steps of a journal.
func (p *Program) journal(r *question, number string) error {
	c, err := p.carrier()
	if err != nil {
		return err
	}
	past, err := readJournal(c.Journals, number)
	if err != nil {
		return err
	}
	act.Look(c, past)
	summary := &report.Summary{Grouped: true}
	summary.Lead = fmt.Sprintf("%s: %s, %s", past.Action, units.Count(int64(len(past.Steps)), "step", "steps"), past.Word())
	for _, s := range past.Steps {
		if s.Aside != "" {
			summary.Notes = append(summary.Notes, fmt.Sprintf("something is still named %s; frank act undo %d gives it its name back, if possible", typeset.Escaped(s.Aside), past.Number))
		}
	}
	steps := past.Steps
	if r.first > 0 && len(steps) > r.first {
		steps = steps[:r.first]
	}
	return write(p, r, summary, journals.PastStepColumns(), row.List[*journals.PastStep](steps))
}

// eachJournal calls a function for the journals, newest first, until it returns false.
func (p *Program) eachJournal(c *doing.Carrier, read func(number int64) (*journals.Past, error), do func(*journals.Past) bool) error {
	numbers, err := c.Journals.Numbers()
	if err != nil {
		return err
	}
	for _, n := range slices.Backward(numbers) {
		past, err := read(n)
		if err != nil {
			p.Say("frank: %s", err)
			continue
		}
		if act.Look(c, past); !do(past) {
			break
		}
	}
	return nil
}

// journals answers with all journals, or the newest.
func (p *Program) journals(r *question) error {
	c, err := p.carrier()
	if err != nil {
		return err
	}
	var list row.List[*journals.Past]
	if err := p.eachJournal(c, c.Journals.Summary, func(past *journals.Past) bool {
		list = append(list, past)
		return r.first == 0 || len(list) < r.first
	}); err != nil {
		return err
	}
	summary := &report.Summary{Grouped: true, Lead: units.Count(int64(len(list)), "journal", "journals")}
	return write(p, r, summary, journals.PastColumns(), list)
}

// journalSteps answers with the steps of journals: of one, or of those of an action, and that meet a condition.
func (p *Program) journalSteps(r *question, words, args []string) error {
	if _, err := p.where(r, args); err != nil {
		return err
	}
	if r.program != nil {
		if outside := r.condition.Outside(journals.Kept...); outside != "" {
			return usage.Misuse("a journal does not keep %s; it keeps %s", outside, strings.Join(journals.Kept, ", "))
		}
	}
	c, err := p.carrier()
	if err != nil {
		return err
	}
	var only plans.Action
	read := c.Journals.Read
	number := int64(0)
	if len(words) == 1 {
		if only = plans.Action(words[0]); !only.Known() {
			past, err := readJournal(c.Journals, words[0])
			if err != nil {
				return err
			}
			only, number = "", past.Number
		}
	}
	var test source.Test
	if r.program != nil {
		test = r.program.Test()
	}
	var list row.List[*journals.JournalStep]
	err = p.eachJournal(c, read, func(past *journals.Past) bool {
		if only != "" && (past.Action != only || past.Undone) || number > 0 && past.Number != number {
			return true
		}
		for _, s := range past.Steps {
			if only != "" && s.State != journals.Done && s.State != journals.Partly {
				continue
			}
			if test != nil && test(s.Before(), entry.FactStatus) != source.Yes {
				continue
			}
			list = append(list, &journals.JournalStep{PastStep: s, Past: past})
		}
		return r.first == 0 || len(list) < r.first
	})
	if err != nil {
		return err
	}
	if r.first > 0 && len(list) > r.first {
		list = list[:r.first]
	}
	summary := &report.Summary{Grouped: true, Lead: units.Count(int64(len(list)), "step", "steps")}
	return write(p, r, summary, journals.JournalStepColumns(), list)
}

func readJournal(kept journals.Journals, word string) (*journals.Past, error) {
	n, err := strconv.ParseInt(word, 10, 64)
	if err != nil {
		return nil, usage.Misuse("%q is not the number of a journal; frank act journal lists them", word)
	}
	past, err := kept.Read(n)
	if errors.Is(err, os.ErrNotExist) {
		return nil, usage.Misuse("%w: %d", journals.ErrNoJournal, n)
	}
	return past, err
}

func (p *Program) undoCommand() *cobra.Command {
	var o showingOptions
	var planned bool
	cmd := &cobra.Command{
		Use: "undo [NUMBER]",
		Long: `Undoes the newest journal that is not undone yet, or the one with this NUMBER. It restores
names, places, times, permissions and owners, and takes entries out of the trash. If the
newest journal cannot be undone, frank says why, and shows the command that undoes the one
before it. Nothing newer is ever overwritten. What cannot be undone is reported with the
reason, and the exit status is 3. --plan only shows what would be done.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: p.completeJournals,
		RunE: func(cmd *cobra.Command, args []string) error {
			switch {
			case len(args) > 1:
				return usage.Misuse("name one number, or none")
			case !planned && (o.to != "" || cmd.Flags().Changed("as")):
				return usage.MisuseOf("to", "--to and --as go with --plan: undo itself writes no answer")
			}
			r, err := p.showing(cmd, &o)
			if err != nil {
				return err
			}
			c, err := p.carrier()
			if err != nil {
				return err
			}
			host, err := os.Hostname()
			if err != nil {
				return err
			}
			number, err := p.toUndo(c, host, args)
			if err != nil {
				return err
			}
			if planned {
				return p.planUndo(r, c, host, number)
			}
			return p.undo(cmd.Context(), c, host, number)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	f.BoolVar(&planned, "plan", false, "only show what would be done")
	group(cmd, groupDo, "plan")
	addShowing(cmd, &o, render.WithColumns())
	examples(cmd, example{"act undo --plan", "what would be undone"}, example{"act undo", "the newest journal"})
	return cmd
}

// planUndo shows what undo would do.
func (p *Program) planUndo(r *question, c *doing.Carrier, host string, number int64) error {
	past, err := c.Journals.Read(number)
	switch {
	case err != nil:
		return err
	case past.Undone:
		return usage.Misuse("journal %d: %w", number, doing.ErrUndone)
	case past.Host != host:
		return usage.Misuse("journal %d: %w", number, doing.ErrOtherHost)
	}
	steps := act.StepsToUndo(c, past)
	can := 0
	for _, s := range steps {
		if s.Err == nil {
			can++
		}
	}
	summary := &report.Summary{Grouped: true}
	summary.Lead = "journal " + strconv.FormatInt(number, 10) + ", " + string(past.Action) + ": " + units.Count(int64(can), "step", "steps") + " can be undone"
	if more := len(steps) - can; more > 0 {
		summary.Lead += ", " + units.Grouped(int64(more)) + " cannot"
	}
	summary.Notes = append(summary.Notes, "nothing was changed; leave out --plan to undo it")
	return write(p, r, summary, act.UndoColumns(), row.List[*act.UndoStep](steps))
}

// undo undoes a journal.
func (p *Program) undo(ctx context.Context, c *doing.Carrier, host string, number int64) error {
	c.Progress = &source.Progress{}
	c.Tell = func(done doing.Outcome) {
		switch path := typeset.Escaped(done.To); {
		case done.Err != nil:
			p.Say("frank: could not undo %s: %s", path, typeset.Escaped(done.Err.Error()))
		case done.Notes != "":
			p.Say("frank: %s: undone, but: %s", path, typeset.Escaped(done.Notes))
		}
		p.tellAside(done.Step, done.Aside)
	}
	written := p.Writing("undo")
	defer written()
	c.Begin = func(s *plans.Step) { p.Writing("undo of " + typeset.Escaped(string(s.Path))) }
	undone, err := act.Undo(ctx, c, number, host)
	if errors.Is(err, doing.ErrUndone) || errors.Is(err, journals.ErrNoJournal) || errors.Is(err, doing.ErrOtherHost) {
		return usage.Misuse("journal %d: %w", number, err)
	}
	if err != nil {
		return err
	}
	text := "journal " + strconv.FormatInt(number, 10) + ": " + units.Count(int64(undone.Undone), "step", "steps") + " undone"
	if undone.Stays > 0 {
		text += ", " + units.Grouped(int64(undone.Stays)) + " could not be undone"
	}
	fmt.Fprintln(p.Output(), text)
	return p.incomplete(undone.Stays > 0)
}

// toUndo returns the number of the journal to undo: the newest of which something can be undone. It says why none of
// the later ones can be.
func (p *Program) toUndo(c *doing.Carrier, host string, args []string) (int64, error) {
	if len(args) == 1 {
		past, err := readJournal(c.Journals, args[0])
		if err != nil {
			return 0, err
		}
		return past.Number, nil
	}
	number, passed, err := act.NewestUndoable(c, host)
	if err != nil {
		return 0, err
	}
	// Of a journal that was cut short, nothing was done.
	maps.DeleteFunc(passed, func(_ int64, err error) bool { return errors.Is(err, journals.ErrCutShort) })
	if len(passed) > 0 { // it is not for the program to choose an older one
		newest := slices.Max(slices.Collect(maps.Keys(passed)))
		p.Say("frank act undo: journal %d, the newest, cannot be undone: %s", newest, typeset.Escaped(passed[newest].Error()))
		if number != 0 {
			p.Say("%s", usage.CommandLine([]string{"act", "undo", strconv.FormatInt(number, 10)}))
		}
		return 0, &usage.Failure{Status: usage.StatusIncomplete}
	}
	if number == 0 {
		return 0, usage.Misuse("there is nothing to undo")
	}
	return number, nil
}
