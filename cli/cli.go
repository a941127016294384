// Package cli turns command lines into calls of the core and of render. A
// command says what it is, what options it takes and which call answers it;
// everything that can be tested without a command line belongs further down.
package cli

import (
	"cmp"
	"context"
	"errors"
	"os"
	"os/signal"
	"slices"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"frankledger/cli/flags"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/live"
	"frankledger/output"
	"frankledger/render/units"
)

// Main runs the program for the process it is in and returns the status to
// exit with.
func Main(args []string) int {
	// A closed pipe, or a limit on the size of files, is to be an error of the
	// write, not the end of the process. Catching the signal, not ignoring it,
	// leaves it as it was for a pager.
	signal.Notify(make(chan os.Signal, 1), syscall.SIGPIPE, syscall.SIGXFSZ)
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	p := newProgram(os.Stdout, os.Stderr, nil)
	if output.IsClosed(os.Stdout) {
		p.Out = output.Closed
	}
	p.Listen(stop)
	status := p.Run(ctx, args)
	p.Over()
	return status
}

// Run runs one command line, without the name of the program, and returns the
// status to exit with.
func (p *Program) Run(ctx context.Context, args []string) int {
	defer p.Debug()()
	p.args = args
	root := p.rootOf(needed(args))
	root.SetArgs(joined(root, args))
	root.SetErr(p.Errors())
	command, err := root.ExecuteContextC(ctx)
	err = cmp.Or(err, p.said.Err, p.Output().(*session.Minding).Err)
	p.ledgers.Close() // opened for reading only
	if n := live.Touched(); n > 0 && !isQuiet(command) {
		p.Say("frank: reading changed the access times of %s; only their owners could have prevented that", units.Count(n, "file", "files"))
	}
	if n := live.TouchedLinks(); n > 0 && !isQuiet(command) {
		p.Say("frank: %s as read just now; the system has no other way to show where they lead", units.Count(n, "link counts", "links count"))
	}
	return p.status(ctx, command, err)
}

// joined is the command line as the library of commands wants it. To complete a value of an option that can stand
// alone, the option and what was typed after it are one word.
func joined(root *cobra.Command, args []string) []string {
	if len(args) > 1 && (args[0] == cobra.ShellCompRequestCmd || args[0] == cobra.ShellCompNoDescRequestCmd) {
		line, typed := args[1:len(args)-1], args[len(args)-1]
		if cmd, rest, err := root.Find(line); err == nil && flags.TakesNext(cmd.Flags(), rest, typed) {
			return append(slices.Clip(args[:len(args)-2]), args[len(args)-2]+"="+typed)
		}
		return args
	}
	if len(args) > 1 && args[0] == "ledger" && strings.HasPrefix(args[1], "--") && args[1] != "--help" { // which lists the records
		args = slices.Insert(slices.Clone(args), 1, "entries")
	}
	if cmd, _, err := root.Find(args); err == nil {
		return flags.Joined(cmd.Flags(), args)
	}
	return args
}

// status says what went wrong and returns the status for it.
func (p *Program) status(ctx context.Context, command *cobra.Command, err error) int {
	var f *usage.Failure
	switch {
	case err == nil:
		return usage.StatusComplete
	case output.HungUp(err):
		return usage.StatusComplete
	case errors.Is(err, context.Canceled) && ctx.Err() != nil:
		p.Say("%s: stopped", command.CommandPath())
		return usage.StatusInterrupted
	case !errors.As(err, &f):
		f = &usage.Failure{Status: usage.StatusFailed, Err: err}
	}
	if f.Err != nil {
		p.SayOf(command.CommandPath(), f.Err.Error())
	}
	if f.Status == usage.StatusUsage && f.Err != nil {
		p.offer(command, f)
	}
	return f.Status
}

