package cli

import (
	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/core/ledger"
	"frankledger/core/row"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/units"
)

func (p *Program) ledgerRoomCommand() *cobra.Command {
	var o showingOptions
	var file string
	var hosts flags.Parsed[[]string]
	cmd := &cobra.Command{
		Use:   "room",
		Short: "show how much space the records of each machine and label take",
		Args:  noArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			r, err := p.ofRecords(cmd, &o, file, &hosts)
			if err != nil {
				return err
			}
			l, err := p.ledgers.ToRead(cmd.Context(), r.ledger, r.hosts)
			if err != nil {
				return err
			}
			rooms, err := l.Room(cmd.Context())
			if err != nil {
				return place.LedgerTrouble(p.ledgers.Path, err)
			}
			var list row.List[*ledger.Room]
			var records, stored int64
			for i := range rooms {
				list = append(list, &rooms[i])
				records, stored = records+rooms[i].Records, stored+rooms[i].Stored
			}
			lead := units.Count(records, "record", "records") + ", " + r.view.Units.SizeText(stored)
			return write(p, r, &report.Summary{Grouped: true, Lead: lead, Notes: []string{"the ledger is " + place.ShownLedger(p.ledgers.Path)}}, ledger.RoomColumns(), list)
		},
	}
	cmd.Flags().SortFlags = false
	addLedger(cmd, &file, "the `FILE` with the records")
	group(cmd, groupWhere, "ledger")
	addHost(cmd, &hosts)
	addShowing(cmd, &o, render.WithColumns())
	return cmd
}
