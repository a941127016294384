package cli

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/core/condition"
	"frankledger/core/ledger"
	"frankledger/render/typeset"
)

// repaired gives a misuse command lines that were likely meant, as words without the name
// of the program.
func repaired(err error, lines ...[]string) error {
	var f *failure
	if errors.As(err, &f) {
		for _, line := range lines {
			if line != nil && !slices.ContainsFunc(f.repairs, func(other []string) bool { return slices.Equal(other, line) }) {
				f.repairs = append(f.repairs, line)
			}
		}
	}
	return err
}

// offer shows the command lines that were likely meant by a wrong one, or where to read
// how it is written.
func (p *Program) offer(command *cobra.Command, f *failure) {
	if p.trying {
		return
	}
	if len(f.repairs) == 0 {
		f.repairs = append(p.otherValues(command, f.err), p.otherFiles(command, f.err)...)
	}
	f.repairs = slices.DeleteFunc(f.repairs, func(line []string) bool { return !p.sound(line) })
	for _, line := range f.repairs {
		p.say("%s", commandLine(line))
	}
	if len(f.repairs) == 0 && !errors.Is(f.err, fs.ErrNotExist) { // there is nothing to read about a file that is not there
		help := helpFor(command)
		if f.topic != "" {
			help = "frank help " + f.topic
		}
		p.say("  see %s", help)
	}
}

// onlyReading are the commands that change nothing, and so can be tried.
var onlyReading = []string{"list", "search", "weigh", "tally", "outline", "inspect", "checksum", "duplicates", "compare", "history", "fields"}

// sound reports whether a command line is understood. Of a command that only reads, it goes as far as where
// that would begin.
func (p *Program) sound(line []string) bool {
	another := &Program{Out: io.Discard, Err: io.Discard, args: line, trying: true}
	cmd, rest, err := another.rootFor(line).Find(line)
	if err != nil || cmd.ParseFlags(rest) != nil {
		return false
	}
	if _, words, has := splitWhere(cmd.Flags().Args()); has && len(words) > 0 {
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
	another = &Program{Out: io.Discard, Err: io.Discard, args: line, trying: true}
	root := another.rootFor(line)
	root.SetArgs(line)
	err = root.ExecuteContext(ctx)
	for _, c := range another.toClose {
		c.Close()
	}
	var f *failure
	return !errors.As(err, &f) || f.status != statusUsage
}

// instead is the command line with other words in the place of one of its own; nil if that
// is not one of them.
func (p *Program) instead(word string, with ...string) []string {
	at := slices.Index(p.args, word)
	if at < 0 {
		return nil
	}
	return slices.Concat(p.args[:at], with, p.args[at+1:])
}

// commandLine writes a command line as a person would paste it.
func commandLine(args []string) string {
	line := "frank"
	for _, arg := range args {
		line += " " + typeset.ShellQuoted(ledger.Shown(arg))
	}
	return line
}

// withCondition is the command line with another condition.
func (p *Program) withCondition(words []string) []string {
	at := slices.Index(p.args, whereWord)
	if at < 0 {
		return nil
	}
	if len(words) == 1 && !strings.ContainsAny(words[0], "'\"()") { // it needs no quotes of its own
		words = strings.Fields(words[0])
	}
	line := slices.Concat(p.args[:at+1], words)
	// Options may stand among the words of the condition: they go to the end.
	for i := at + 1; i < len(p.args); i++ {
		if strings.HasPrefix(p.args[i], "-") && !slices.Contains(words, p.args[i]) {
			line = append(line, p.args[i])
			if i+1 < len(p.args) && !strings.Contains(p.args[i], "=") && !slices.Contains(words, p.args[i+1]) && !strings.HasPrefix(p.args[i+1], "-") {
				line = append(line, p.args[i+1])
				i++
			}
		}
	}
	return line
}
