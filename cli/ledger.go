package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/adrg/xdg"
	"github.com/spf13/cobra"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
)

// ledgerFile is where records are kept: as the option says, or FRANK_LEDGER, or
// in the XDG folder for data.
func ledgerFile(option string) string {
	if option != "" {
		return option
	}
	if file := os.Getenv("FRANK_LEDGER"); file != "" {
		return file
	}
	return filepath.Join(xdg.DataHome, "frank-ledger", "ledger.sqlite")
}

// openLedger opens the ledger to read from it.
func openLedger(ctx context.Context, option string) (*ledger.Ledger, error) {
	path := ledgerFile(option)
	l, err := ledger.Open(ctx, path)
	if errors.Is(err, ledger.ErrNone) {
		return nil, misuse("%w: %s; frank record makes one", err, render.Escaped(path))
	}
	return l, ledgerTrouble(path, err)
}

// ledgerTrouble names the file in an error about it.
func ledgerTrouble(path string, err error) error {
	if err == nil || errors.Is(err, context.Canceled) {
		return err
	}
	return &failure{statusFailed, fmt.Errorf("the ledger %s: %w", render.Escaped(path), err)}
}

// openRecord opens a record as a place.
func (p *Program) openRecord(ctx context.Context, r *reading, words, given string, index int) (source.Source, error) {
	ref, err := ledger.ParseReference(words, r.view.Zone)
	if err != nil {
		return nil, misuse("%s: %w; a file of that name is written ./%s", render.Escaped(given), err, render.Escaped(given))
	}
	l, err := openLedger(ctx, r.ledger)
	if err != nil {
		return nil, err
	}
	p.toClose = append(p.toClose, l)
	found, err := l.Find(ctx, ref)
	if errors.Is(err, ledger.ErrNoRecord) || errors.Is(err, ledger.ErrLabel) {
		return nil, misuse("%s: %w; a file of that name is written ./%s", render.Escaped(given), err, render.Escaped(given))
	}
	if err != nil {
		return nil, ledgerTrouble(ledgerFile(r.ledger), err)
	}
	s, err := l.Source(ctx, found, ref.Way, given, index)
	if errors.Is(err, ledger.ErrNoEntry) || errors.Is(err, ledger.ErrNotRead) {
		return nil, misuse("%s: %w", render.Escaped(given), err)
	}
	return s, ledgerTrouble(ledgerFile(r.ledger), err)
}

// nowOnly refuses records where a command is about what is there now.
func nowOnly(sources []source.Source) error {
	for _, s := range sources {
		if s.Place().Record != nil {
			return misuse("%s is a record, and this command reads what is there now; list, search, weigh, outline and tally read records", render.Escaped(s.Place().Given))
		}
	}
	return nil
}

