package cli

import (
	"context"
	"runtime"

	"github.com/spf13/cobra"

	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
)

func (p *Program) runCommand() *cobra.Command {
	return p.action(plans.Run, "run PLACE… [where CONDITION…] -- COMMAND ARGUMENT…", "run a command on each match",
		`Runs a command for each match, without a shell in between: each word is one argument,
whatever the names contain. In the words, these are replaced:

  @path    the full path                    @name  the name
  @stem    the name without the extension   @ext   that, without the dot
  @folder  the path of its folder           @@     a plain @

With --batch, one call gets many paths in place of the word @path. The output of each
call is kept apart from that of the others, and shown when the call has ended. The exit
status is 3 if any call failed.`,
		func(cmd *cobra.Command, o *actOptions) {
			f := cmd.Flags()
			f.IntVar(&o.jobs, "jobs", 1, "the `NUMBER` of calls at the same time; 0 for one on each core")
			f.BoolVar(&o.batch, "batch", false, "pass many paths to one call")
			f.DurationVar(&o.limit, "limit", 0, "end a call after this `TIME`, such as 30s or 5m")
			group(cmd, groupDo, "jobs", "batch", "limit")
		}, nil,
		example{"act run recordings where empty -- wc -c @path", "a plan"},
		example{"act run recordings where empty --carry-out --yes -- wc -c @path", "carried out"},
		example{"act run scripts where ext is sh --carry-out --yes --batch -- grep -l '#!' @path", "many in one call"})
}

// runPlan shows the plan of a command, or runs it.
func (p *Program) runPlan(ctx context.Context, r *question, o *actOptions, plan *plans.Plan, summary *report.Summary) error {
	r.view.PlanSummary(summary, plan)
	if !o.carryOut {
		if r.to != "" {
			return usage.MisuseOf("to", "--to: a plan that runs a command cannot be saved")
		}
		summary.Notes = append(summary.Notes, "nothing was run; --carry-out runs it")
		return p.showPlan(r, plan, summary)
	}
	if r.form == render.HTML {
		return usage.MisuseOf("as", "--as html is for plans; what commands did can be table or json")
	}
	if o.asks() {
		return usage.MisuseOf("ask", "--ask each is not for commands; look at the plan first")
	}
	totals := plan.Totals()
	if totals.Steps == 0 {
		return p.incomplete(totals.Refused > 0 || !summary.Complete())
	}
	if !o.yes {
		if err := p.confirm(report.Question(plan)); err != nil {
			return err
		}
	}
	jobs := o.jobs
	if jobs == 0 {
		jobs = runtime.GOMAXPROCS(0)
	}
	carrier, err := p.carrier()
	if err != nil {
		return err
	}
	var result verbs.RunResult
	err = p.answer(r, summary, func(w output.Destination) (err error) {
		escape := session.IsTerminal(p.Out)
		var writing error
		result, err = verbs.RunAll(ctx, carrier, plan, verbs.Running{Jobs: jobs, Batch: o.batch, Limit: o.limit}, func(ran verbs.Ran) {
			var text []byte
			if r.form == render.JSON {
				text = report.RanJSON(nil, &ran)
			} else {
				text = r.view.Ran(nil, &ran, escape)
			}
			if writing == nil {
				_, writing = w.Write(text)
			}
		})
		if err == nil {
			err = writing
		}
		return err
	})
	if err != nil {
		return err
	}
	if !r.quiet {
		p.Say("%s", report.RunText(result))
	}
	return p.incomplete(result.Failed+result.NotRun+result.Refused > 0)
}
