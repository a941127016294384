package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/ledger"
	"frankledger/core/ledger/upkeep"
	"frankledger/core/posix"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// aheadOfTime notes that records are dated later than now, and has times be shown as they are:
// how long it is until then is of no use.
func (r *question) aheadOfTime() string {
	if r.view.Times == units.Relative {
		r.view.Times = units.Local
	}
	return report.AheadOfTime
}

func (p *Program) ledgerCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "ledger",
		Long: `The ledger keeps all records made by "frank record". It is one file in the XDG data
folder, unless --ledger or FRANK_LEDGER names another file, or a PostgreSQL database that
machines share: postgresql://…. Without a further word, lists the records.`,
		Args: noArgs,
	}
	entries := p.ledgerEntriesCommand()
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		entries.SetContext(cmd.Context())
		return entries.RunE(entries, args)
	}
	cmd.AddCommand(entries, p.ledgerDropCommand(), p.ledgerCheckCommand(), p.ledgerCompactCommand(), p.ledgerExportCommand(), p.ledgerImportCommand(), p.ledgerAcceptCommand(), p.ledgerThinCommand(), p.ledgerSendCommand(), p.ledgerPrepareCommand(), p.ledgerAdmitCommand(), p.ledgerAdmissionsCommand(), p.ledgerRoomCommand(), p.ledgerMachinesCommand())
	examples(cmd,
		example{"record notes --label notes", "make a record"},
		example{"ledger entries", "all records"},
		example{"ledger check", "is the ledger undamaged?"},
		example{"ledger drop 1", "show the record with that number; --carry-out removes it"},
		example{"ledger export --to ledger.jsonl", "all records as JSON lines, for other programs or for later"},
		example{"ledger import ledger.jsonl --ledger other.sqlite", "and back again"},
	)
	return cmd
}

func (p *Program) ledgerEntriesCommand() *cobra.Command {
	var o showingOptions
	var file string
	var hosts flags.Parsed[[]string]
	forms := render.WithColumns()
	cmd := &cobra.Command{
		Use:   "entries",
		Short: "list all records, newest first",
		Args:  noArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			r, err := p.ofRecords(cmd, &o, file, &hosts)
			if err != nil {
				return err
			}
			l, path, err := p.ledgers.Open(cmd.Context(), file)
			summary := &report.Summary{Grouped: true}
			var records []ledger.Record
			switch {
			case errors.Is(err, ledger.ErrNone) && !ledger.Shared(path):
				summary.Notes = []string{"there is no ledger yet; frank record makes one: " + place.ShownLedger(path)}
			case err != nil:
				return err
			default:
				defer l.Close()
				if r.hosts.Given {
					l.Only(r.hosts.Names...)
				}
				records, err = l.Records(cmd.Context())
				if err == nil && r.hosts.Several() {
					summary.Notes = []string{"the ledger is " + place.ShownLedger(path)}
					p.ledgers.Path = path
					err = r.tellLate(cmd.Context(), l)
					summary.Notes = append(summary.Notes, r.notes...)
				} else if err == nil {
					summary.Notes, err = p.watchedAll(cmd.Context(), l, records, []string{"the ledger is " + place.ShownLedger(path)})
				}
				if slices.ContainsFunc(records, func(one ledger.Record) bool { return r.view.IsAhead(one.Taken) }) {
					summary.Notes = append(summary.Notes, r.aheadOfTime())
				}
				if err != nil {
					return place.LedgerTrouble(path, err)
				}
			}
			summary.Lead = units.Count(int64(len(records)), "record", "records")
			return write(p, r, summary, ledger.Columns(), ledger.NewestFirst(records))
		},
	}
	cmd.Flags().SortFlags = false
	addLedger(cmd, &file, "the `FILE` with the records")
	group(cmd, groupWhere, "ledger")
	addHost(cmd, &hosts)
	addShowing(cmd, &o, forms)
	return cmd
}

