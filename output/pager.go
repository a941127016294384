package output

import (
	"bytes"
	"cmp"
	"errors"
	"io"
	"os"
	"os/exec"
	"time"
)

// pager passes an answer on to a pager program once it is taller than the
// screen, and to the terminal if it is not.
type pager struct {
	terminal *os.File
	command  string
	height   int // lines that fit on the screen; 0: always page
	held     bytes.Buffer
	lines    int
	program  *exec.Cmd
	pipe     io.WriteCloser
	started  time.Time
	passed   *bytes.Buffer // what went to the program so far, while that is little
	failed   bool          // no program came up; the terminal is written to
}

// Paged returns a destination for an answer to a terminal of that height in
// lines. Taller answers, and with always every one, go through the command,
// which the shell runs.
func Paged(terminal *os.File, command string, height int, always bool) Destination {
	if always {
		height = 0
	}
	return &pager{terminal: terminal, command: command, height: height}
}

// PagerCommand returns the pager that the person wants: the chosen one, what $PAGER says,
// or else the first of the usual ones that the system has. It is empty for none.
func PagerCommand(chosen string) string {
	if command, set := os.LookupEnv("PAGER"); chosen != "" || set {
		if command = cmp.Or(chosen, command); command == "cat" {
			return ""
		}
		return command
	}
	for _, usual := range []string{"less", "more"} {
		if _, err := exec.LookPath(usual); err == nil {
			return usual
		}
	}
	return ""
}

func (p *pager) Write(b []byte) (int, error) {
	switch {
	case p.failed:
		return p.terminal.Write(b)
	case p.pipe != nil:
		return p.pass(b)
	}
	p.held.Write(b)
	p.lines += bytes.Count(b, []byte("\n"))
	if p.lines < p.height {
		return len(b), nil
	}
	held := p.held.Bytes()
	p.held = bytes.Buffer{}
	if err := p.start(); err != nil {
		p.failed = true
		_, err = p.terminal.Write(held)
		return len(b), err
	}
	_, err := p.pass(held)
	return len(b), err
}

// mostPassed is how much is kept of what went to a pager, in case that it turns out
// that none came up.
const mostPassed = 1 << 20

// pass passes some of an answer on to the pager.
func (p *pager) pass(b []byte) (int, error) {
	if p.passed != nil && p.passed.Len()+len(b) <= mostPassed {
		p.passed.Write(b)
	} else {
		p.passed = nil
	}
	n, err := p.pipe.Write(b)
	if err != nil && p.passed != nil && p.end() != nil {
		return len(b), p.instead()
	}
	return n, err
}

// instead shows on the terminal what the pager did not.
func (p *pager) instead() error {
	p.failed = true
	_, err := p.terminal.Write(p.passed.Bytes())
	p.passed = nil
	return err
}

func (p *pager) start() error {
	p.program = exec.Command("sh", "-c", p.command)
	p.program.Stdout, p.program.Stderr = p.terminal, os.Stderr
	p.program.Env = os.Environ()
	if _, set := os.LookupEnv("LESS"); !set {
		p.program.Env = append(p.program.Env, "LESS=RS") // show colours, do not wrap rows
	}
	pipe, err := p.program.StdinPipe()
	if err != nil {
		return err
	}
	p.pipe, p.passed = pipe, &bytes.Buffer{}
	p.started = time.Now()
	return p.program.Start()
}

// atOnce is how soon a pager that failed has shown nothing.
const atOnce = time.Second

// end waits until the person has left the pager, however that was: what they did not
// want to see any more is no failure. It returns an error if none came up.
func (p *pager) end() error {
	p.pipe.Close()
	err := p.program.Wait()
	var exit *exec.ExitError
	if errors.As(err, &exit) && (!exit.Exited() || time.Since(p.started) > atOnce) {
		return nil
	}
	return err
}

// Close implements Destination.
func (p *pager) Close(bool) error {
	switch {
	case p.failed:
		return nil
	case p.pipe == nil:
		_, err := p.terminal.Write(p.held.Bytes())
		return err
	case p.program.ProcessState != nil: // it has ended
		return nil
	}
	if err := p.end(); err != nil {
		if p.passed == nil {
			return err
		}
		return p.instead()
	}
	return nil
}
