package session

import (
	"cmp"
	"fmt"
	"io"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"golang.org/x/term"

	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/output"
	"frankledger/render/layout"
	"frankledger/render/typeset"
)

// Session is where one run of the program reads and writes, and how it ends.
type Session struct {
	Out, Err io.Writer

	Paging   atomic.Bool                   // a pager may be running, which handles Ctrl-C itself
	writes   atomic.Pointer[string]        // what is being changed just now; nil for nothing
	Ending   sync.Mutex                    // locked when the program ends, one way or the other
	shown    atomic.Pointer[output.Status] // how far something has come
	zoned    sync.Once
	printing sync.Once
	printed  *Minding // what commands write that mind no error
}

// grace is how long the program may take to stop in order. A reader that takes
// nothing more would hold it up for ever.
const grace = time.Second

// notice is how long stopping may take before anything is said about it.
const notice = 300 * time.Millisecond

// Listen has signals stop the program, by a function that is called first.
func (p *Session) Listen(stop func()) {
	stops := make(chan os.Signal, 4)
	for _, s := range []os.Signal{os.Interrupt, syscall.SIGTERM, syscall.SIGHUP} {
		if !signal.Ignored(s) { // as nohup has it for a hang-up
			signal.Notify(stops, s)
		}
	}
	go p.StopOn(stops, stop)
}

// Over ends the session: from here on, a signal changes nothing.
func (p *Session) Over() { p.Ending.Lock() }

// StopOn has the program stop when a signal comes. What only reads may be ended
// after a while. What writes stops between two steps, however long that takes, but
// for a second signal.
func (p *Session) StopOn(stops <-chan os.Signal, stop func()) {
	<-stops
	stop()
	told := false
	for waited := time.Duration(0); ; waited += notice {
		select {
		case <-stops:
			if what := p.writes.Load(); what != nil {
				p.end("frank: stopped in the middle of: %s", *what)
			}
			p.end("")
		case <-time.After(notice):
		}
		switch what := p.writes.Load(); {
		case what != nil && !told:
			p.Say("frank: stopping as soon as possible; press Ctrl-C again to stop in the middle of: %s", *what)
			told = true
		case what != nil:
			waited = 0
		case waited >= grace && !p.Paging.Load():
			p.end("")
		}
	}
}

// end ends the program, unless it has ended.
func (p *Session) end(format string, args ...any) {
	if !p.Ending.TryLock() {
		select {} // main is about to return
	}
	if format != "" {
		if p.shown.Swap(nil) != nil {
			fmt.Fprintln(p.Err) // below what was being shown
		}
		p.Say(format, args...)
	}
	os.Exit(usage.StatusInterrupted)
}

// Writing says that the program changes something from here on, and what, until
// the function that it returns is called.
func (p *Session) Writing(what string) (done func()) {
	p.writes.Store(&what)
	return func() { p.writes.Store(nil) }
}

// Say writes a line to the standard error.
func (p *Session) Say(format string, args ...any) {
	if message, is := strings.CutPrefix(format, "frank: "); is {
		p.SayOf("frank", fmt.Sprintf(message, args...))
		return
	}
	text := fmt.Sprintf(format, args...) + "\n"
	if status := p.shown.Load(); status != nil { // above it, so that it does not stand in a line with it
		io.WriteString(output.ScreenWriter(status), text)
		return
	}
	io.WriteString(p.Errors(), text)
}

// SayOf writes a message of a command to the standard error. On a terminal, its first line is broken between words; what
// follows may be lines to paste.
func (p *Session) SayOf(command, message string) {
	first, rest, more := strings.Cut(command+": "+message, "\n")
	if IsTerminal(p.Err) {
		width, _ := sizeOf(p.Err)
		first = strings.Join(typeset.Wrap(first, width, layout.Indent), "\n"+strings.Repeat(" ", layout.Indent))
	}
	if more {
		first += "\n" + rest
	}
	p.Say("%s", first)
}

// Output returns the standard output: if it is a terminal, nothing that goes there acts
// on it.
func (p *Session) Output() io.Writer {
	p.printing.Do(func() { p.printed = &Minding{To: screened(p.Out)} })
	return p.printed
}

// Errors returns the standard error, likewise.
func (p *Session) Errors() io.Writer { return screened(p.Err) }

// Minding keeps the first error of a writer.
type Minding struct {
	To  io.Writer
	Err error
}

// Write implements io.Writer.
func (m *Minding) Write(b []byte) (int, error) {
	n, err := m.To.Write(b)
	m.Err = cmp.Or(m.Err, err)
	return n, err
}

func screened(w io.Writer) io.Writer {
	if IsTerminal(w) {
		return output.ScreenWriter(w)
	}
	return w
}

// Screen returns the size of the terminal that the output goes to, and whether
// it does go to one.
func (p *Session) Screen() (width, height int, is bool) {
	if !IsTerminal(p.Out) {
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

// IsTerminal reports whether a writer is a terminal.
func IsTerminal(w io.Writer) bool {
	file, ok := w.(*os.File)
	return ok && term.IsTerminal(int(file.Fd()))
}

// patience is how long nothing is said about a reading that goes on.
const patience = 500 * time.Millisecond

// refresh is how often the line is written anew.
const refresh = 200 * time.Millisecond

// ProgressOf shows on the standard error a line that shows how far something has come, if that is a terminal, once it
// has taken a while.
func (p *Session) ProgressOf(quiet bool, line func(since time.Duration) string) (done func()) {
	if quiet || !IsTerminal(p.Err) {
		return func() {}
	}
	var status *output.Status
	var mu sync.Mutex
	over := false
	begun := time.Now()
	timer := time.AfterFunc(patience, func() {
		mu.Lock()
		defer mu.Unlock()
		if over {
			return
		}
		status = output.NewStatus(p.Err, refresh, func() string {
			width, _ := sizeOf(p.Err)
			return typeset.Truncate(line(time.Since(begun)), width-1, "…")
		})
		p.shown.Store(status)
	})
	return func() {
		timer.Stop()
		mu.Lock()
		defer mu.Unlock()
		over = true
		if status != nil {
			p.shown.Store(nil)
			status.Remove()
			status = nil
		}
	}
}

// Paged returns what writes to a terminal through a pager, if it is taller than a screen, or always.
func (p *Session) Paged(terminal *os.File, command string, height int, always bool) output.Destination {
	p.Paging.Store(true)
	return output.Screen(output.Paged(terminal, command, height, always))
}

// TellIfExposed says it once if others can read what is kept for one person.
func (p *Session) TellIfExposed(what, path string) {
	if config.Exposed(path) {
		p.Say("frank: others can read %s, %s; chmod go= makes it private", what, typeset.Escaped(path))
	}
}

// SpareMemory has garbage collected sooner, for a command that keeps an entry of
// each file to its end: what it keeps is mostly large, and collecting around it
// costs little. A small command would only be slower.
func SpareMemory() { debug.SetGCPercent(40) }
