package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/act"
	"frankledger/core/act/plans"
	"frankledger/core/clear"
	"frankledger/core/digest"
	"frankledger/core/duplicates"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/render/typeset"
)

// clearOptions are the options of act clear beside those of all actions.
type clearOptions struct {
	act               actOptions
	keep, by          flags.Choice
	from              string
	keepIn            []string
	across, noFolders bool
}

// byWords are the words for how spares are cleared, by what they mean.
var byWords = []string{"removing", string(plans.ByLinks), string(plans.ByShared)}

func (p *Program) clearCommand() *cobra.Command {
	var o clearOptions
	cmd := &cobra.Command{
		Use: "clear PLACE… [where CONDITION…]",
		Long: `Finds the same copies as "frank duplicates", and plans to remove the spares: whole folders
first, then files. Each step says what stays. Just before frank removes a spare, it
compares it with what stays, byte by byte. If what stays is gone or has changed, the spare
is left alone.

--by hard-links turns each spare into another name of the file that stays, if both have
the same owner and permissions. --by shared lets both use the same space on disk, if the
file system can; nothing else changes.

A list made by "frank duplicates --spares --as jsonl" can be a place, as @@LIST.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE:              func(cmd *cobra.Command, args []string) error { return p.clear(cmd, &o, args) },
	}
	f := cmd.Flags()
	f.SortFlags = false
	f.StringVar(&o.from, "from", "", "clear only spares in this `PLACE` that another place has too")
	flags.AddChoice(f, &o.keep, "keep", "", keepWords, keepWords[0], "`WHICH` stays: "+strings.Join(keepWords, ", "))
	addKeepIn(cmd, &o.keepIn)
	f.BoolVar(&o.across, "across", false, "only spares of what more than one place has")
	f.BoolVar(&o.noFolders, "files-only", false, "only files, no whole folders")
	flags.AddChoice(f, &o.by, "by", "", byWords, byWords[0], "`HOW` to clear: "+strings.Join(byWords, ", "))
	f.BoolVar(&o.act.plan.ForGood, "for-good", false, "remove for good, without the trash")
	group(cmd, groupDo, "from", "keep", "keep-in", "across", "files-only", "by", "for-good")
	p.addCarrying(cmd, &o.act)
	addDepth(cmd, &o.act.reading.lookingOptions, allWord)
	addLooking(cmd, &o.act.reading.lookingOptions, hiddenWords[0])
	addShowing(cmd, &o.act.reading.showingOptions, actFormats)
	complete(cmd, "keep", oneOf(keepWords))
	complete(cmd, "by", oneOf(byWords))
	examples(cmd,
		example{"act clear cards", "a plan"},
		example{"act clear recordings 'cards/card 12' --from 'cards/card 12'", "clear from the card what recordings has too"},
		example{"act clear . --keep-in recordings where ext is wav", "and keep those in recordings"},
		example{"act clear cards --by hard-links --carry-out --yes", "one file with several names instead"})
	return cmd
}

// clear plans to clear spares, or does.
func (p *Program) clear(cmd *cobra.Command, o *clearOptions, args []string) error {
	if o.by.Index() > 0 {
		o.act.plan.By = plans.By(o.by.String())
	}
	if err := o.act.check(); err != nil {
		return err
	}
	r, err := p.question(cmd, &o.act.reading)
	if err != nil {
		return err
	}
	places, _, chosen := usage.SplitWhere(args)
	if len(places) == 0 && !chosen {
		return usage.Misuse("say where: %s PLACE", cmd.CommandPath())
	}
	sources, summary, err := p.open(cmd.Context(), r, args, place.AsNamed)
	if err != nil {
		return err
	}
	if err := p.nowOnly(sources); err != nil {
		return err
	}
	keepIn, err := keptIn(o.keepIn, sources)
	if err != nil {
		return err
	}
	options := clear.Options{Options: duplicates.Options{KeepIn: keepIn, Algorithm: entry.Algorithms[0], Across: o.across, Keep: duplicates.Keep(o.keep.Index())}}
	if o.noFolders || o.by.Index() > 0 {
		options.Folders = duplicates.NoFolders
	}
	if o.from != "" {
		if sources, err = fromLast(sources, o.from, cmd.CommandPath()); err != nil {
			return err
		}
		options.From = sources[len(sources)-1].Place()
	}
	planner, err := planner(plans.Clear, &o.act)
	if err != nil {
		return err
	}
	session.SpareMemory()
	planned, err := ask(p, r, func(request source.Request) (*act.Planned, error) {
		if slices.ContainsFunc(sources, func(s source.Source) bool { return s.Place().List }) {
			return act.PlanRequest(cmd.Context(), planner, p.set(r, sources), act.Request{Request: request, Context: r.view.Context, Below: chosen, Through: o.act.through})
		}
		return clear.Run(cmd.Context(), p.set(r, sources), request, digest.NewPool(live.Files{}, request.Progress), options, planner)
	})
	summary.Report.Add(planned.Report)
	summary.Report.SortProblems()
	if err != nil {
		return err
	}
	tellPeople(planned.Plan, r)
	return p.carryOutOrShow(cmd.Context(), r, &o.act, planned.Plan, summary)
}

// fromLast puts the place that spares are to be cleared from behind all others.
func fromLast(sources []source.Source, from, command string) ([]source.Source, error) {
	place := placeNamed(sources, from)
	switch {
	case place == nil:
		return nil, usage.MisuseOf("from", "--from: %s is not among the places", typeset.Escaped(from))
	case len(sources) < 2:
		return nil, usage.MisuseOf("from", "--from needs two or more places: %s A B --from B", command)
	}
	last := slices.IndexFunc(sources, func(s source.Source) bool { return s.Place() == place })
	sources = append(slices.Delete(slices.Clone(sources), last, last+1), sources[last])
	for i, s := range sources {
		s.Place().Index = i
	}
	return sources, nil
}
