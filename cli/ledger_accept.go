package cli

import (
	"context"
	"fmt"
	"math"
	"path"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/ledger"
	"frankledger/core/ledger/upkeep"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// ledgerAcceptCommand makes the command that forgets mismatches.
func (p *Program) ledgerAcceptCommand() *cobra.Command {
	cmd := p.housekeeping("accept @LABEL[/PATH]…", "accept content that changed although size and times did not", `"frank record --recheck" may find a file whose content changed although its size and times
did not. The ledger remembers that, and every answer about its records says so. When you
have restored the file, or know why it changed, accept it: the ledger forgets it, for the
whole place of the label, or only for a path in it.`, true, cobra.ArbitraryArgs,
		func(ctx context.Context, l *ledger.Ledger, file string, args []string) error {
			if len(args) == 0 {
				return usage.Misuse("name what to accept, such as: frank ledger accept @weekly")
			}
			return p.changing("accepting", func() error {
				for _, given := range args {
					ref, err := ledger.ParseReference(strings.TrimPrefix(given, usage.RecordMark), time.Now(), p.Zone())
					var r ledger.Record
					if err == nil {
						r, err = l.Find(ctx, ref)
					}
					if err != nil {
						return usage.Misuse("%s: %w", typeset.Escaped(given), err)
					}
					accepted, err := upkeep.Accept(ctx, l, r, ref.Path)
					if err != nil {
						return place.LedgerTrouble(file, err)
					}
					for _, m := range accepted {
						fmt.Fprintf(p.Output(), "accepted: %s, changed before %s\n", typeset.Escaped(path.Join(r.Place, m.Path)), m.Found.Format(time.DateTime))
					}
					if len(accepted) == 0 {
						fmt.Fprintln(p.Output(), "there was nothing to accept of "+typeset.Escaped(given))
					}
				}
				return nil
			})
		})
	examples(cmd, example{"ledger accept @cards", "everything that was found there"})
	return cmd
}

// watchedPath are notes about a full path, of all places of a host that it lies in.
func watchedPath(ctx context.Context, l *ledger.Ledger, host, full string) (notes []string, err error) {
	records, err := l.Records(ctx)
	met := map[string]bool{}
	for _, r := range ledger.NewestFirst(records) {
		below, in := strings.CutPrefix(full, strings.TrimSuffix(r.Place, "/"))
		if r.Host != host || met[r.Place] || !in || below != "" && below[0] != '/' {
			continue
		}
		met[r.Place] = true
		found, err := place.Watched(ctx, l, *r, strings.TrimPrefix(below, "/"))
		if err != nil {
			return nil, err
		}
		notes = append(notes, found...)
	}
	return notes, err
}

// watchedAll adds notes about all places that have records.
func (p *Program) watchedAll(ctx context.Context, l *ledger.Ledger, records []ledger.Record, notes []string) ([]string, error) {
	met := map[[2]string]bool{}
	for _, r := range ledger.NewestFirst(records) {
		if spot := [2]string{r.Host, r.Place}; !met[spot] {
			met[spot] = true
			found, err := place.Watched(ctx, l, *r, "")
			if err != nil {
				return notes, err
			}
			notes = append(notes, found...)
			text, err := coverage(ctx, l, *r, time.Now())
			if err != nil {
				return notes, err
			}
			if text != "" {
				notes = append(notes, text)
			}
		}
	}
	return notes, nil
}

// coverage says how much of the content of a place was read again; "" if nothing was.
func coverage(ctx context.Context, l *ledger.Ledger, r ledger.Record, now time.Time) (string, error) {
	c, known, err := upkeep.CoverageOf(ctx, l, r)
	if err != nil || !known {
		return "", err
	}
	days := int64(math.Ceil(now.Sub(c.Since).Hours() / 24))
	within := " within " + units.Count(max(days, 1), "day", "days")
	if c.Share == 1 {
		return "@" + r.Label + ": all files were read again" + within, nil
	}
	return "@" + r.Label + ": " + strconv.FormatFloat(100*c.Share, 'f', 0, 64) + " % of the files were read again" + within, nil
}
