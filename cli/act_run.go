package cli

import (
	"github.com/spf13/cobra"

	"frankledger/core/act/plans"
)

func (p *Program) runCommand() *cobra.Command {
	return p.action(plans.Run, "run PLACE… [where CONDITION…] -- COMMAND ARGUMENT…",
		`Runs a command for each match, without a shell: each word is one argument, whatever the
names contain. These words are replaced:

  @path    the full path                    @name  the name
  @stem    the name without the extension   @ext   that, without the dot
  @folder  the path of its folder           @@     a plain @

With --batch, one call gets many paths in place of the word @path. The output of each call
is shown when the call ends, never mixed with that of another. The exit status is 3 if any
call failed.`,
		func(cmd *cobra.Command, o *actOptions) {
			f := cmd.Flags()
			f.IntVar(&o.jobs, "jobs", 1, "the `NUMBER` of calls to run at the same time; 0 for one per core")
			f.BoolVar(&o.batch, "batch", false, "pass many paths to one call")
			f.DurationVar(&o.limit, "limit", 0, "end a call after this `TIME`, such as 30s or 5m")
			group(cmd, groupDo, "jobs", "batch", "limit")
		}, nil,
		example{"act run recordings where empty -- wc -c @path", "a plan"},
		example{"act run recordings where empty --carry-out --yes -- wc -c @path", "carried out"},
		example{"act run scripts where ext is sh --carry-out --yes --batch -- grep -l '#!' @path", "many in one call"})
}
