package session

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"golang.org/x/term"

	"frankledger/render/typeset"
)

// Text is what can be shown a screen at a time: lines at places, of which the first is the start.
type Text interface {
	Start() int64
	End() int64
	// Next returns a line, and where the next one begins; [io.EOF] at the end.
	Next(at int64) (line []byte, next int64, err error)
	// Previous returns where the line before begins.
	Previous(at int64) (int64, error)
	// Count returns how many lines there are before a place.
	Count(before int64) (int64, error)
}

// Keys returns the terminal that a person can press keys at, if the session has one.
func (p *Session) Keys() *os.File {
	if term.IsTerminal(int(os.Stdin.Fd())) && IsTerminal(p.Out) && os.Getenv("TERM") != "dumb" {
		return os.Stdin
	}
	return nil
}

// pages shows a text on a terminal, a screen at a time.
type pages struct {
	text          Text
	name          string
	keys          *os.File
	out           io.Writer
	width, height int
	top, bottom   int64 // places of what is shown
	above         int64 // lines before the top
	lines         int64 // lines shown
	drawn         strings.Builder
}

// Pages shows a text a screen at a time, from a place on, until the person ends it. Next tells that another text was
// asked for. The last line of the screen says what is shown, and how far that is.
func (p *Session) Pages(keys *os.File, text Text, name string, from int64) (next bool, err error) {
	out, is := p.Out.(*os.File)
	if !is {
		return false, errors.New("not a terminal")
	}
	was, err := term.MakeRaw(int(keys.Fd()))
	if err != nil {
		return false, err
	}
	defer term.Restore(int(keys.Fd()), was)
	v := &pages{text: text, name: name, keys: keys, out: out, top: from}
	if v.above, err = text.Count(from); err != nil {
		return false, err
	}
	v.width, v.height = sizeOf(out)
	if err := v.draw(); err != nil {
		return false, err
	}
	for {
		key, err := v.key()
		if err != nil {
			return false, err
		}
		v.width, v.height = sizeOf(out)
		switch key {
		case "end":
			_, err = io.WriteString(v.out, clearLine)
			return false, err
		case "next":
			_, err = io.WriteString(v.out, clearLine)
			return true, err
		case "page":
			if v.bottom < text.End() {
				v.above, v.top = v.above+v.lines, v.bottom
				err = v.draw()
			}
		case "line":
			err = v.further()
		case "up":
			err = v.back(1)
		case "back":
			err = v.back(v.height - 1)
		case "start":
			v.above, v.top = 0, text.Start()
			err = v.draw()
		case "last":
			if v.top = text.End(); v.top > 0 {
				if v.above, err = text.Count(v.top); err == nil {
					err = v.back(v.height - 1)
				}
			}
		}
		if err != nil {
			return false, err
		}
	}
}

// What acts on the terminal: to the start of the line and clear it, and to the first line and clear the screen
// (ECMA-48).
const (
	clearLine   = "\r\x1b[K"
	clearScreen = "\x1b[H\x1b[2J"
	reversed    = "\x1b[7m"
	unreversed  = "\x1b[m"
)

// draw shows a screen from the top on.
func (v *pages) draw() error {
	v.drawn.Reset()
	v.drawn.WriteString(clearScreen)
	rows := 0
	v.bottom, v.lines = v.top, 0
	for {
		line, next, err := v.text.Next(v.bottom)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		shown := v.shown(line)
		if rows += len(shown); rows > v.height-1 && v.lines > 0 {
			break
		}
		v.write(shown[:min(len(shown), max(v.height-1, 1))])
		v.bottom, v.lines = next, v.lines+1
	}
	return v.status()
}

// shown is a line as rows of the screen.
func (v *pages) shown(line []byte) (rows []string) {
	text := typeset.Escaped(strings.ReplaceAll(string(line), "\t", "    "))
	for typeset.Width(text) > v.width {
		row := typeset.Truncate(text, v.width, "")
		if row == "" { // one character is wider than the screen
			break
		}
		rows, text = append(rows, row), text[len(row):]
	}
	return append(rows, text)
}

func (v *pages) write(rows []string) {
	for _, row := range rows {
		v.drawn.WriteString(row + "\r\n")
	}
}

// status ends what is drawn with the line that says where this is, and puts it on the screen.
func (v *pages) status() error {
	part := int64(100)
	if size := v.text.End(); size > 0 {
		part = v.bottom * 100 / size
	}
	where := fmt.Sprintf("%s  lines %d to %d, %d %%", typeset.Escaped(v.name), v.above+1, v.above+v.lines, part)
	if v.lines == 0 {
		where = typeset.Escaped(v.name) + "  the end"
	}
	keys := "  Space: on · PgUp: back · Home · End · q: quit"
	if typeset.Width(where)+typeset.Width(keys) < v.width {
		where += keys
	}
	v.drawn.WriteString(reversed + typeset.Truncate(where, v.width-1, "…") + unreversed)
	_, err := io.WriteString(v.out, v.drawn.String())
	return err
}

// further shows one line more.
func (v *pages) further() error {
	if v.bottom >= v.text.End() {
		return nil
	}
	_, next, err := v.text.Next(v.top)
	if err != nil {
		return err
	}
	v.top, v.above = next, v.above+1
	return v.draw()
}

// back shows so many rows before what is shown.
func (v *pages) back(rows int) error {
	for rows > 0 && v.top > v.text.Start() {
		at, err := v.text.Previous(v.top)
		if err != nil {
			return err
		}
		line, _, err := v.text.Next(at)
		if err != nil {
			return err
		}
		if rows -= len(v.shown(line)); rows < 0 && v.top < v.bottom {
			break
		}
		v.top, v.above = at, v.above-1
	}
	return v.draw()
}

// escapes are what terminals send for keys.
var escapes = map[string]string{
	"[A": "up", "[B": "line", "OA": "up", "OB": "line", "[5~": "back", "[6~": "page",
	"[H": "start", "[1~": "start", "OH": "start", "[7~": "start", "[F": "last", "[4~": "last", "OF": "last", "[8~": "last", "": "end",
}

// key waits for a key, and returns what it asks for; "" for nothing that is known.
func (v *pages) key() (string, error) {
	var pressed [32]byte
	n, err := v.keys.Read(pressed[:])
	if err != nil {
		return "end", nil // the terminal is gone
	}
	switch sequence := string(pressed[:n]); {
	case sequence == " ":
		return "page", nil
	case sequence == "\r" || sequence == "\n":
		return "line", nil
	case sequence == "\x7f" || sequence == "\b":
		return "back", nil
	case sequence == "n":
		return "next", nil
	case sequence == "q" || sequence == "Q" || strings.ContainsAny(sequence, "\x03\x04"):
		return "end", nil
	case strings.HasPrefix(sequence, "\x1b"):
		return escapes[sequence[1:]], nil
	}
	return "", nil
}
