package cli

import (
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/usage"
	"frankledger/core/act"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
	"frankledger/render"
	"frankledger/render/report"
)

func (p *Program) createCommand() *cobra.Command {
	o := &actOptions{}
	cmd := &cobra.Command{
		Use: "create NAME…",
		Long: `Makes empty files, and folders for names that end with a slash. A name that is taken is
refused. Undo removes them again while they are empty.`,
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return usage.Misuse("say what to create: %s NAME", cmd.CommandPath())
			}
			if err := o.check(); err != nil {
				return err
			}
			r, err := p.showing(cmd, &o.reading.showingOptions)
			if err != nil {
				return err
			}
			planner, err := planner(plans.Create, o)
			if err != nil {
				return err
			}
			paths := make([]string, len(args))
			for i, name := range args {
				full, err := filepath.Abs(name)
				if err != nil {
					return err
				}
				if strings.HasSuffix(name, "/") {
					full += "/"
				}
				paths[i] = full
			}
			here, err := filepath.Abs(".")
			if err != nil {
				return err
			}
			r.view.Add(&entry.Place{Given: ".", Full: here})
			plan, err := act.PlanCreating(cmd.Context(), planner, paths)
			if err != nil {
				return err
			}
			return p.carryOutOrShow(cmd.Context(), r, o, plan, &report.Summary{})
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	f.BoolVar(&o.carryOut, "carry-out", false, "carry out the plan, after asking once")
	flags.AddChoice(f, &o.ask, "ask", "", askWords, "", "`HOW` to ask: each, for every entry")
	f.BoolVarP(&o.yes, "yes", "y", false, "do not ask")
	group(cmd, groupDo, "carry-out", "ask", "yes")
	complete(cmd, "ask", oneOf(askWords))
	addShowing(cmd, &o.reading.showingOptions, []*render.Form{render.Table, render.JSON})
	examples(cmd,
		example{"act create notes/tomorrow.md", "a plan"},
		example{"act create exchange/new/ exchange/new/list.txt --carry-out --yes", "a folder, and a file in it"})
	return cmd
}
