package cli

import (
	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/core/ledger"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/units"
)

// lateWord is when the list of machines can be made to fail.
const lateWord = "late"

func (p *Program) ledgerMachinesCommand() *cobra.Command {
	var o showingOptions
	var file string
	var hosts flags.Parsed[[]string]
	var failIf flags.Choice
	cmd := &cobra.Command{
		Use:   "machines",
		Short: "list the newest record of each machine and label, and say which are late",
		Long: `Lists the newest record of each machine and label. A machine is late when its newest record
is older than twice the usual time between two of them (the median of the last seven), or,
if it has only one, between those of other machines. Without --host, these are all machines
whose records you may read.`,
		Args: noArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			r, err := p.ofRecords(cmd, &o, file, &hosts)
			if err != nil {
				return err
			}
			l, err := p.ledgers.ToRead(cmd.Context(), r.ledger, r.hosts)
			if err != nil {
				return err
			}
			latest, err := l.Latest(cmd.Context(), r.hosts.Names, r.view.Context.AsOf)
			if err != nil {
				return place.LedgerTrouble(p.ledgers.Path, err)
			}
			var list row.List[*ledger.Latest]
			late := int64(0)
			machines, labels := map[string]bool{}, map[string]bool{}
			for i := range latest {
				one := &latest[i]
				list = append(list, one)
				machines[one.Host], labels[one.Label] = true, true
				if one.Late {
					late++
				}
			}
			summary := &report.Summary{Grouped: true, Notes: []string{"the ledger is " + place.ShownLedger(p.ledgers.Path)}}
			for _, host := range r.hosts.Names {
				if !machines[host] {
					summary.Report.Problems = append(summary.Report.Problems, source.Problem{Path: host, Tried: "find", Err: ledger.ErrNoRecord, Entries: 1})
				}
			}
			summary.Lead = units.Count(int64(len(machines)), "machine", "machines") + ", " + units.Count(int64(len(labels)), "label", "labels") + ", " + units.Grouped(late) + " late"
			err = write(p, r, summary, ledger.LatestColumns(), list)
			return different(late > 0 && failIf.String() == lateWord, err)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	addLedger(cmd, &file, "the `FILE` with the records")
	group(cmd, groupWhere, "ledger")
	addHost(cmd, &hosts)
	flags.AddChoice(f, &failIf, "fail-if", "", []string{lateWord}, "", "end with status 1 if any is `late`; for scripts")
	group(cmd, groupOut, "fail-if")
	complete(cmd, "fail-if", oneOf([]string{lateWord}))
	addShowing(cmd, &o, render.WithColumns())
	examples(cmd,
		example{"ledger machines", "when was what recorded last, and what is late?"},
		example{"ledger machines --fail-if late", "for a timer: status 1 if any machine is late"})
	return cmd
}
