package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
	"frankledger/core/posix"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// carryOutOrShow shows a plan, and carries it out if that was asked for.
func (p *Program) carryOutOrShow(ctx context.Context, r *question, o *actOptions, plan *plans.Plan, summary *report.Summary) error {
	r.view.PlanSummary(summary, plan)
	if !o.carryOut {
		if r.to != "" && r.form != render.HTML { // a page is to be looked at, and not to be carried out
			r.form, r.byEnding = render.JSON, false // which is told with how it is carried out
		}
		if plan.Totals().Steps > 0 {
			summary.Notes = append(summary.Notes, "nothing was changed; add --carry-out to carry it out, or --to plan.json to save it")
		}
		err := p.showPlan(r, plan, summary)
		if r.to != "" && r.form == render.JSON && err == nil {
			p.tellSaved(r.to, r.quiet)
		}
		return err
	}
	if r.form != render.Table {
		return usage.MisuseOf("as", "--as %s is for plans; what was done is in the journal", r.form.Name)
	}
	shown := *r
	shown.page = neverWord
	if !r.quiet {
		err := p.showPlan(&shown, plan, summary)
		var f *usage.Failure
		if errors.As(err, &f) && f.Status != usage.StatusIncomplete || err != nil && f == nil {
			return err
		}
	}
	return p.carryOut(ctx, r, o, plan, summary)
}

// tellSaved says how a plan that was saved is carried out.
func (p *Program) tellSaved(file string, quiet bool) {
	if !quiet {
		p.Say("the plan is saved in %s, and nothing was changed; to carry it out:\n%s", typeset.Escaped(file), usage.CommandLine([]string{"act", "carry-out", file}))
	}
}

// showPlan writes a plan.
func (p *Program) showPlan(r *question, plan *plans.Plan, summary *report.Summary) error {
	return p.answer(r, summary, func(w output.Destination) error {
		if r.form == render.JSON {
			return plan.WriteJSON(w)
		}
		return render.All(w, render.New(r.form, r.view.View, act.PlanColumns(plan)), row.List[*plans.Step](plan.Steps), r.view.Frame(summary))
	})
}

// carryOut carries a plan out, after asking.
func (p *Program) carryOut(ctx context.Context, r *question, o *actOptions, plan *plans.Plan, summary *report.Summary) error {
	totals := plan.Totals()
	if totals.Steps == 0 {
		return p.incomplete(totals.Refused > 0 || !summary.Complete())
	}
	if !o.yes && !o.asks() {
		if err := p.confirm(report.Question(plan)); err != nil {
			return err
		}
	}
	c, err := p.carrier()
	if err != nil {
		return err
	}
	if o.asks() && !o.yes {
		if !session.IsTerminal(os.Stdin) {
			return errNobody
		}
		questions := &questions{p, bufio.NewReader(os.Stdin)}
		c.Ask = func(s *plans.Step) doing.Answer { return questions.each(plan, s) }
	}
	steps := atomic.Int64{}
	c.Progress = &source.Progress{}
	done := func() {}
	if c.Ask == nil {
		done = p.ProgressOf(r.quiet, func(since time.Duration) string {
			return actLine(r.view.View, c.Progress, steps.Load(), int64(totals.Steps), since)
		})
	}
	defer done()
	written := p.Writing("acting")
	defer written()
	c.Begin = func(s *plans.Step) {
		p.Writing(string(plan.Action) + " " + typeset.Escaped(string(s.Path)) + "; frank act journal shows how far it came")
	}
	c.Tell = func(done doing.Outcome) {
		steps.Add(1)
		p.tellOutcome(string(plan.Action), done)
	}
	result, err := act.CarryOut(ctx, c, plan)
	done()
	if length := r.config.Text("journals"); length != "" && err == nil {
		if since, err := journalsSince(length, time.Now()); err == nil {
			if err := c.Journals.Prune(since); err != nil {
				p.Say("frank: could not remove old journals: %s", err)
			}
		}
	}
	if result.Journal > 0 && !r.quiet {
		p.tellResult(plan, result)
	}
	if err != nil {
		return err
	}
	return p.incomplete(result.Failed > 0 || result.Partly > 0 || result.Refused > 0 || !summary.Complete())
}

// tellOutcome says of a step what did not go as it was meant.
func (p *Program) tellOutcome(verb string, done doing.Outcome) {
	path := typeset.Escaped(string(done.Step.Path))
	switch {
	case done.Partly:
		p.Say("frank: %s %s: partly done: %s", verb, path, typeset.Escaped(done.Err.Error()))
	case done.Err != nil:
		p.Say("frank: could not %s %s: %s", verb, path, typeset.Escaped(done.Err.Error()))
	case done.Notes != "":
		p.Say("frank: %s %s: done, but: %s", verb, path, typeset.Escaped(done.Notes))
	}
	p.tellAside(done.Step, done.Aside)
}

// tellAside says where something was left under a passing name, and what gives it a name again.
func (p *Program) tellAside(s *plans.Step, left string) {
	if left == "" {
		return
	}
	if s.To != "" && filepath.Dir(left) == filepath.Dir(string(s.To)) && filepath.Dir(left) != filepath.Dir(string(s.Path)) {
		p.Say("frank: the rest of the copy is %s; look at it, then run:\n%s", typeset.Escaped(left), usage.CommandLine([]string{"act", "remove", left}))
		return
	}
	p.Say("frank: it is now named %s; to give it its name back:\n%s", typeset.Escaped(left), asideLine(s, left))
}