// commands are all there are, in the order that help tells of them.
func commands() []named {
	return []named{
		{"list", "list the entries of a folder as a table", (*Program).listCommand},
		{"search", "find every entry that meets a condition, at any depth", (*Program).searchCommand},
		{"recall", "run a saved search again; without a name, list them", (*Program).recallCommand},
		{"inspect", "show everything about one entry, in words", (*Program).inspectCommand},
		{"read", "show the text in a file, a screen at a time", (*Program).readCommand},
		{"weigh", "show how much space each folder takes, largest first", (*Program).weighCommand},
		{"tally", "count entries and bytes in groups: by kind, extension, age and so on", (*Program).tallyCommand},
		{"report", "write an inventory of a place as one page for a browser", (*Program).reportCommand},
		{"outline", "show folders and files as an indented outline, with totals", (*Program).outlineCommand},
		{"checksum", "compute digests of files, and show which files are the same", (*Program).checksumCommand},
		{"verify", "check files against a list of digests, or against a record", (*Program).verifyCommand},
		{"duplicates", "find files with the same content, and how much space the copies waste", (*Program).duplicatesCommand},
		{"compare", "show how two folders differ, or a folder from its record", (*Program).compareCommand},
		{"record", "record what is in a place now, to compare or search later", (*Program).recordCommand},
		{"history", "show the history of one path in the records", (*Program).historyCommand},
		{"ledger", "show and maintain the records in the ledger", (*Program).ledgerCommand},
		{"act", "plan an action on every match, then carry it out", (*Program).actCommand},
		{"demo", "build a made-up tree and show the main commands on it", (*Program).demoCommand},
		{"fields", "list all fields, tests, formats and units", (*Program).fieldsCommand},
		{"config", "show the defaults, and where each comes from", (*Program).configCommand},
		{"version", "show the version and how it was built", (*Program).versionCommand},
		{"completion", "print a script for completing words with the Tab key", (*Program).completionCommand},
	}
}

// needed are the commands that a command line needs: most need one, and some only the names of all.
func needed(words []string) []named {
	if len(words) == 0 || len(words) == 1 && slices.Contains([]string{helpName, "--help", "-h"}, words[0]) {
		return namedBy(commands(), []string{"version"}) // cobra has no help for a program without commands
	}
	switch words[0] {
	case helpName:
		words = words[1:]
	case cobra.ShellCompRequestCmd, cobra.ShellCompNoDescRequestCmd:
		if len(words) > 2 { // the first word is typed
			words = words[1:]
		}
	}
	return namedBy(commands(), words)
}

// Root returns the command that all others are under.
func (p *Program) Root() *cobra.Command { return p.rootOf(commands()) }

// rootOf returns a command that some others are under.
func (p *Program) rootOf(commands []named) *cobra.Command {
	root := &cobra.Command{
		Use:   "frank",
		Short: "list, find and catalogue what is on a disk",
		Long: `Frank Ledger shows what is on a disk: it lists, finds and catalogues files. Every answer
says what it looked at, what it left out, and what it could not read. Looking changes
nothing.`,
		Args:          cobra.ArbitraryArgs,
		SilenceUsage:  true,
		SilenceErrors: true,
		RunE: func(cmd *cobra.Command, args []string) error {
			if version, _ := cmd.Flags().GetBool("version"); version && len(args) == 0 {
				return p.version(cmd)
			}
			if len(args) == 0 {
				return cmd.Help()
			}
			return p.unknownCommand(cmd, args[0])
		},
	}
	root.Flags().Bool("version", false, "show the version, as frank version does")
	root.SetGlobalNormalizationFunc(func(_ *pflag.FlagSet, name string) pflag.NormalizedName {
		if name == "color" {
			name = "colour"
		}
		return pflag.NormalizedName(name)
	})
	root.SetFlagErrorFunc(p.flagError)
	root.SetHelpFunc(p.help)
	root.SetHelpCommand(p.helpCommand(root))
	p.addNamed(root, commands)
	p.said = &session.Minding{To: p.Output()}
	root.SetOut(p.said)
	root.CompletionOptions.DisableDefaultCmd = true
	return root
}
