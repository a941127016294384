package cli

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/replay"
	"frankledger/core/live"
	"frankledger/core/sides"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/charts"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

func (p *Program) historyCommand() *cobra.Command {
	var o showingOptions
	var file string
	var hosts flags.Parsed[[]string]
	forms := render.WithPicture(render.WithColumns())
	cmd := &cobra.Command{
		Use: "history PATH",
		Long: `Shows what the records say about one path: which records have it, in what state, and from
when to when. The path need not exist any more. Reading a file does not count as a change.
To say which place you mean, write a PATH in a record, such as @cards/notes.`,
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if places, _, has := usage.SplitWhere(args); has && len(places) == 1 {
				return usage.Repaired(usage.Misuse("a history shows one path, and everything known about it: leave out the condition"), []string{"history", places[0]})
			} else if len(args) == 1 && strings.HasPrefix(args[0], usage.ListMark) {
				return usage.Repaired(usage.Misuse("a history shows one path, and %s is a list", typeset.Escaped(args[0])), []string{"list", args[0]})
			}
			if len(args) != 1 {
				return usage.Repaired(usage.Misuse("name one path, such as: %s notes/rota.md", cmd.CommandPath()), p.args.WithOnly(args)...)
			}
			r, err := p.ofRecords(cmd, &o, file, &hosts)
			if err != nil {
				return err
			}
			if r.hosts.Several() {
				return usage.Misuse("a history shows one machine: --host NAME")
			}
			return p.history(cmd.Context(), r, args[0])
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	addLedger(cmd, &file, "the `FILE` with the records")
	group(cmd, groupWhere, "ledger")
	addHost(cmd, &hosts)
	addShowing(cmd, &o, forms)
	examples(cmd,
		example{"history notes/rota.md", "what happened to it?"},
		example{"history recordings --to recordings.svg", "how large a folder was at each record, as a picture"},
		example{"history @weekly/notes/rota.md --as json", "even if the place is gone; for a script"},
	)
	return cmd
}

// history answers with the states of a path.
func (p *Program) history(ctx context.Context, r *question, path string) error {
	l, err := p.ledgers.ToRead(ctx, r.ledger, r.hosts)
	if err != nil {
		return err
	}
	host, full, err := p.whose(ctx, r, l, path)
	if err != nil {
		return err
	}
	spans, err := replay.History(ctx, l, host, full, meeting(r))
	if resolved := filepath.Join(live.Resolved(filepath.Dir(full)), filepath.Base(full)); err == nil && len(spans) == 0 && resolved != full {
		full = resolved // the way there goes by a link
		spans, err = replay.History(ctx, l, host, full, meeting(r))
	}
	if err != nil {
		return place.LedgerTrouble(p.ledgers.Path, err)
	}
	r.view.Add(&entry.Place{Given: path, Full: full})
	if r.form == render.SVG {
		return p.drawHistory(ctx, r, l, host, full)
	}
	summary := &report.Summary{Grouped: true, Lead: units.Count(int64(len(spans)), "state", "states")}
	if len(spans) == 0 {
		summary.Lead = "no record has that path"
	}
	if summary.Notes, err = watchedPath(ctx, l, host, full); err != nil {
		return place.LedgerTrouble(p.ledgers.Path, err)
	}
	if slices.ContainsFunc(spans, func(s replay.Span) bool { return r.view.IsAhead(s.Last.Taken) }) {
		summary.Notes = append(summary.Notes, r.aheadOfTime())
	}
	return write(p, r, summary, replay.SpanColumns(spans, r.view.Context), replay.Rows(spans))
}

// meeting returns what tells whether a record that was made with a condition would have an entry.
func meeting(r *question) func(ledger.Record, *entry.Entry) bool {
	tests := map[int64]func(*entry.Entry) sides.Standing{}
	return func(record ledger.Record, e *entry.Entry) bool {
		if tests[record.Number] == nil {
			c, lasting := recordedCondition(r, record.Terms, record)
			tests[record.Number] = sides.Scope{Condition: c, Lasting: lasting}.Test()
		}
		return tests[record.Number](e) == sides.Missing
	}
}

// drawHistory draws how large something was at each record.
func (p *Program) drawHistory(ctx context.Context, r *question, l *ledger.Ledger, host, full string) error {
	sizes, err := replay.SizesOf(ctx, l, host, full)
	if err != nil {
		return place.LedgerTrouble(p.ledgers.Path, err)
	}
	if len(sizes) == 0 {
		return usage.Misuse("no record has %s, so there is nothing to draw", typeset.Escaped(full))
	}
	return p.answer(r, &report.Summary{}, func(w output.Destination) error {
		_, err := w.Write(charts.HistoryPicture(r.view, sizes).Document())
		return err
	})
}

// whose returns the host and the full path that a history is asked of.
func (p *Program) whose(ctx context.Context, r *question, l *ledger.Ledger, path string) (host, full string, err error) {
	words, recorded := strings.CutPrefix(path, usage.RecordMark)
	if !recorded {
		if full, err = filepath.Abs(path); err != nil {
			return "", "", err
		}
		if r.hosts.Given {
			return r.hosts.Names[0], full, nil
		}
		host, err = os.Hostname()
		return host, full, err
	}
	ref, err := ledger.ParseReference(words, r.view.Context.AsOf, r.view.Zone)
	if err != nil {
		return "", "", usage.Misuse("%s: %w", typeset.Escaped(path), err)
	}
	found, err := l.Find(ctx, ref)
	if err != nil {
		return "", "", usage.Misuse("%s: %w", typeset.Escaped(path), err)
	}
	l.Only(found.Host)
	return found.Host, filepath.Join(found.Place, ref.Path), nil
}