// asideLine is the command line that gives what is under a passing name its name.
func asideLine(s *plans.Step, left string) string {
	name := strings.ReplaceAll(filepath.Base(string(s.Path)), "@", "@@")
	return usage.CommandLine([]string{"act", "rename", "--number", name, left, "--carry-out"})
}

var errNobody = usage.Misuse("standard input is not a terminal, so nobody can be asked; add --yes")

// confirm asks whether to do it. If not, that is all.
func (p *Program) confirm(question string) error {
	if !session.IsTerminal(os.Stdin) {
		return errNobody
	}
	if q := (&questions{p, bufio.NewReader(os.Stdin)}); !q.once(question) {
		p.Say("nothing was changed")
		return &usage.Failure{Status: usage.StatusComplete}
	}
	return nil
}

// incomplete turns whether something could not be done into a status.
func (p *Program) incomplete(so bool) error {
	if so {
		return &usage.Failure{Status: usage.StatusIncomplete}
	}
	return nil
}

// tellResult says what was done.
func (p *Program) tellResult(plan *plans.Plan, r doing.Result) {
	_, word := act.Words(plan)
	text := units.Grouped(int64(r.Done)) + " " + word
	for _, one := range []struct {
		count int
		word  string
	}{{r.Partly, "partly done"}, {r.Failed, "failed"}, {r.Refused, "refused"}, {r.Left, "left alone"}} {
		if one.count > 0 {
			text += ", " + units.Grouped(int64(one.count)) + " " + one.word
		}
	}
	if r.Stopped {
		text += ", and then stopped"
	}
	text += fmt.Sprintf(" (journal %d)", r.Journal)
	switch {
	case r.Undoable:
		text += fmt.Sprintf("; to undo that:\n%s", usage.CommandLine([]string{"act", "undo", strconv.FormatInt(r.Journal, 10)}))
	case r.Done+r.Partly > 0:
		text += "; this cannot be undone"
	}
	fmt.Fprintln(p.Output(), text)
}

// questions asks the person at the terminal.
type questions struct {
	program *Program
	in      *bufio.Reader
}

// answer asks a question and returns the answer, in small letters; "" at the end.
func (q *questions) answer(format string, args ...any) string {
	q.program.Paging.Store(false) // whoever asks has shown what it is about
	fmt.Fprintf(q.program.Errors(), format, args...)
	line, err := q.in.ReadString('\n')
	if err != nil {
		fmt.Fprintln(q.program.Err)
		return "stop"
	}
	return strings.ToLower(strings.TrimSpace(line))
}

// once asks whether to do all.
func (q *questions) once(question string) bool {
	for {
		switch q.answer("%s yes or no: ", question) {
		case "yes", "y":
			return true
		case "no", "n", "stop":
			return false
		}
	}
}

// each asks about one step.
func (q *questions) each(plan *plans.Plan, s *plans.Step) doing.Answer {
	for {
		switch q.answer("%s: %s? yes, no, rest or stop: ", typeset.Escaped(string(s.Path)), typeset.Escaped(act.Does(plan, s))) {
		case "yes", "y":
			return doing.Yes
		case "no", "n":
			return doing.No
		case "rest", "the rest", "r":
			return doing.Rest
		case "stop", "s":
			return doing.Stop
		}
	}
}

func (p *Program) carryOutCommand() *cobra.Command {
	o := &actOptions{carryOut: true}
	cmd := &cobra.Command{
		Use: "carry-out PLAN",
		Long: `Carries out a plan that you saved with --to. A plan is JSON; you may remove steps from it.
A step is left out if the size, the time or the inode of its entry has changed since.`,
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) != 1 {
				return usage.Misuse("name one plan, such as: %s plan.json", cmd.CommandPath())
			}
			if err := o.check(); err != nil {
				return err
			}
			r, err := p.showing(cmd, &o.reading.showingOptions)
			if err != nil {
				return err
			}
			plan, err := readPlan(args[0])
			if err != nil {
				return usage.Misuse("%s: %w", typeset.Escaped(args[0]), err)
			}
			if full, err := filepath.Abs(args[0]); err == nil {
				r.view.Add(&entry.Place{Given: args[0], Full: full})
			}
			tellPeople(plan, r)
			return p.carryOutOrShow(cmd.Context(), r, o, plan, &report.Summary{})
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	flags.AddChoice(f, &o.ask, "ask", "", askWords, "", "`HOW` to ask: each, for every entry")
	f.BoolVarP(&o.yes, "yes", "y", false, "do not ask")
	group(cmd, groupDo, "ask", "yes")
	addShowing(cmd, &o.reading.showingOptions, []*render.Form{render.Table})
	examples(cmd,
		example{"act remove cards where ext is tmp --to plan.json", "save a plan"},
		example{"act carry-out plan.json --yes", "and carry it out"})
	return cmd
}

// readPlan reads a plan that was kept.
func readPlan(file string) (*plans.Plan, error) {
	content, err := os.ReadFile(file)
	if err != nil {
		return nil, posix.Reason(err)
	}
	plan, err := plans.ReadPlan(content)
	if err != nil {
		return nil, err
	}
	host, err := os.Hostname()
	if err != nil {
		return nil, err
	}
	return plan, plan.Check(host)
}
