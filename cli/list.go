package cli

import (
	"github.com/spf13/cobra"

	"frankledger/core/source"
)

func (p *Program) listCommand() *cobra.Command {
	var options readingOptions
	var self, totals bool
	cmd := &cobra.Command{
		Use: "list [PLACE…] [where CONDITION…]",
		Long: `Lists what is in a folder, or in several; without a PLACE, in the current one.
A PLACE that is a file, or a link to nothing, is listed itself.

Folders have no size here, because what the system calls the size of a folder is only its
bookkeeping; --totals adds up what each folder holds. Names that start with a dot are
hidden: the footer says how many there are.

With where, only entries that meet the condition are listed; "frank help conditions" shows
how to write one.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := p.question(cmd, &options)
			if err != nil {
				return err
			}
			if self {
				r.request.Depth, r.request.Hidden = 0, source.ShowHidden
			}
			places, err := p.where(r, args)
			if err != nil {
				return err
			}
			return p.list(cmd.Context(), r, places, totals)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	f.BoolVar(&self, "self", false, "list the folder itself, not what is in it")
	f.BoolVar(&totals, "totals", false, "show for each folder the size of everything in it, at any depth")
	group(cmd, groupWhat, "self", "totals")
	options.defaults = "columns.list"
	addReading(cmd, &options, "omit", "1")
	addKeeping(cmd, &options.lookingOptions)
	examples(cmd,
		example{"list", "what is in the current folder"},
		example{"list handover --hidden show", "hidden entries too"},
		example{"list --totals --order size", "largest first, with the totals of folders"},
		example{"list recordings --depth all --order modified --first 10", "the ten newest files and folders, at any depth"},
		example{"list --columns name,owner,group,mode,age", "other columns"},
		example{"list notes --as csv --to inventory.csv", "an inventory for a spreadsheet"},
		example{"list recordings/ridge where modified within 2 days", "only some of the entries"},
		example{"list --self --columns all --as json", "everything about the folder itself"},
	)
	return cmd
}
