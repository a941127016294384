package cli

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"frankledger/cli/suggest"
	"frankledger/cli/usage"
	"frankledger/core/condition"
	"frankledger/core/text"
)

// offer shows the command lines that were likely meant by a wrong one, or where to read
// how it is written.
func (p *Program) offer(command *cobra.Command, f *usage.Failure) {
	if p.trying {
		return
	}
	if len(f.Repairs) == 0 {
		f.Repairs = append(p.args.OtherValues(command, f.Option, f.Value), p.args.OtherFiles(func() []string { return recordLabels(command) }, f.Err)...)
	}
	f.Repairs = slices.DeleteFunc(f.Repairs, func(line []string) bool { return !p.sound(line) })
	for _, line := range f.Repairs {
		p.Say("%s", usage.CommandLine(line))
	}
	if len(f.Repairs) == 0 && !errors.Is(f.Err, fs.ErrNotExist) { // there is nothing to read about a file that is not there
		help := helpFor(command)
		if f.Topic != "" {
			help = "frank help " + f.Topic
		}
		p.Say("  see %s", help)
	}
}

// onlyReading are the commands that change nothing, and so can be tried.
var onlyReading = []string{"list", "search", "weigh", "tally", "outline", "inspect", "checksum", "duplicates", "compare", "history", "fields"}

// sound reports whether a command line is understood. Of a command that only reads, it goes as far as where
// that would begin.
func (p *Program) sound(line []string) bool {
	another := newProgram(io.Discard, io.Discard, line)
	another.trying = true
	root := another.rootOf(needed(line))
	cmd, rest, err := root.Find(joined(root, line))
	if err != nil || cmd.ParseFlags(rest) != nil {
		return false
	}
	if _, words, has := usage.SplitWhere(cmd.Flags().Args()); has && len(words) > 0 {
		if _, err := condition.Parse(words); err != nil {
			return false
		}
	}
	writes := slices.ContainsFunc([]string{"to", "save-list", "remember"}, cmd.Flags().Changed) || slices.Contains(rest, "-")
	if writes || cmd.Parent() != cmd.Root() || !slices.Contains(onlyReading, cmd.Name()) {
		return true
	}
	ctx, stop := context.WithTimeout(context.Background(), longestTab)
	defer stop()
	another = newProgram(io.Discard, io.Discard, line)
	another.trying = true
	root = another.rootOf(needed(line))
	root.SetArgs(joined(root, line))
	err = root.ExecuteContext(ctx)
	another.ledgers.Close()
	var f *usage.Failure
	return !errors.As(err, &f) || f.Status != usage.StatusUsage
}

// flagError says what is wrong with an option, and what was likely meant.
func (p *Program) flagError(cmd *cobra.Command, err error) error {
	var unknown *pflag.NotExistError
	var required *pflag.ValueRequiredError
	var invalid *pflag.InvalidValueError
	var misuse *usage.Failure
	switch {
	case errors.As(err, &unknown):
		return p.unknownOption(cmd, unknown)
	case errors.As(err, &required):
		value, _ := pflag.UnquoteUsage(required.GetFlag())
		return usage.Misuse("--%s needs a value: --%s %s", required.GetFlag().Name, required.GetFlag().Name, value)
	case errors.As(err, &misuse): // the value says itself what it can be
		return misuse
	case errors.As(err, &invalid):
		return p.args.InvalidValue(invalid)
	}
	return usage.Misuse("%w", err)
}

// unknownOption says that there is no such option.
func (p *Program) unknownOption(cmd *cobra.Command, unknown *pflag.NotExistError) error {
	name, dashes := unknown.GetSpecifiedName(), "--"
	if unknown.GetSpecifiedShortnames() != "" {
		dashes = "-"
	}
	if !cmd.Runnable() || cmd == cmd.Root() { // it is the option of another command, whose name is wrong
		for _, word := range p.args[strings.Count(cmd.CommandPath(), " "):] {
			if !strings.HasPrefix(word, "-") {
				return p.unknownCommand(cmd, word)
			}
		}
	}
	if word := p.args.LongWithOneDash(name); dashes == "-" && word != "" {
		dashes, name = "-", word
		if cmd.Flags().Lookup(word) != nil {
			at, _, _ := p.args.OptionAt("-" + word)
			return usage.Repaired(usage.Misuse("a long option has two dashes: --%s", word), p.args.Spliced(at, 1, []string{"-" + p.args[at]}))
		}
	}
	what := usage.Misuse("there is no option %s%s", dashes, name)
	if line := p.args.OtherLine(cmd.Name(), dashes+name); line != nil {
		return usage.Repaired(what, line)
	}
	long := name
	if dashes == "-" && len(name) == 1 {
		long = strings.Join(suggest.OtherLetters()[name], " ")
		if other := suggest.OurLetters[name]; other != "" {
			return usage.Repaired(usage.Misuse("%s has no --%s", cmd.CommandPath(), other), p.args.WithoutLetter(name, other))
		}
	}
	if line := p.args.OtherOption(cmd, dashes, name, long); line != nil {
		return usage.Repaired(what, line)
	}
	var names []string
	cmd.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
	if near := text.Nearest(name, names); near != "" && dashes == "--" {
		at, value, has := p.args.OptionAt(dashes + name)
		with := []string{"--" + near}
		if has {
			with[0] += "=" + value
		}
		return usage.Repaired(usage.Misuse("there is no option %s%s; did you mean --%s?", dashes, name, near), p.args.Spliced(at, 1, with))
	}
	if cmd.ValidArgsFunction != nil && dashes == "-" { // it takes places and conditions
		return usage.Misuse("there is no option %s%s; write a place or value that starts with a dash after -- : %s -- …", dashes, name, cmd.CommandPath())
	}
	return what
}

func (p *Program) unknownCommand(cmd *cobra.Command, word string) error {
	var names []string
	for _, c := range cmd.Root().Commands() {
		if !c.Hidden {
			names = append(names, c.Name())
		}
	}
	if line := p.args.ForgiveCommand(word); line != nil {
		return usage.Repaired(usage.Misuse("there is no command %q; use %s", word, usage.CommandLine(suggest.OtherCommands()[strings.ToLower(word)])), line)
	}
	if near := text.Nearest(word, names); near != "" {
		return usage.Repaired(usage.Misuse("there is no command %q; did you mean %s?", word, near), p.args.Instead(word, near))
	}
	return usage.Misuse("there is no command %q", word)
}
