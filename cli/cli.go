// Package cli turns command lines into calls of the core and of render. A
// command says what it is, what options it takes and which call answers it;
// everything that can be tested without a command line belongs further down.
package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"golang.org/x/term"

	"frankledger/core/ledger"
	"frankledger/core/live"
	"frankledger/core/text"
	"frankledger/output"
	"frankledger/render/units"
)

// The statuses that the program exits with.
const (
	statusComplete    = 0
	statusDifferent   = 1
	statusUsage       = 2
	statusIncomplete  = 3
	statusFailed      = 4
	statusInterrupted = 130
)

var statuses = []struct {
	status  int
	meaning string
}{
	{statusComplete, "the answer is complete"},
	{statusDifferent, "a check found a difference (verify, compare, checksum --expect, search --fail-if)"},
	{statusUsage, "the command line is wrong"},
	{statusIncomplete, "the answer is incomplete: something could not be read, and was reported"},
	{statusFailed, "the command failed"},
	{statusInterrupted, "the command was stopped, with Ctrl-C or by another program"},
}

// failure is an error that knows the status to exit with.
type failure struct {
	status int
	err    error // nil: everything was said already
	// repairs are command lines that were likely meant.
	repairs [][]string
	topic   string // what help tells of it; "" for the command
}

func (f *failure) Error() string {
	if f.err == nil {
		return fmt.Sprintf("status %d", f.status)
	}
	return f.err.Error()
}

func (f *failure) Unwrap() error { return f.err }

// misuse makes an error in how the command was written.
func misuse(format string, args ...any) error {
	return &failure{status: statusUsage, err: fmt.Errorf(format, args...)}
}

// Program is where one run of the program reads and writes.
type Program struct {
	Out, Err io.Writer
	args     []string
	trying   bool // whether the line is understood: nothing is offered in place of it

	paging     atomic.Bool                   // a pager may be running, which handles Ctrl-C itself
	writes     atomic.Pointer[string]        // what is being changed just now; nil for nothing
	ending     sync.Mutex                    // locked when the program ends, one way or the other
	shown      atomic.Pointer[output.Status] // how far something has come
	said       *minding                      // what the library of commands writes, which minds no error
	toClose    []io.Closer                   // when the command is done
	ledger     *ledger.Ledger
	ledgerPath string
	zoned      sync.Once
	printing   sync.Once
	printed    *minding // what commands write that mind no error
}

// Main runs the program for the process it is in and returns the status to
// exit with.
func Main(args []string) int {
	// A closed pipe, or a limit on the size of files, is to be an error of the
	// write, not the end of the process. Catching the signal, not ignoring it,
	// leaves it as it was for a pager.
	signal.Notify(make(chan os.Signal, 1), syscall.SIGPIPE, syscall.SIGXFSZ)
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	p := &Program{Out: os.Stdout, Err: os.Stderr}
	if output.IsClosed(os.Stdout) {
		p.Out = output.Closed
	}
	stops := make(chan os.Signal, 4)
	for _, s := range []os.Signal{os.Interrupt, syscall.SIGTERM, syscall.SIGHUP} {
		if !signal.Ignored(s) { // as nohup has it for a hang-up
			signal.Notify(stops, s)
		}
	}
	go p.stopOn(stops, stop)
	status := p.Run(ctx, args)
	p.ending.Lock() // from here on, a signal changes nothing
	return status
}

// grace is how long the program may take to stop in order. A reader that takes
// nothing more would hold it up for ever.
const grace = time.Second

// notice is how long stopping may take before anything is said about it.
const notice = 300 * time.Millisecond

// stopOn has the program stop when a signal comes. What only reads may be ended
// after a while. What writes stops between two steps, however long that takes, but
// for a second signal.
func (p *Program) stopOn(stops <-chan os.Signal, stop func()) {
	<-stops
	stop()
	told := false
	for waited := time.Duration(0); ; waited += notice {
		select {
		case <-stops:
			if what := p.writes.Load(); what != nil {
				p.end("frank: ended in the middle of: %s", *what)
			}
			p.end("")
		case <-time.After(notice):
		}
		switch what := p.writes.Load(); {
		case what != nil && !told:
			p.say("frank: stopping as soon as possible; Ctrl-C again stops in the middle of: %s", *what)
			told = true
		case what != nil:
			waited = 0
		case waited >= grace && !p.paging.Load():
			p.end("")
		}
	}
}

