package output

import (
	"bytes"
	"io"
	"os"
	"os/exec"
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

// PagerCommand returns the pager that the person wants: what $PAGER says, else
// the first of the usual ones that the system has. It is empty for none.
func PagerCommand() string {
	if command, set := os.LookupEnv("PAGER"); set {
		if command == "cat" {
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
	if p.pipe != nil {
		return p.pipe.Write(b)
	}
	p.held.Write(b)
	p.lines += bytes.Count(b, []byte("\n"))
	if p.lines < p.height {
		return len(b), nil
	}
	if err := p.start(); err != nil {
		return 0, err
	}
	_, err := p.pipe.Write(p.held.Bytes())
	p.held = bytes.Buffer{}
	return len(b), err
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
	p.pipe = pipe
	return p.program.Start()
}

// Close implements Destination. It waits until the person has left the pager.
func (p *pager) Close(bool) error {
	if p.pipe == nil {
		_, err := p.terminal.Write(p.held.Bytes())
		return err
	}
	p.pipe.Close()
	return p.program.Wait()
}
