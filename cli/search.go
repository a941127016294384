package cli

import (
	"github.com/spf13/cobra"

	"frankledger/render"
)

// searchOptions are the options of search beside those that all commands share.
type searchOptions struct {
	reading        readingOptions
	funnel, count  bool
	saveList, name string
}

func (p *Program) searchCommand() *cobra.Command {
	var o searchOptions
	cmd := &cobra.Command{
		Use:   "search [PLACE…] where CONDITION…",
		Short: "find every entry that meets a condition, at any depth",
		Long: `Looks through folders and everything below them, hidden entries too, and lists what
meets the condition: one match per line, with its path from the place.

A condition is a sentence of plain words, which no shell changes: a field, what is
asked of it, and a value. Tests are joined with and, or and not; ( and ) group, each
as a word of its own, and in quotes in most shells. A value with spaces goes in
quotes. The whole condition can also be one word in quotes.

  text      name is, has, starts, ends, like (* ? [a-z]), matches (RE2)
  lists     ext is wav,flac      kind is file,link      owner is me,root
  sizes     size over 10MB, under 1GiB, at least, at most, between 1kB and 2kB
  times     modified within 7 days, before 2026-11-01, after yesterday,
            on today, between 2026-11-01 and 3 days ago
  age       age over 90 days
  modes     mode is 0640, has ug+w (all), any o+rwx (one), lacks o+r (none)
  words     empty hidden broken executable mislabelled … as "frank fields" lists

Upper and lower case are the same unless --match-case is given. Words that look like
options go after -- : frank search -- where name starts --`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			return p.search(cmd, &o, args)
		},
	}
	addSearch(cmd, &o)
	examples(cmd,
		example{"search where name has dawn", "part of a name, at any depth"},
		example{"search where name has dawn and name has ridge and modified within 7 days and size over 1MB", "one more condition at a time, until the count is right"},
		example{"search where ext is wav and size over 10MB --columns name,size,modified --order size", "with details, biggest first"},
		example{"search where empty or broken or mislabelled", "what may need attention"},
		example{"search where 'kind is file and (size over 20MB or age over 1 year)'", "as one word, with parentheses"},
		example{"search recordings where name has ridge and name has dawn and size over 1MB --funnel --count", "how many entries each condition let through"},
		example{"search . where owner is unknown --save-list strangers.txt", "save the list"},
		example{"list @@strangers.txt", "and look at it later"},
		example{"search recordings where ext is wav and modified within 3 days --remember fresh", "save the search itself; frank recall fresh runs it again"},
	)
	return cmd
}

// addSearch gives a command the options of search.
func addSearch(cmd *cobra.Command, o *searchOptions) {
	f := cmd.Flags()
	f.SortFlags = false
	f.BoolVar(&o.count, "count", false, "show only the number of matches")
	f.BoolVar(&o.funnel, "funnel", false, "also show how many entries each condition let through, in the order written")
	group(cmd, groupWhat, "count", "funnel")
	addReading(cmd, &o.reading, "show", allWord)
	f.StringVar(&o.saveList, "save-list", "", "save the full paths of the matches in this `FILE`; @@FILE is then a place")
	f.StringVar(&o.name, "remember", "", "save the search under this `NAME`, for frank recall")
	group(cmd, groupOut, "save-list", "remember")
}

// search answers with the entries that meet the condition.
func (p *Program) search(cmd *cobra.Command, o *searchOptions, args []string) error {
	if _, words, _ := splitWhere(args); len(words) == 0 {
		return misuse("say what to look for: %s where name has dawn", cmd.CommandPath())
	}
	var form *render.Form
	if o.saveList != "" {
		form = render.Kept
		for _, name := range []string{"as", "to", "count"} {
			if cmd.Flags().Changed(name) {
				return misuse("--save-list and --%s contradict each other: the list is of paths, and goes to its file", name)
			}
		}
		o.reading.to = o.saveList
	}
	if o.count {
		form = render.Counted
		for _, name := range []string{"as", "columns", "order", "first"} {
			if cmd.Flags().Changed(name) {
				return misuse("--count and --%s contradict each other: --count shows only a number", name)
			}
		}
		o.reading.order = "none"
	}
	if o.reading.columns == "" && o.reading.format == render.Table.Name {
		o.reading.columns = "name"
	}
	r, err := p.reading(cmd, &o.reading)
	if err != nil {
		return err
	}
	if form != nil {
		r.form = form
	}
	r.funnel = o.funnel
	places, err := p.where(r, args)
	if err != nil {
		return err
	}
	if o.name != "" {
		if err := remember(cmd, o.name, places, r.condition.String()); err != nil {
			return err
		}
	}
	return p.list(cmd.Context(), r, places, false)
}
