package cli

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/core/condition"
	"frankledger/core/text"
	"frankledger/render/typeset"
)

func (p *Program) recallCommand() *cobra.Command {
	var o searchOptions
	var forget bool
	cmd := &cobra.Command{
		Use: "recall [NAME] [where CONDITION…]",
		Long: `Runs a search again that you saved with frank search … --remember NAME. It looks in the
same places, from any folder. Options that you give here override the saved ones, and a
condition after where narrows the search further. Without a NAME, lists the saved searches
and the file that keeps them.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeSearches,
		RunE: func(cmd *cobra.Command, args []string) error {
			names, words, narrowed := usage.SplitWhere(args)
			if len(names) > 1 || len(names) == 0 && narrowed {
				return p.notOneSearch(args)
			}
			path, err := config.SearchesFile()
			if err != nil {
				return usage.Misuse("%w", err)
			}
			searches, err := config.Searches(path)
			if err != nil {
				return err
			}
			if len(names) == 0 {
				if forget {
					return usage.MisuseOf("forget", "--forget needs the NAME of a search")
				}
				return p.listSearches(path, searches)
			}
			search, known := searches[names[0]]
			switch {
			case !known:
				near := text.Nearest(names[0], slices.Sorted(maps.Keys(searches)))
				if near == "" {
					return usage.Misuse("there is no saved search %q; frank recall lists them", names[0])
				}
				return usage.Repaired(usage.Misuse("there is no saved search %q; did you mean %s?", names[0], near), p.args.Instead(names[0], near))
			case forget:
				return p.forget(path, names[0])
			}
			if narrowed {
				c, err := condition.Parse(words)
				if err != nil {
					return p.conditionMistake(err)
				}
				search.Where = "(" + search.Where + ") and (" + c.String() + ")"
			}
			return p.rerun(cmd, &o, search)
		},
	}
	addSearch(cmd, &o)
	cmd.Flags().BoolVar(&forget, "forget", false, "forget the search")
	group(cmd, groupOut, "forget")
	examples(cmd, example{"recall", "the saved searches"})
	return cmd
}

// notOneSearch says that a search has one name, and that what narrows it stands after
// where.
func (p *Program) notOneSearch(args []string) error {
	err := usage.Misuse("name one search; to narrow it, write a condition after where")
	if len(args) > 1 && args[1] != usage.Where {
		if _, wrong := condition.Parse(args[1:]); wrong == nil {
			return usage.Repaired(err, p.args.Instead(args[1], usage.Where, args[1]))
		}
	}
	return err
}

// forget takes a search out of the file.
func (p *Program) forget(path, name string) error {
	err := config.ChangeSearches(path, func(searches map[string]config.Search) error {
		delete(searches, name)
		return nil
	})
	if err == nil {
		_, err = fmt.Fprintf(p.Output(), "%s is forgotten\n", typeset.Escaped(name))
	}
	return err
}

// rerun runs a search with its own options, unless others were given now.
func (p *Program) rerun(cmd *cobra.Command, o *searchOptions, search config.Search) error {
	given := map[string]bool{}
	cmd.Flags().Visit(func(f *pflag.Flag) { given[f.Name] = true })
	for _, option := range search.Options {
		name, value, _ := strings.Cut(strings.TrimPrefix(option, "--"), "=")
		if given[name] {
			continue
		}
		if err := cmd.Flags().Set(name, value); err != nil {
			file, _ := config.SearchesFile() // it was read just now
			return fmt.Errorf("%s, option %s: %w", file, option, err)
		}
	}
	return p.search(cmd, o, slices.Concat(search.Places, []string{usage.Where, search.Where}))
}

func (p *Program) listSearches(path string, searches map[string]config.Search) error {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n\n", typeset.Escaped(path))
	for _, name := range slices.Sorted(maps.Keys(searches)) {
		s := searches[name]
		var places []string
		for _, place := range s.Places {
			places = append(places, typeset.Escaped(place))
		}
		fmt.Fprintf(&b, "  %s\n      %s where %s\n", typeset.Escaped(name), strings.Join(places, " "), typeset.Escaped(s.Where))
		if len(s.Options) > 0 {
			fmt.Fprintf(&b, "      %s\n", typeset.Escaped(strings.Join(s.Options, " ")))
		}
	}
	if len(searches) == 0 {
		b.WriteString("   no searches are saved; frank search … --remember NAME saves one\n")
	}
	_, err := p.Output().Write([]byte(b.String()))
	return err
}

func completeSearches(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	file, err := config.SearchesFile()
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	searches, err := config.Searches(file)
	if err != nil || len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return slices.Sorted(maps.Keys(searches)), cobra.ShellCompDirectiveNoFileComp
}