func (p *Program) ledgerDropCommand() *cobra.Command {
	var o showingOptions
	var file string
	var carryOut, yes bool
	cmd := &cobra.Command{
		Use:   "drop NUMBER…",
		Short: "remove records; the others stay complete",
		Long: `Shows the records with these numbers. With --carry-out, removes them; the others stay
complete. A dropped record cannot be restored. "frank ledger compact" then frees its
space.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeRecords,
		RunE: func(cmd *cobra.Command, args []string) error {
			switch {
			case len(args) == 0:
				return usage.Misuse("give the numbers of records, as shown by frank ledger entries")
			case yes && !carryOut:
				return usage.MisuseOf("yes", "--yes is only for --carry-out")
			}
			r, err := p.ofRecords(cmd, &o, file, nil)
			if err != nil {
				return err
			}
			return p.drop(cmd.Context(), r, args, carryOut, yes)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	f.BoolVar(&carryOut, "carry-out", false, "drop the records, after asking once")
	f.BoolVarP(&yes, "yes", "y", false, "do not ask")
	group(cmd, groupDo, "carry-out", "yes")
	addLedger(cmd, &file, "the `FILE` with the records")
	group(cmd, groupWhere, "ledger")
	addShowing(cmd, &o, render.WithColumns())
	examples(cmd,
		example{"ledger drop 1", "which record would go?"},
		example{"ledger drop 1 --carry-out --yes", "remove it"},
	)
	return cmd
}

// drop shows the records with some numbers, or drops them.
func (p *Program) drop(ctx context.Context, r *question, args []string, carryOut, yes bool) error {
	l, err := p.ledgers.ToRead(ctx, r.ledger, r.hosts)
	if err != nil {
		return err
	}
	var chosen []ledger.Record
	for _, arg := range args {
		n, err := strconv.ParseInt(strings.TrimPrefix(arg, usage.RecordMark), 10, 64)
		if err != nil {
			return usage.Misuse("%q is not the number of a record", arg)
		}
		one, err := l.Find(ctx, ledger.Reference{Number: n})
		if errors.Is(err, ledger.ErrNoRecord) {
			return usage.Misuse("%w", err)
		}
		if err != nil {
			return place.LedgerTrouble(p.ledgers.Path, err)
		}
		if !slices.ContainsFunc(chosen, func(r ledger.Record) bool { return r.Number == n }) {
			chosen = append(chosen, one)
		}
	}
	l.Release() // nobody is kept from recording while a question waits
	return p.dropShown(ctx, r, chosen, units.Count(int64(len(chosen)), "record", "records")+" to drop", carryOut, yes)
}

func (p *Program) ledgerCheckCommand() *cobra.Command {
	return p.housekeeping("check", "check that the ledger is undamaged",
		`Lets the database check itself, and checks every record against the hashes written with
it.`, false, noArgs,
		func(ctx context.Context, l *ledger.Ledger, path string, _ []string) error {
			session.SpareMemory()
			faults, err := upkeep.Check(ctx, l)
			if err != nil {
				return place.LedgerTrouble(path, err)
			}
			for _, f := range faults {
				on := ""
				if ledger.Shared(path) {
					on = " of " + typeset.Escaped(f.Host)
				}
				switch {
				case f.Record == 0 && f.Host != "" && on != "":
					p.Say("frank: %s: %s", typeset.Escaped(f.Host), typeset.Escaped(f.What))
				case f.Record == 0:
					p.Say("frank: %s", typeset.Escaped(f.What))
				case f.Path == "":
					p.Say("frank: record %d%s: %s", f.Record, on, typeset.Escaped(f.What))
				default:
					p.Say("frank: record %d%s, %s: %s", f.Record, on, typeset.Escaped(f.Path), typeset.Escaped(f.What))
				}
			}
			if len(faults) > 0 {
				return place.LedgerTrouble(path, fmt.Errorf("%w: %s; frank ledger export saves what can be read", ledger.ErrDamaged, units.Count(int64(len(faults)), "fault", "faults")))
			}
			records, err := l.Records(ctx)
			if err != nil {
				return place.LedgerTrouble(path, err)
			}
			fmt.Fprintf(p.Output(), "the ledger %s is undamaged: %s\n", place.ShownLedger(path), units.Count(int64(len(records)), "record", "records"))
			return nil
		})
}

func (p *Program) ledgerCompactCommand() *cobra.Command {
	return p.housekeeping("compact", "free the space of records that were dropped, and make reading faster",
		`Frees the space of records that were dropped. For a place that was recorded many times, it
also joins the changes, so reading its records is fast again. No record is lost.`, true, noArgs,
		func(ctx context.Context, l *ledger.Ledger, path string, _ []string) error {
			if ledger.Shared(path) {
				if err := p.changing("compacting the ledger", func() error { return upkeep.Compact(ctx, l) }); err != nil {
					return place.LedgerTrouble(path, err)
				}
				fmt.Fprintln(p.Output(), "compacted; the database frees the space by itself")
				return nil
			}
			before, err := os.Stat(path)
			if err != nil {
				return err
			}
			if err := p.changing("compacting the ledger", func() error { return upkeep.Compact(ctx, l) }); err != nil {
				return place.LedgerTrouble(path, err)
			}
			after, err := os.Stat(path)
			if err != nil {
				return err
			}
			fmt.Fprintf(p.Output(), "%s, and was %s\n", units.Binary.SizeText(after.Size()), units.Binary.SizeText(before.Size()))
			return nil
		})
}

func (p *Program) ledgerExportCommand() *cobra.Command {
	var to string
	var replace bool
	cmd := p.housekeeping("export", "write all records as JSON lines",
		`Writes everything in the ledger as JSON lines: one for each record, and one for each entry
that is new, different or gone in it. "frank ledger import" makes the same records from
them. From a damaged ledger, this saves what can be read.`, false, noArgs,
		func(ctx context.Context, l *ledger.Ledger, path string, _ []string) error {
			r := &question{options: options{to: to, replace: replace, page: neverWord}}
			destination, err := p.destination(r)
			if err != nil {
				return err
			}
			out := bufio.NewWriterSize(destination, 1<<20)
			saved, err := upkeep.Export(ctx, l, out)
			if err == nil {
				err = out.Flush()
			}
			err = p.finish(r, destination, err, err == nil)
			if err != nil {
				return place.LedgerTrouble(path, err)
			}
			for _, what := range saved.Lost {
				p.Say("frank: lost: %s", typeset.Escaped(what))
			}
			if to != "" {
				fmt.Fprintf(p.Output(), "%s, %s\n", units.Count(int64(saved.Records), "record", "records"), units.Count(saved.Lines, "line", "lines"))
			}
			if len(saved.Lost) > 0 {
				return &usage.Failure{Status: usage.StatusIncomplete, Err: errors.New("the ledger is damaged; what could be read was saved")}
			}
			return nil
		})
	f := cmd.Flags()
	f.StringVarP(&to, "to", "t", "", "the `FILE` to write to, completely or not at all")
	f.BoolVar(&replace, "replace", false, "with --to, replace an existing file")
	group(cmd, groupOut, "to", "replace")
	return cmd
}

func (p *Program) ledgerPrepareCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "prepare DATABASE",
		Short: "make a ledger in a PostgreSQL database, for many machines",
		Long: `Makes the tables of a ledger in a database, in a schema named frank, or upgrades the
tables of an earlier version. DATABASE is a connection string of PostgreSQL:
postgresql://LOGIN@HOST/DATABASE, or host=HOST dbname=DATABASE. The login needs the right to make schemas there, and to make roles (CREATEROLE), unless
the roles of this ledger exist:
frank_DATABASE_read, _record and _keep. Keep a password in the password file of PostgreSQL. "frank ledger admit" lets other logins
use the ledger.`,
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) != 1 || !ledger.Shared(args[0]) {
				return usage.Misuse("name one database: %s postgresql://LOGIN@HOST/DATABASE", cmd.CommandPath())
			}
			made, upgraded, err := ledger.Prepare(cmd.Context(), args[0])
			switch {
			case err != nil:
				return place.LedgerTrouble(args[0], err)
			case made:
				fmt.Fprintf(p.Output(), "there is a ledger now in %s\nfrank ledger admit lets other logins record into it, or read from it\n", place.ShownLedger(args[0]))
			case upgraded:
				fmt.Fprintf(p.Output(), "the ledger in %s now has this version\n", place.ShownLedger(args[0]))
			default:
				fmt.Fprintf(p.Output(), "there was a ledger already in %s\n", place.ShownLedger(args[0]))
			}
			return nil
		},
	}
	examples(cmd, example{"ledger prepare postgresql://keeper@db.tern-point.example/inventory", "make it"},
		example{"record . --label weekly --ledger postgresql://recorder@db.tern-point.example/inventory", "and record into it"})
	return cmd
}

func (p *Program) ledgerImportCommand() *cobra.Command {
	var file string
	cmd := &cobra.Command{
		Use:   "import FILE",
		Short: "read exported records back in",
		Long: `Makes the records again that "frank ledger export" wrote: all of them or none, in a ledger
that has no records of these places. FILE may be - for standard input.`,
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) != 1 {
				return usage.Misuse("name one file of lines, such as: %s ledger.jsonl", cmd.CommandPath())
			}
			in := os.Stdin
			if args[0] != "-" {
				var err error
				if in, err = os.Open(args[0]); err != nil {
					return usage.Misuse("%s: %w", typeset.Escaped(args[0]), posix.Reason(err))
				}
				defer in.Close()
			}
			l, path, err := p.ledgers.Create(cmd.Context(), file)
			if err != nil {
				return err
			}
			defer l.Close()
			var done upkeep.Imported
			err = p.changing("importing into the ledger", func() (err error) {
				done, err = upkeep.Import(cmd.Context(), l, in)
				return err
			})
			switch {
			case errors.Is(err, ledger.ErrLines) || errors.Is(err, ledger.ErrCutShort) || errors.Is(err, upkeep.ErrThere) || errors.Is(err, ledger.ErrNewer):
				return usage.Misuse("%s: %w; nothing was imported", typeset.Escaped(args[0]), err)
			case err != nil:
				return place.LedgerTrouble(path, err)
			}
			fmt.Fprintf(p.Output(), "%s imported into %s\n", units.Count(int64(len(done.Records)), "record", "records"), place.ShownLedger(path))
			for _, old := range slices.Sorted(maps.Keys(done.Renumbered)) {
				fmt.Fprintf(p.Output(), "record %d is number %d here\n", old, done.Renumbered[old])
			}
			if done.Lost > 0 {
				return &usage.Failure{Status: usage.StatusIncomplete, Err: fmt.Errorf("%s had been lost before the export; the records say which", units.Count(int64(done.Lost), "folder", "folders"))}
			}
			return nil
		},
	}
	addLedger(cmd, &file, "the `FILE` with the records")
	group(cmd, groupWhere, "ledger")
	return cmd
}
