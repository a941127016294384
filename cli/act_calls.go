package cli

import (
	"context"
	"runtime"

	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
)

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
