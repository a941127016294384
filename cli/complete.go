package cli

import (
	"cmp"
	"context"
	"embed"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/account"
	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/ledger"
)

type completion = func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective)

// complete tells the shell what can follow an option.
func complete(cmd *cobra.Command, option string, c completion) {
	if err := cmd.RegisterFlagCompletionFunc(option, c); err != nil {
		panic(err) // the option is not there: a slip in the program
	}
}

// oneOf completes one of the words.
func oneOf(words []string) completion {
	return func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		return words, cobra.ShellCompDirectiveNoFileComp
	}
}

// listOf completes the last of several words separated by commas, by those
// that are not there yet.
func listOf(words []string) completion {
	return func(_ *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		before := typed[:strings.LastIndexByte(typed, ',')+1]
		var all []string
		for _, word := range words {
			if !strings.Contains(","+before, ","+word+",") {
				all = append(all, before+word)
			}
		}
		return all, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	}
}

// completeWhere completes places before the word where, and after it the words
// that a condition can go on with.
func completeWhere(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	places, words, has := usage.SplitWhere(args)
	switch {
	case !has && strings.HasPrefix(typed, usage.ListMark):
		return listPlaces(typed)
	case !has && strings.HasPrefix(typed, usage.RecordMark) && !strings.HasPrefix(typed, usage.ListMark):
		return recordPlaces(cmd), cobra.ShellCompDirectiveNoFileComp
	case !has && len(args) > 0 || !has && typed != "" && strings.HasPrefix(usage.Where, typed):
		return []string{usage.Where}, cobra.ShellCompDirectiveDefault
	case !has:
		return nil, cobra.ShellCompDirectiveDefault
	}
	next := condition.Next(words, typed)
	if len(words) > 1 && strings.EqualFold(words[len(words)-1], string(condition.Is)) {
		if field := entry.FieldSaid(words[len(words)-2]); field != nil {
			next = append(next, valuesHere(field, places)...)
		}
	}
	return next, cobra.ShellCompDirectiveNoFileComp
}

// valuesHere are values that a field has on this system, where they are few.
func valuesHere(f *entry.Field, places []string) []string {
	accounts := account.New()
	switch {
	case f.Roster == entry.Users:
		return accounts.UserNames()
	case f.Roster == entry.Groups:
		return accounts.GroupNames()
	case f.Name != "ext":
		return nil
	}
	place := "."
	if len(places) > 0 {
		place = places[0]
	}
	folder, err := os.OpenFile(place, os.O_RDONLY|syscall.O_DIRECTORY|syscall.O_NONBLOCK, 0) // a pipe would wait
	if err != nil {
		return nil
	}
	defer folder.Close()
	names, _ := folder.Readdirnames(manyNames)
	var found []string
	for _, name := range names {
		if _, ext := entry.SplitName(name); ext != "" {
			found = append(found, strings.ToLower(ext))
		}
	}
	slices.Sort(found)
	return slices.Compact(found)
}

// manyNames is how many names are looked at to complete a word.
const manyNames = 2000

// listPlaces are the lists in the folder that was typed, as places, and the folders in it. Where there are none that
// look like lists, they are all files.
func listPlaces(typed string) (places []string, directive cobra.ShellCompDirective) {
	directive = cobra.ShellCompDirectiveNoFileComp
	prefix, _ := filepath.Split(strings.TrimPrefix(typed, usage.ListMark))
	folder, err := os.OpenFile(cmp.Or(prefix, "."), os.O_RDONLY|syscall.O_DIRECTORY|syscall.O_NONBLOCK, 0)
	if err != nil {
		return nil, directive
	}
	defer folder.Close()
	found, _ := folder.ReadDir(manyNames)
	var lists, files, folders []string
	for _, e := range found {
		place := usage.ListMark + prefix + e.Name()
		switch {
		case !strings.HasPrefix(place, typed):
		case e.IsDir():
			folders = append(folders, place+"/")
		case e.Type().IsRegular():
			if files = append(files, place); startsLikeList(prefix + e.Name()) {
				lists = append(lists, place)
			}
		}
	}
	if lists == nil {
		lists = files
	}
	if len(folders) > 0 {
		directive |= cobra.ShellCompDirectiveNoSpace
	}
	return append(lists, folders...), directive
}

