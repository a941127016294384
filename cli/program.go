package cli

import (
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/suggest"
)

// Program is one run of the program.
type Program struct {
	session.Session
	args    suggest.Args
	trying  bool             // whether the line is understood: nothing is offered in place of it
	said    *session.Minding // what the library of commands writes, which minds no error
	ledgers place.Ledgers    // that its places are read from
}

// newProgram returns a run of a command line.
func newProgram(out, err io.Writer, args []string) *Program {
	p := &Program{Session: session.Session{Out: out, Err: err}, args: args}
	p.ledgers = place.Ledgers{Session: &p.Session, Defaults: loadConfig}
	return p
}

// isQuiet reports whether a command was asked to say no more than its answer.
func isQuiet(command *cobra.Command) bool {
	flag := command.Flags().Lookup("quiet")
	return flag != nil && flag.Value.String() == "true"
}

func helpFor(command *cobra.Command) string {
	return "frank help" + strings.TrimPrefix(command.CommandPath(), "frank")
}

// named is a command by its name, with what it does in a line. Most runs need one, and building
// all would take as long as listing a small folder.
type named struct {
	name, short string
	make        func(p *Program) *cobra.Command
}

// namedBy returns the command that the first of some words names alone, if there is one, else all.
func namedBy(commands []named, words []string) []named {
	if len(words) > 0 {
		if at := slices.IndexFunc(commands, func(c named) bool { return c.name == words[0] }); at >= 0 {
			return commands[at : at+1]
		}
	}
	return commands
}

// addNamed adds commands to the one that they are under.
func (p *Program) addNamed(to *cobra.Command, commands []named) {
	for _, c := range commands {
		cmd := c.make(p)
		cmd.Short = c.short
		to.AddCommand(cmd)
	}
}
