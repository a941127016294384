package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/core/compare"
	"frankledger/core/condition"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/replay"
	"frankledger/core/live"
	"frankledger/core/sides"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// recordOptions are the options of record beside those that all commands share.
type recordOptions struct {
	reading            readingOptions
	label, note        string
	checksum           flags.Word
	recheck, moveLabel bool
	quick              bool
	attributes         bool
	recheckFor         flags.Parsed[time.Duration]
	share              flags.Parsed[float64] // a part of 1
	send               string
}

func (p *Program) recordCommand() *cobra.Command {
	var o recordOptions
	cmd := &cobra.Command{
		Use: "record [PLACE] --label NAME [where CONDITION…]",
		Long: `Records a folder and everything below it, under a label. Later, @NAME is a place like any
other: it shows what was there, even if the disk is now in a drawer. @NAME:1 is the record
before, @NAME:2026-11-01 the newest at or before that day, @NAME/counts a folder in it
("frank help places").

Recording again stores only what has changed. --quick copies folders whose times are the
same from the record before: it does not notice a file altered in place. With where, only matches and folders are recorded; its paths start at the place.

--checksum also records digests of files; next time, only files that look changed are
read. --recheck reads the others too, and reports content that changed although size and
times did not (the disk fails, or someone set the times back), with status 1. With --for
or --share it reads some of them, those read longest ago first.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := p.checkLabel(cmd, &o, args); err != nil {
				return err
			}
			// What is below could not be found again in the record.
			if o.reading.follow || source.Hidden(o.reading.hidden.Index()) == source.OnlyHidden {
				return usage.Misuse("a record has everything in a folder: it cannot be combined with --follow or --hidden only")
			}
			if _, condition, _ := usage.SplitWhere(args); o.quick && (o.recheck || len(condition) > 0 || o.reading.hidden.Index() != 0) {
				return usage.MisuseOf("quick", "--quick copies folders that look unchanged from the record before: it cannot be combined with --recheck, --hidden or a condition")
			}
			return p.record(cmd, &o, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	f.StringVar(&o.label, "label", "", "the `NAME` under which this place is recorded")
	f.StringVar(&o.note, "note", "", "a `TEXT` to keep with the record")
	flags.AddWord(f, &o.checksum, "checksum", func(word string) bool {
		_, err := entry.LookupAlgorithm(word)
		return err != nil && (word == usage.Where || usage.IsMarked(word) || there(word))
	}, "record the digest of each file by this `ALGORITHM`: "+strings.Join(entry.AlgorithmNames(), ", ")+"; alone, by the first")
	f.BoolVar(&o.attributes, "attributes", false, "record attributes and access lists too, from now on")
	f.BoolVar(&o.moveLabel, "move-label", false, "let the label stand for this place from now on")
	f.BoolVar(&o.quick, "quick", false, "read only folders whose times have changed")
	f.BoolVar(&o.recheck, "recheck", false, "also read files that look unchanged")
	flags.AddParsed(f, &o.recheckFor, "for", "", "", parseLength, "with --recheck, at most for `TIME`")
	f.StringVar(&o.send, "send", "", "then send it to another `LEDGER`, too")
	flags.AddParsed(f, &o.share, "share", "", "", parsePart, "with --recheck, at most a `PART` such as 5%")
	group(cmd, groupWhat, "label", "note", "checksum", "quick", "recheck", "for", "share", "attributes", "move-label")
	group(cmd, groupOut, "send")
	addLooking(cmd, &o.reading.lookingOptions, hiddenWords[0])
	addShowing(cmd, &o.reading.showingOptions, []*render.Form{render.Table})
	complete(cmd, "label", completeLabels)
	complete(cmd, "checksum", oneOf(entry.AlgorithmNames()))
	examples(cmd,
		example{"record . --label weekly", "everything below the current folder"},
		example{"record cards --label cards --checksum sha256 --note 'before they go back'", "with digests and a note"},
		example{"record cards --label cards --recheck", "is every byte unchanged?"},
		example{"record cards --label cards --recheck --for '20 minutes'", "check some of the files, each night"},
		example{"list @cards", "what was there"},
		example{"compare @cards", "what has changed since"},
	)
	return cmd
}

// labelTaken says which place a label stands for, if that is what is wrong.
func (p *Program) labelTaken(label, path string, err error) error {
	if errors.Is(err, ledger.ErrLabelTaken) {
		return usage.MisuseOf("label", "--label %s: %s; choose another, or --move-label", label, typeset.Escaped(err.Error()))
	}
	return place.LedgerTrouble(path, err)
}

// checkLabel returns an error if there is no label, or one that cannot be.
func (p *Program) checkLabel(cmd *cobra.Command, o *recordOptions, args []string) error {
	err := ledger.CheckLabel(o.label)
	if err == nil {
		return nil
	}
	if cmd.Flags().Changed("label") {
		return usage.MisuseOf("label", "--label: %w", err)
	}
	err = usage.Misuse("say under which label to keep the record: --label and a word")
	place := "."
	if places, _, _ := usage.SplitWhere(args); len(places) > 0 {
		place = places[0]
	}
	full, failed := filepath.Abs(place)
	label := strings.ToLower(filepath.Base(full))
	if failed != nil || ledger.CheckLabel(label) != nil {
		label = "weekly"
	}
	return usage.Repaired(err, slices.Concat(p.args, []string{"--label", label}))
}

// limit is how much is read again; nil for all.
func (o *recordOptions) limit() (*recording.Limit, error) {
	limit := &recording.Limit{For: o.recheckFor.Value, Share: o.share.Value}
	switch {
	case *limit == recording.Limit{}:
		return nil, nil
	case !o.recheck:
		return nil, usage.MisuseOf("for", "--for and --share go with --recheck")
	}
	return limit, nil
}

// parseLength reads a length of time; 0 for none.
func parseLength(words string) (time.Duration, error) {
	if words == "" { // any
		return 0, nil
	}
	now := time.Now()
	since, err := condition.ParseMoment(words+" ago", now, time.UTC)
	if length := now.Sub(since); err == nil && length > 0 {
		return length, nil
	}
	return 0, fmt.Errorf("this should be a length of time, such as '20 minutes', not %q", words)
}

// parsePart reads a percentage as a part of 1; 0 for none.
func parsePart(words string) (float64, error) {
	if words == "" { // all
		return 0, nil
	}
	percent, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(words, "%")), 64)
	if err != nil || !(percent > 0 && percent <= 100) {
		return 0, fmt.Errorf("this should be a part from 0 to 100, such as 5%%, not %q", words)
	}
	return percent / 100, nil
}

// record writes a place down.
func (p *Program) record(cmd *cobra.Command, o *recordOptions, args []string) error {
	r, err := p.question(cmd, &o.reading)
	if err != nil {
		return err
	}
	r.relative = true
	sources, summary, err := p.open(cmd.Context(), r, args, place.OfAFolder)
	if err != nil {
		return err
	}
	if err := p.nowOnly(sources); err != nil {
		return err
	}
	if len(sources) != 1 || len(summary.Report.Problems) > 0 {
		places, _, _ := usage.SplitWhere(args)
		return usage.Repaired(usage.Misuse("name one folder: each place has its own records"), p.args.WithOnly(places)...)
	}
	spot := sources[0].Place()
	record := ledger.Record{Label: o.label, Place: spot.Full, Note: o.note, Terms: r.terms(&o.reading, args)}
	if spot.Real != "" {
		record.Place = spot.Real
	}
	if record.Host, err = os.Hostname(); err != nil {
		return err
	}
	if o.send != "" {
		if _, err := place.LedgerName(o.send, loadConfig); err != nil {
			return err // before anything is written
		}
	}
	ctx := cmd.Context()
	l, path, err := p.ledgers.Await(ctx, o.reading.ledger)
	if err != nil {
		return err
	}
	defer l.Close()
	if err := l.CheckLabelOf(ctx, record); err != nil && !o.moveLabel {
		return p.labelTaken(o.label, path, err)
	}
	if record.Terms.Attributes = o.attributes; !cmd.Flags().Changed("attributes") {
		if record.Terms.Attributes, err = l.LastAttributes(ctx, record.Host, record.Place); err != nil {
			return place.LedgerTrouble(path, err)
		}
	}
	record.Terms.Quick = o.quick
	progress := &source.Progress{}
	options := recording.Options{Recheck: o.recheck, MoveLabel: o.moveLabel, After: config.LastTurn()}
	if options.Limit, err = o.limit(); err != nil {
		return err
	}
	checksum := o.checksum.String()
	if o.checksum.Alone() {
		checksum = entry.Algorithms[0].Name
	}
	if checksum != "" || o.recheck {
		if record.Algorithm = checksum; checksum == "" {
			if record.Algorithm, err = l.LastAlgorithm(ctx, record.Host, record.Place); err != nil {
				return place.LedgerTrouble(path, err)
			}
			if record.Algorithm == "" {
				return usage.MisuseOf("recheck", "--recheck: no record of this place has digests yet; --checksum sha256 adds them")
			}
		}
		algorithm, err := entry.LookupAlgorithm(record.Algorithm)
		if err != nil {
			return usage.MisuseOf("checksum", "--checksum: %w", err)
		}
		record.Algorithm, options.Fact, options.Pool = algorithm.Name, algorithm.Fact, digest.NewPool(live.Files{}, progress)
	}
	session.SpareMemory()
	unexplained := false
	err = p.answer(r, summary, func(w output.Destination) error {
		record.Taken = time.Now()
		snapshot, err := ask(p, r, func(request source.Request) (*recording.Snapshot, error) {
			snapshot, report, err := recording.Take(ctx, l, p.set(r, sources), request, record)
			summary.Report.Add(report)
			return snapshot, err
		})
		switch {
		case snapshot == nil:
			return place.LedgerTrouble(path, err)
		case err != nil:
			return err
		}
		done := p.progress(r, progress)
		defer done()
		defer p.Writing("recording " + typeset.Escaped(spot.Given))()
		written, changes, err := recording.Write(ctx, l, record, snapshot, summary.Report, options)
		if err != nil {
			return p.labelTaken(o.label, path, err)
		}
		config.KeepTurn(written.Turn)
		done()
		p.tellNamesake(l, record.Host)
		if options.Pool != nil {
			p.addProblems(summary, options.Pool.Problems())
		}
		if err := p.changesOf(ctx, r, l, written, &changes); err != nil {
			return place.LedgerTrouble(path, err)
		}
		unexplained = len(changes.Unexplained) > 0
		for _, rel := range changes.Unexplained {
			p.Say("frank: the content of %s changed, although its size and times did not", typeset.Escaped(filepath.Join(spot.Given, rel)))
		}
		_, err = w.Write(r.view.Written(nil, written, changes, path, options.Pool, summary))
		return err
	})
	var f *usage.Failure
	if o.send != "" && (err == nil || errors.As(err, &f) && f.Status == usage.StatusIncomplete) {
		if failed := p.sendRecorded(ctx, o); failed != nil {
			return failed
		}
	}
	return different(unexplained, err)
}

// changesOf compares a record with the one before on the same terms, if the numbers are not known.
func (p *Program) changesOf(ctx context.Context, r *question, l *ledger.Ledger, written ledger.Record, c *recording.Changes) error {
	if c.Before == nil || c.Counted {
		return nil
	}
	var places []source.Source
	for i, record := range []ledger.Record{*c.Before, written} {
		s, err := replay.SourceOf(ctx, l, record, "", usage.RecordMark+strconv.FormatInt(record.Number, 10), i)
		if err != nil {
			return err
		}
		places = append(places, s)
	}
	scopes := scopesOf(r, &report.Summary{}, places...)
	a, err := compare.Compare(ctx, places[0], places[1], digest.NewPool(live.Files{}, nil), compare.Options{Scopes: [2]sides.Scope(scopes), Attributes: attributes(places), Fact: entry.Algorithms[0].Fact})
	if err != nil {
		return err
	}
	count := func(change compare.Change) int64 { return int64(a.Counts[change]) }
	c.Added, c.Removed, c.Moved = count(compare.Added), count(compare.Removed), count(compare.Moved)
	c.Altered, c.Details, c.Unclear = count(compare.Altered), count(compare.Details), count(compare.Unclear)
	c.Counted = true
	return nil
}

// sendRecorded sends what was recorded. It waits for another time where the other ledger cannot
// be reached now.
func (p *Program) sendRecorded(ctx context.Context, o *recordOptions) error {
	l, _, err := p.ledgers.Open(ctx, o.reading.ledger) // to read it as it is at a moment
	if err != nil {
		return err
	}
	defer l.Close()
	sent, err := p.send(ctx, l, o.send, []string{o.label})
	switch {
	case errors.Is(err, ledger.ErrNoServer):
		p.Say("frank: recorded, but not sent: %s", err)
		p.Say("%s", usage.CommandLine([]string{"ledger", "send", usage.RecordMark + o.label, "--to", o.send}))
		return nil
	case err == nil && !o.reading.quiet:
		fmt.Fprintf(p.Output(), "%s sent to %s\n", units.Count(sent.sent, "record", "records"), place.ShownLedger(o.send))
	}
	return err
}
