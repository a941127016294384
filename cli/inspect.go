package cli

import (
	"slices"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/inspect"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/cards"
)

func (p *Program) inspectCommand() *cobra.Command {
	var o showingOptions
	var file string
	var extra inspect.Options
	var preview flags.Parsed[int]
	cmd := &cobra.Command{
		Use: "inspect PATH…",
		Long: `Shows everything about a file, a folder or any other entry: what it is, how large it is,
its four times, who may do what with it, what you may do, where it is, its other names,
and where a link leads, step by step.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			if places, _, _ := usage.SplitWhere(args); len(places) == 0 {
				return usage.Misuse("name something to inspect: %s PATH", cmd.CommandPath())
			}
			if !slices.Contains(render.Names(o.forms), o.format) {
				return usage.MisuseOf("as", "--as: a card can be a table or json, not %s", o.format)
			}
			extra.Preview = preview.Value
			return p.inspect(cmd, &o, file, extra, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	f.StringVar(&extra.Siblings, "siblings", "", "look in this `PLACE` for other names of the same file")
	flags.AddNumber(f, &preview, "preview", "", "0", "show the first `NUMBER` of lines, if it is text")
	group(cmd, groupWhat, "siblings", "preview")
	addLedger(cmd, &file, "the `FILE` with the records, for places like @weekly")
	group(cmd, groupWhere, "ledger")
	addShowing(cmd, &o, []*render.Form{render.Table, render.JSON})
	examples(cmd,
		example{"inspect 'read me first.txt' --preview 5", "a file, with its first lines"},
		example{"inspect recordings", "a folder, with totals of everything in it"},
		example{"inspect counts/latest.csv", "a link, and where it leads"},
		example{"inspect 'recordings/best call.wav' --siblings .", "a file with several names"},
		example{"inspect @weekly/notes/rota.md", "a file as it was recorded"},
	)
	return cmd
}

// inspect shows the cards of what was named.
func (p *Program) inspect(cmd *cobra.Command, o *showingOptions, ledger string, extra inspect.Options, args []string) error {
	r, err := p.ofRecords(cmd, o, ledger, nil)
	if err != nil {
		return err
	}
	r.request.Depth = source.AllDepths
	r.show(mostFields())
	sources, summary, err := p.open(cmd.Context(), r, args, place.WhatIsIn)
	if err != nil {
		return err
	}
	if extra.Siblings != "" || extra.Preview > 0 {
		if err := p.nowOnly(sources); err != nil {
			return err
		}
	}
	if extra.Siblings != "" {
		if _, err := live.Open(extra.Siblings, 0); err != nil {
			return usage.MisuseOf("siblings", "--siblings: %w", err)
		}
	}
	r.quiet = true // the cards are all there is to say
	return p.answer(r, summary, func(w output.Destination) error {
		for _, note := range r.notes {
			p.Say("frank: %s", note)
		}
		all, read, err := inspect.Run(cmd.Context(), p.set(r, sources), r.request, extra)
		summary.Report.Add(read)
		if err != nil {
			return err
		}
		text := cards.Text(r.view, nil, all)
		if r.form == render.JSON {
			text = cards.JSON(r.view, nil, all, r.fields, &summary.Report)
		}
		_, err = w.Write(text)
		return err
	})
}
