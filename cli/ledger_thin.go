package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/ledger"
	"frankledger/core/ledger/upkeep"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

func (p *Program) ledgerThinCommand() *cobra.Command {
	var o showingOptions
	var file, keep string
	var hosts flags.Parsed[[]string]
	var carryOut, yes bool
	cmd := &cobra.Command{
		Use:   "thin --keep NUMBERS [@LABEL…]",
		Short: "drop old records, and keep one for each day, week, month or year",
		Long: `Shows which records can go. For each place and label it keeps the newest record of each of
the last NUMBERS of days, weeks, months and years, and always the newest of all. With
--carry-out, removes the others; what is kept stays complete. "frank ledger compact" then
frees their space.`,
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			switch {
			case keep == "":
				return usage.Repaired(usage.Misuse("say what to keep"), append(slices.Clip(p.args), "--keep", "14 days, 8 weeks, 12 months"))
			case yes && !carryOut:
				return usage.MisuseOf("yes", "--yes is only for --carry-out")
			}
			k, err := upkeep.ParseKeep(keep)
			if err != nil {
				return usage.MisuseOf("keep", "--keep: %w", err)
			}
			r, err := p.ofRecords(cmd, &o, file, &hosts)
			if err != nil {
				return err
			}
			return p.thin(cmd.Context(), r, k, args, carryOut, yes)
		},
		ValidArgsFunction: completeLabels,
	}
	f := cmd.Flags()
	f.SortFlags = false
	f.StringVar(&keep, "keep", "", "`NUMBERS` to keep, of days, weeks, months and years: '14 days, 8 weeks, 12 months'")
	group(cmd, groupWhat, "keep")
	f.BoolVar(&carryOut, "carry-out", false, "drop the records, after asking once")
	f.BoolVarP(&yes, "yes", "y", false, "do not ask")
	group(cmd, groupDo, "carry-out", "yes")
	addLedger(cmd, &file, "the `FILE` with the records")
	group(cmd, groupWhere, "ledger")
	addHost(cmd, &hosts)
	addShowing(cmd, &o, render.WithColumns())
	examples(cmd,
		example{"ledger thin --keep '14 days, 8 weeks, 12 months'", "which records can go?"},
		example{"ledger thin --keep '7 days' @weekly --carry-out --yes", "drop records of one label"},
	)
	return cmd
}

// thin shows which records can go, or drops them.
func (p *Program) thin(ctx context.Context, r *question, keep upkeep.Keep, args []string, carryOut, yes bool) error {
	l, err := p.ledgers.ToRead(ctx, r.ledger, r.hosts)
	if err != nil {
		return err
	}
	records, err := l.Records(ctx)
	l.Release() // nobody is kept from recording while a question waits
	if err != nil {
		return place.LedgerTrouble(p.ledgers.Path, err)
	}
	var chosen []ledger.Record
	for _, arg := range args {
		label := strings.TrimPrefix(arg, usage.RecordMark)
		of := slices.DeleteFunc(slices.Clone(records), func(r ledger.Record) bool { return r.Label != label })
		if len(of) == 0 {
			return usage.Misuse("%s: %w", typeset.Escaped(arg), ledger.ErrLabel)
		}
		chosen = append(chosen, of...)
	}
	if len(args) == 0 {
		chosen = records
	}
	spare := keep.Spare(chosen, r.view.Context.AsOf, r.view.Zone)
	lead := units.Grouped(int64(len(spare))) + " of " + units.Count(int64(len(chosen)), "record", "records") + " can go"
	return p.dropShown(ctx, r, spare, lead, carryOut, yes)
}

// dropShown shows records that can be dropped, and drops them if that is to be carried out.
func (p *Program) dropShown(ctx context.Context, r *question, spare []ledger.Record, lead string, carryOut, yes bool) error {
	summary := &report.Summary{Grouped: true, Lead: lead}
	if len(spare) > 0 && !carryOut {
		summary.Notes = []string{"nothing was changed; --carry-out drops them"}
	}
	if err := write(p, r, summary, ledger.Columns(), ledger.NewestFirst(spare)); err != nil || !carryOut || len(spare) == 0 {
		return err
	}
	if !yes {
		if err := p.confirm("Drop " + units.Count(int64(len(spare)), "record", "records") + "?"); err != nil {
			return err
		}
	}
	to, name, err := p.ledgers.Create(ctx, r.ledger)
	if err != nil {
		return err
	}
	defer to.Close()
	dropped := int64(0)
	for _, one := range spare {
		if err = ctx.Err(); err == nil {
			err = p.changing(fmt.Sprint("dropping record ", one.Number), func() error { return upkeep.Drop(ctx, to, one.Number) })
		}
		if errors.Is(err, ledger.ErrNoRecord) { // another program was faster
			continue
		}
		if err != nil {
			break
		}
		dropped++
	}
	p.Say("dropped %s", units.Count(dropped, "record", "records"))
	return place.LedgerTrouble(name, err)
}
