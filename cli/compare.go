package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"frankledger/core/compare"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
)

func (p *Program) compareCommand() *cobra.Command {
	var o readingOptions
	var content bool
	var algorithm string
	cmd := &cobra.Command{
		Use:   "compare A B [where CONDITION…]",
		Short: "what was added, removed, moved, altered between two folders",
		Long: `Tells how folder B differs from folder A, by the ways below them:

  added     only in B
  removed   only in A
  altered   another content, another kind, or a link that points elsewhere
  moved     the same content, under another path
  details   the same content, but other permissions, owner, group or time

Files of the same size and time are taken for the same; where only the times
differ their content is read, and with --content always. The times of folders
and links are not compared. The status is 0 if nothing differs, and 1 if
anything does.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			return p.compare(cmd, &o, content, algorithm, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	o.hidden, o.depth = hiddenWords[0], allWord
	f.BoolVar(&content, "content", false, "read the content of all files, whatever size and time say")
	f.StringVar(&algorithm, "algorithm", entry.Algorithms[0].Name, "the `ALGORITHM` to compare content by: "+strings.Join(entry.AlgorithmNames(), ", "))
	group(cmd, groupWhat, "content", "algorithm")
	addLooking(cmd, &o)
	addShowing(cmd, &o, render.FormatNames())
	complete(cmd, "algorithm", oneOf(entry.AlgorithmNames()))
	examples(cmd,
		example{"compare 'cards/card 07' 'cards/card 12'", "what differs between two folders"},
		example{"compare 'cards/card 07' 'cards/card 07 (copy)' --content", "is the copy good, byte for byte?"},
		example{"compare 'cards/card 07' 'cards/card 12' where size over 100kB", "only some of the files"},
	)
	return cmd
}

// compare answers with what differs.
func (p *Program) compare(cmd *cobra.Command, o *readingOptions, content bool, algorithm string, args []string) error {
	if places, _, _ := splitWhere(args); len(places) != 2 {
		return misuse("name two folders: %s A B", cmd.CommandPath())
	}
	by, err := entry.LookupAlgorithm(algorithm)
	if err != nil {
		return misuse("--algorithm: %w", err)
	}
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
	if len(sources) != 2 {
		return misuse("%s: %s", render.Escaped(summary.Report.Problems[0].Path), summary.Report.Problems[0].Reason())
	}
	spareMemory()
	ctx := cmd.Context()
	found := false
	err = p.answer(r, summary, func(w output.Destination) error {
		progress := &source.Progress{}
		done := p.progress(r, progress)
		defer done()
		pool := digest.NewPool(live.Files{}, progress)
		request := r.request
		request.Progress = progress
		a, err := compare.Compare(ctx, sources[0], sources[1], pool, compare.Options{Request: request, Content: content, Fact: by.Fact})
		if err != nil {
			return err
		}
		done()
		found = len(a.Results) > 0
		summary.Report, summary.Grouped, summary.Content = a.Report, true, content
		summary.Report.SortProblems()
		r.view.CompareSummary(summary, a, pool.Read())
		if r.view.Columns = compare.Columns(strings.HasPrefix(r.format, "json"), r.view.Context); render.ForPeople(r.format) {
			r.view.Columns = r.view.CompareColumns()
		}
		return render.All(w, render.New(r.format, r.view), rowList(a.Entries()), summary)
	})
	return different(found, err)
}