// end ends the program, unless it has ended.
func (p *Program) end(format string, args ...any) {
	if !p.ending.TryLock() {
		select {} // main is about to return
	}
	if format != "" {
		if p.shown.Swap(nil) != nil {
			fmt.Fprintln(p.Err) // below what was being shown
		}
		p.say(format, args...)
	}
	os.Exit(statusInterrupted)
}

// writing says that the program changes something from here on, and what, until
// the function that it returns is called.
func (p *Program) writing(what string) (done func()) {
	p.writes.Store(&what)
	return func() { p.writes.Store(nil) }
}

// Run runs one command line, without the name of the program, and returns the
// status to exit with.
func (p *Program) Run(ctx context.Context, args []string) int {
	defer p.debug()()
	p.args = args
	root := p.rootFor(args)
	root.SetArgs(args)
	root.SetErr(p.err())
	command, err := root.ExecuteContextC(ctx)
	err = cmp.Or(err, p.said.err, p.out().(*minding).err)
	for _, c := range p.toClose {
		c.Close() // opened for reading only
	}
	p.toClose, p.ledger = nil, nil
	if n := live.Touched(); n > 0 && !isQuiet(command) {
		p.say("frank: reading has changed the access times of %s; only their owners could prevent that", units.Count(n, "file", "files"))
	}
	if n := live.TouchedLinks(); n > 0 && !isQuiet(command) {
		p.say("frank: %s as read just now; there is no other way to see where they lead", units.Count(n, "link counts", "links count"))
	}
	return p.status(ctx, command, err)
}

// isQuiet reports whether a command was asked to say no more than its answer.
func isQuiet(command *cobra.Command) bool {
	flag := command.Flags().Lookup("quiet")
	return flag != nil && flag.Value.String() == "true"
}

// status says what went wrong and returns the status for it.
func (p *Program) status(ctx context.Context, command *cobra.Command, err error) int {
	var f *failure
	switch {
	case err == nil:
		return statusComplete
	case output.HungUp(err):
		return statusComplete
	case errors.Is(err, context.Canceled) && ctx.Err() != nil:
		p.say("%s: stopped", command.CommandPath())
		return statusInterrupted
	case !errors.As(err, &f):
		f = &failure{status: statusFailed, err: err}
	}
	if f.err != nil {
		p.say("%s: %s", command.CommandPath(), f.err)
	}
	if f.status == statusUsage && f.err != nil {
		p.offer(command, f)
	}
	return f.status
}

func helpFor(command *cobra.Command) string {
	return "frank help" + strings.TrimPrefix(command.CommandPath(), "frank")
}

// say writes a line to the standard error.
func (p *Program) say(format string, args ...any) {
	if status := p.shown.Load(); status != nil { // above it, so that it does not stand in a line with it
		fmt.Fprintf(output.ScreenWriter(status), format+"\n", args...)
		return
	}
	fmt.Fprintf(p.err(), format+"\n", args...)
}

// out returns the standard output: if it is a terminal, nothing that goes there acts
// on it.
func (p *Program) out() io.Writer {
	p.printing.Do(func() { p.printed = &minding{to: screened(p.Out)} })
	return p.printed
}

// err returns the standard error, likewise.
func (p *Program) err() io.Writer { return screened(p.Err) }

// minding keeps the first error of a writer.
type minding struct {
	to  io.Writer
	err error
}

// Write implements io.Writer.
func (m *minding) Write(b []byte) (int, error) {
	n, err := m.to.Write(b)
	m.err = cmp.Or(m.err, err)
	return n, err
}

func screened(w io.Writer) io.Writer {
	if isTerminal(w) {
		return output.ScreenWriter(w)
	}
	return w
}

// screen returns the size of the terminal that the output goes to, and whether
// it does go to one.
func (p *Program) screen() (width, height int, is bool) {
	if !isTerminal(p.Out) {
		return 0, 0, false
	}
	width, height = sizeOf(p.Out)
	return width, height, true
}

