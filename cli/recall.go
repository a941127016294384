package cli

import (
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"frankledger/config"
	"frankledger/core/similar"
	"frankledger/render"
)

func (p *Program) recallCommand() *cobra.Command {
	var o searchOptions
	var forget bool
	cmd := &cobra.Command{
		Use:   "recall [NAME]",
		Short: "run a remembered search again; without a name, list them",
		Long: `Runs again a search saved with frank search … --remember NAME, from any folder, on the
places it was made for. Options given here override those it was saved with. Without a
NAME, lists the saved searches and the file they are in.`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: completeSearches,
		RunE: func(cmd *cobra.Command, args []string) error {
			path, err := config.SearchesFile()
			if err != nil {
				return misuse("%w", err)
			}
			searches, err := config.Searches(path)
			if err != nil {
				return err
			}
			if len(args) == 0 {
				if forget {
					return misuse("--forget needs the NAME of a search")
				}
				return p.listSearches(path, searches)
			}
			search, known := searches[args[0]]
			if !known {
				names := slices.Sorted(maps.Keys(searches))
				if near := similar.Nearest(args[0], names); near != "" {
					return misuse("no search is remembered as %q; did you mean %s?", args[0], near)
				}
				return misuse("no search is remembered as %q; frank recall lists them", args[0])
			}
			if forget {
				delete(searches, args[0])
				return config.SaveSearches(path, searches)
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
	return p.search(cmd, o, slices.Concat(search.Places, []string{whereWord, search.Where}))
}

// remember keeps a search.
func remember(cmd *cobra.Command, name string, places []string, where string) error {
	if strings.HasPrefix(name, "-") || name == "" {
		return misuse("--remember: %q cannot be a name", name)
	}
	path, err := config.SearchesFile()
	if err != nil {
		return misuse("--remember: %w", err)
	}
	searches, err := config.Searches(path)
	if err != nil {
		return err
	}
	if len(places) == 0 {
		places = []string{"."}
	}
	search := config.Search{Where: where}
	for _, place := range places {
		mark := ""
		if list, is := strings.CutPrefix(place, listMark); is {
			mark, place = listMark, list
		}
		full, err := filepath.Abs(place)
		if err != nil {
			return err
		}
		search.Places = append(search.Places, mark+full)
	}
	cmd.Flags().Visit(func(f *pflag.Flag) {
		switch values, isList := f.Value.(pflag.SliceValue); {
		case slices.Contains([]string{"remember", "to", "replace", "save-list"}, f.Name):
		case isList:
			for _, value := range values.GetSlice() {
				search.Options = append(search.Options, "--"+f.Name+"="+value)
			}
		default:
			search.Options = append(search.Options, "--"+f.Name+"="+f.Value.String())
		}
	})
	searches[name] = search
	return config.SaveSearches(path, searches)
}

func (p *Program) listSearches(path string, searches map[string]config.Search) error {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n\n", render.Escaped(path))
	for _, name := range slices.Sorted(maps.Keys(searches)) {
		s := searches[name]
		var places []string
		for _, place := range s.Places {
			places = append(places, render.Escaped(place))
		}
		fmt.Fprintf(&b, "  %s\n      %s where %s\n", render.Escaped(name), strings.Join(places, " "), render.Escaped(s.Where))
		if len(s.Options) > 0 {
			fmt.Fprintf(&b, "      %s\n", render.Escaped(strings.Join(s.Options, " ")))
		}
	}
	if len(searches) == 0 {
		b.WriteString("  no searches are remembered; frank search … --remember NAME keeps one\n")
	}
	_, err := p.out().Write([]byte(b.String()))
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