func (p *Program) recordCommand() *cobra.Command {
	var o readingOptions
	var label, note string
	formats := []string{"table"}
	cmd := &cobra.Command{
		Use:   "record [PLACE] --label NAME [where CONDITION…]",
		Short: "writes a place down in the ledger, dated",
		Long: `Writes down all that is known of everything below a folder, under a label. Later,
@NAME is a place, in list, search, weigh, outline and tally: what was there then,
though it may have changed, or the card may be in a drawer.

  @weekly              the newest record of that label
  @weekly:1            the one before it
  @weekly:2026-11-01   the newest at or before that day
  @7                   by its number, as "frank ledger entries" tells
  @weekly/counts       a folder in it

Recorded again, a place costs only what has changed. With where, only what meets
the condition is written down, and all folders.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := ledger.CheckLabel(label); err != nil {
				return misuse("--label: %w", err)
			}
			// What is below could not be found again in the record.
			if o.follow || o.hidden == "only" {
				return misuse("a record is of all that lies in a folder: it goes with neither --follow nor --hidden only")
			}
			return p.record(cmd, &o, label, note, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	o.hidden, o.depth = hiddenWords[0], allWord
	f.StringVar(&label, "label", "", "the `NAME` to keep records of this place under")
	f.StringVar(&note, "note", "", "a `TEXT` to keep with it")
	group(cmd, groupWhat, "label", "note")
	addLooking(cmd, &o)
	addShowing(cmd, &o, formats)
	examples(cmd,
		example{"record . --label weekly", "everything below the current folder"},
		example{"record cards --label cards --note 'before they go back'", "with a note"},
		example{"list @weekly/notes", "what was there"},
	)
	return cmd
}

// record writes a place down.
func (p *Program) record(cmd *cobra.Command, o *readingOptions, label, note string, args []string) error {
	r, err := p.reading(cmd, o)
	if err != nil {
		return err
	}
	sources, summary, err := p.open(cmd.Context(), r, args, o.matchCase, true)
	if err != nil {
		return err
	}
	if err := nowOnly(sources); err != nil {
		return err
	}
	if len(sources) != 1 || len(summary.Report.Problems) > 0 {
		return misuse("name one folder; each place has records of its own")
	}
	path := ledgerFile(o.ledger)
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	ctx := cmd.Context()
	l, err := ledger.Create(ctx, path)
	if err != nil {
		return ledgerTrouble(path, err)
	}
	spareMemory()
	defer l.Close()
	return p.answer(r, summary, func(w output.Destination) error {
		place := sources[0].Place()
		taking := ledger.NewTaking(place)
		request := r.request
		request.Facts = entry.FactStatus | entry.FactCreated | entry.FactTarget
		request.Condition, request.Self = ledger.WithFolders(request.Condition), true
		taken := time.Now()
		if err := p.readAll(ctx, r, &request, sources, taking, summary); err != nil {
			return err
		}
		host, err := os.Hostname()
		if err != nil {
			return err
		}
		full := place.Full
		if place.Real != "" {
			full = place.Real
		}
		written, changes, err := l.Write(ctx, ledger.Record{Label: label, Host: host, Place: full, Taken: taken, Note: note}, taking, summary.Report, ledger.Options{})
		if err != nil {
			return ledgerTrouble(path, err)
		}
		_, err = w.Write(r.view.Written(nil, written, changes, path, summary))
		return err
	})
}

func (p *Program) ledgerCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "ledger",
		Short: "what is recorded, and housekeeping of it",
		Long: `The ledger is one file of records, made by "frank record". It is in the XDG folder
for data unless --ledger or FRANK_LEDGER says otherwise. Without more words, lists
the records.`,
		Args: noArgs,
	}
	entries := p.ledgerEntriesCommand()
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		entries.SetContext(cmd.Context())
		return entries.RunE(entries, args)
	}
	cmd.AddCommand(entries, p.ledgerDropCommand())
	examples(cmd,
		example{"record notes --label notes", "writes a record"},
		example{"ledger entries", "all records"},
		example{"ledger drop 1", "the record with that number is no longer needed"},
	)
	return cmd
}

func (p *Program) ledgerEntriesCommand() *cobra.Command {
	var o readingOptions
	formats := []string{"table", "csv", "json", "jsonl", "markdown"}
	cmd := &cobra.Command{
		Use:   "entries",
		Short: "all records, the newest first",
		Args:  noArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			r, err := p.readingAs(cmd, &o, formats, "")
			if err != nil {
				return err
			}
			path := ledgerFile(o.ledger)
			var records []ledger.Record
			l, err := ledger.Open(cmd.Context(), path)
			if err == nil {
				defer l.Close()
				records, err = l.Records(cmd.Context())
			}
			summary := &render.Summary{Grouped: true, Lead: render.Count(int64(len(records)), "record", "records"), Notes: []string{"the ledger is " + render.Escaped(path)}}
			if errors.Is(err, ledger.ErrNone) {
				summary.Notes, err = []string{"there is no ledger yet; frank record makes one: " + render.Escaped(path)}, nil
			}
			if err != nil {
				return ledgerTrouble(path, err)
			}
			return p.answer(r, summary, func(w output.Destination) error {
				r.view.Columns = ledger.Columns(render.ForPeople(r.format))
				return render.All(w, render.New(r.format, r.view), rowList(ledger.Entries(records)), summary)
			})
		},
	}
	cmd.Flags().SortFlags = false
	o.hidden, o.depth = hiddenWords[0], allWord
	cmd.Flags().StringVar(&o.ledger, "ledger", "", "the `FILE` that records are kept in")
	group(cmd, groupWhere, "ledger")
	addShowing(cmd, &o, formats)
	return cmd
}

func (p *Program) ledgerDropCommand() *cobra.Command {
	var file string
	cmd := &cobra.Command{
		Use:   "drop NUMBER…",
		Short: "takes records out; all others stay whole",
		Args:  cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return misuse("name the numbers of records, as frank ledger entries tells them")
			}
			path := ledgerFile(file)
			if _, err := os.Stat(path); err != nil {
				return misuse("%w: %s", ledger.ErrNone, render.Escaped(path))
			}
			var numbers []int64
			for _, arg := range args {
				n, err := strconv.ParseInt(strings.TrimPrefix(arg, recordMark), 10, 64)
				if err != nil {
					return misuse("%q is no number of a record", arg)
				}
				numbers = append(numbers, n)
			}
			l, err := ledger.Create(cmd.Context(), path)
			if err != nil {
				return ledgerTrouble(path, err)
			}
			defer l.Close()
			for _, n := range numbers {
				err := l.Drop(cmd.Context(), n)
				if errors.Is(err, ledger.ErrNoRecord) {
					return misuse("%w: %d", err, n)
				}
				if err != nil {
					return ledgerTrouble(path, err)
				}
				fmt.Fprintf(p.Out, "dropped %d\n", n)
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&file, "ledger", "", "the `FILE` that records are kept in")
	group(cmd, groupWhere, "ledger")
	return cmd
}