// sizeOf returns the size of a terminal, in columns and rows.
func sizeOf(terminal io.Writer) (width, height int) {
	width, height, err := term.GetSize(int(terminal.(*os.File).Fd()))
	if err != nil || width <= 0 {
		return 80, 24
	}
	return width, height
}

func isTerminal(w io.Writer) bool {
	file, ok := w.(*os.File)
	return ok && term.IsTerminal(int(file.Fd()))
}

// named is a command by its name. Most runs need one, and building all would take as long
// as listing a small folder.
type named struct {
	name string
	make func(p *Program) *cobra.Command
}

// addNamed adds commands to the one that they are under: if the first of the words names
// one, only that.
func (p *Program) addNamed(to *cobra.Command, commands []named, words []string) {
	if len(words) > 0 {
		if at := slices.IndexFunc(commands, func(c named) bool { return c.name == words[0] }); at >= 0 {
			commands = commands[at : at+1]
		}
	}
	for _, c := range commands {
		to.AddCommand(c.make(p))
	}
}

// commands are all there are, in the order that help tells of them.
func commands() []named {
	return []named{
		{"list", (*Program).listCommand}, {"search", (*Program).searchCommand}, {"recall", (*Program).recallCommand}, {"inspect", (*Program).inspectCommand},
		{"weigh", (*Program).weighCommand}, {"tally", (*Program).tallyCommand}, {"report", (*Program).reportCommand}, {"outline", (*Program).outlineCommand}, {"checksum", (*Program).checksumCommand},
		{"verify", (*Program).verifyCommand}, {"duplicates", (*Program).duplicatesCommand}, {"compare", (*Program).compareCommand}, {"record", (*Program).recordCommand},
		{"history", (*Program).historyCommand}, {"ledger", (*Program).ledgerCommand}, {"act", (*Program).actCommand}, {"demo", (*Program).demoCommand},
		{"fields", (*Program).fieldsCommand}, {"config", (*Program).configCommand}, {"version", (*Program).versionCommand}, {"completion", (*Program).completionCommand},
	}
}

// Root returns the command that all others are under.
func (p *Program) Root() *cobra.Command { return p.rootFor(nil) }

// rootFor returns the command that all others are under, with only the one that the words
// begin with, if they do.
func (p *Program) rootFor(words []string) *cobra.Command {
	root := &cobra.Command{
		Use:   "frank",
		Short: "list, find and catalogue what is on a disk",
		Long: `Frank Ledger tells what is on a disk: it lists folders and writes inventories
of them. It is frank: every answer says what it looked at, what it left out, and
what it could not read. Looking changes nothing.`,
		Args:          cobra.ArbitraryArgs,
		SilenceUsage:  true,
		SilenceErrors: true,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return cmd.Help()
			}
			return p.unknownCommand(cmd, args[0])
		},
	}
	root.SetGlobalNormalizationFunc(func(_ *pflag.FlagSet, name string) pflag.NormalizedName {
		if name == "color" {
			name = "colour"
		}
		return pflag.NormalizedName(name)
	})
	root.SetFlagErrorFunc(p.flagError)
	root.SetHelpFunc(p.help)
	root.SetHelpCommand(p.helpCommand(root))
	p.addNamed(root, commands(), words)
	p.said = &minding{to: p.out()}
	root.SetOut(p.said)
	root.CompletionOptions.DisableDefaultCmd = true
	return root
}

func (p *Program) unknownCommand(cmd *cobra.Command, word string) error {
	var names []string
	for _, c := range cmd.Root().Commands() {
		if !c.Hidden {
			names = append(names, c.Name())
		}
	}
	if line := p.forgiveCommand(word); line != nil {
		return repaired(misuse("there is no command %q; here it is: %s", word, commandLine(otherCommands()[strings.ToLower(word)])), line)
	}
	if near := text.Nearest(word, names); near != "" {
		return repaired(misuse("there is no command %q; did you mean %s?", word, near), p.instead(word, near))
	}
	return misuse("there is no command %q", word)
}
