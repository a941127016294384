package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/ledger"
	"frankledger/core/ledger/upkeep"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

func (p *Program) ledgerSendCommand() *cobra.Command {
	var file, to string
	cmd := &cobra.Command{
		Use:   "send [@LABEL…] --to LEDGER",
		Short: "copy missing records to another ledger",
		Long: `Copies the records of this machine that another ledger does not have yet, such as a
database that machines share: all of them, or those of the places with these labels. You
can repeat it at any time; it continues where it stopped. Each record is written
completely or not at all, and never twice. Nothing is removed on either side.`,
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if to == "" {
				return usage.Misuse("say where to send them: %s --to postgresql://LOGIN@HOST/DATABASE, or another file", cmd.CommandPath())
			}
			var labels []string
			for _, arg := range args {
				label := strings.TrimPrefix(arg, usage.RecordMark)
				if err := ledger.CheckLabel(label); err != nil {
					return usage.Misuse("%s: %w", typeset.Escaped(arg), err)
				}
				labels = append(labels, label)
			}
			from, name, err := p.ledgers.Open(cmd.Context(), file)
			if err != nil {
				return err
			}
			defer from.Close()
			if sameLedger(name, to) {
				return usage.MisuseOf("to", "--to names the ledger that the records are in already")
			}
			count, err := p.send(cmd.Context(), from, to, labels)
			if count != (sentCount{}) || err == nil {
				text := units.Count(count.sent, "record", "records") + " sent to " + place.ShownLedger(to)
				if count.there > 0 {
					text += "; " + units.Count(count.there, "was", "were") + " there already"
				}
				if count.dropped > 0 {
					text += "; " + units.Count(count.dropped, "was", "were") + " dropped there, and not sent again"
				}
				fmt.Fprintln(p.Output(), text)
			}
			return err
		},
		ValidArgsFunction: completeLabels,
	}
	cmd.Flags().SortFlags = false
	addLedger(cmd, &file, "the `FILE` with the records")
	group(cmd, groupWhere, "ledger")
	cmd.Flags().StringVarP(&to, "to", "t", "", "the `LEDGER` to send them to: a database, or a file")
	group(cmd, groupOut, "to")
	examples(cmd,
		example{"ledger send --to other.sqlite", "all records that are not there yet"},
		example{"ledger send @weekly --to postgresql://recorder@db.tern-point.example/inventory", "one place, to a database"},
	)
	return cmd
}

// sameLedger reports whether two names are of one ledger.
func sameLedger(a, b string) bool {
	one, errA := os.Stat(a)
	other, errB := os.Stat(b)
	return a == b || errA == nil && errB == nil && os.SameFile(one, other)
}

// sentCount is how many records were sent, were there, and had been dropped there.
type sentCount struct{ sent, there, dropped int64 }

// send sends records of this machine to another ledger.
func (p *Program) send(ctx context.Context, from *ledger.Ledger, to string, labels []string) (count sentCount, err error) {
	host, err := os.Hostname()
	if err != nil {
		return count, err
	}
	other, name, err := p.ledgers.Create(ctx, to)
	if err != nil {
		return count, err
	}
	defer other.Close()
	err = p.changing("sending records to "+place.ShownLedger(name), func() error {
		return upkeep.Send(ctx, from, other, host, labels, func(s upkeep.Sent) {
			switch {
			case s.There:
				count.there++
				return
			case s.Dropped:
				count.dropped++
				return
			}
			count.sent++
			fmt.Fprintf(p.Output(), "@%s, number %d: number %d there\n", typeset.Escaped(s.Record.Label), s.Record.Number, s.Number)
		})
	})
	p.tellNamesake(other, host)
	switch {
	case errors.Is(err, ledger.ErrLabel):
		return count, usage.Misuse("%w", err)
	}
	return count, place.LedgerTrouble(name, err)
}