// startsLikeList reports whether a file starts as a list does that was kept: with a full path.
func startsLikeList(path string) bool {
	file, err := os.OpenFile(path, os.O_RDONLY|syscall.O_NONBLOCK, 0)
	if err != nil {
		return false
	}
	defer file.Close()
	var first [2]byte
	n, _ := file.Read(first[:])
	return n == len(first) && first[0] == '/' && first[1] != '/'
}

// recordPlaces are the records that there are, as places.
func recordPlaces(cmd *cobra.Command) (places []string) {
	for _, label := range recordLabels(cmd) {
		places = append(places, usage.RecordMark+label)
	}
	return places
}

// recordLabels are the labels of the records that there are.
func recordLabels(cmd *cobra.Command) (labels []string) {
	for _, r := range recordsThere(cmd) {
		labels = append(labels, r.Label)
	}
	slices.Sort(labels)
	return slices.Compact(labels)
}

// recordsThere are the records of this machine in the ledger; none if it cannot be read now.
func recordsThere(cmd *cobra.Command) (records []ledger.Record) {
	inLedger(cmd, func(ctx context.Context, l *ledger.Ledger, name string) {
		if ledger.Shared(name) {
			l.Only(place.ThisHost())
		}
		records, _ = l.Records(ctx)
	})
	return records
}

// completeHosts completes the names of machines that have records.
func completeHosts(cmd *cobra.Command, args []string, typed string) (names []string, _ cobra.ShellCompDirective) {
	inLedger(cmd, func(ctx context.Context, l *ledger.Ledger, _ string) {
		records, _ := l.Newest(ctx, nil)
		for _, r := range records {
			names = append(names, r.Host)
		}
	})
	slices.Sort(names)
	return listOf(append(slices.Compact(names), place.EveryHost))(cmd, args, typed)
}

// longestTab is how long a person waits at most for words to be completed.
const longestTab = 2 * time.Second

// inLedger does something with the ledger that a command names, if it can be read now.
func inLedger(cmd *cobra.Command, do func(ctx context.Context, l *ledger.Ledger, name string)) {
	ctx, stop := context.WithTimeout(cmd.Context(), longestTab)
	defer stop()
	option := ""
	if f := cmd.Flags().Lookup("ledger"); f != nil {
		option = f.Value.String()
	}
	file, err := place.LedgerName(option, loadConfig)
	if err != nil {
		return
	}
	l, err := ledger.Open(ctx, file)
	if err != nil {
		return
	}
	defer l.Close()
	do(ctx, l, file)
}

// completeLabels completes a label.
func completeLabels(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return recordLabels(cmd), cobra.ShellCompDirectiveNoFileComp
}

// completeRecords completes the numbers of records.
func completeRecords(cmd *cobra.Command, _ []string, _ string) (numbers []string, _ cobra.ShellCompDirective) {
	for _, r := range recordsThere(cmd) {
		numbers = append(numbers, strconv.FormatInt(r.Number, 10))
	}
	return numbers, cobra.ShellCompDirectiveNoFileComp
}

// completeJournals completes the number of a journal.
func (p *Program) completeJournals(_ *cobra.Command, args []string, _ string) (numbers []string, _ cobra.ShellCompDirective) {
	if c, err := p.carrier(); err == nil && len(args) == 0 {
		list, _ := c.Journals.Numbers()
		for _, n := range slices.Backward(list) {
			numbers = append(numbers, strconv.FormatInt(n, 10))
		}
	}
	return numbers, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveKeepOrder
}

//go:embed shells
var shells embed.FS

var shellNames = []string{"bash", "zsh", "fish"}

func (p *Program) completionCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "completion SHELL",
		Long: `Prints a script for your shell. With it, the Tab key completes commands, options, places
and the words of conditions. It needs no other package. Have your shell read it each time
it starts:

  bash   add to ~/.bashrc:                   eval "$(frank completion bash)"
  zsh    add to ~/.zshrc:                    eval "$(frank completion zsh)"
  fish   add to ~/.config/fish/config.fish:  frank completion fish | source`,
		Args: cobra.ArbitraryArgs,
		ValidArgsFunction: func(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
			if len(args) > 0 {
				return nil, cobra.ShellCompDirectiveNoFileComp
			}
			return shellNames, cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) != 1 || !slices.Contains(shellNames, args[0]) {
				return usage.Misuse("say for which shell: %s %s", cmd.CommandPath(), strings.Join(shellNames, ", or "))
			}
			script, err := shells.ReadFile("shells/" + args[0])
			if err != nil {
				return err
			}
			_, err = cmd.OutOrStdout().Write(script)
			return err
		},
	}
	return cmd
}
