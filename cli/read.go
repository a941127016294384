package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/usage"
	"frankledger/core/live"
	"frankledger/core/media"
	"frankledger/core/posix"
	"frankledger/core/textfile"
	"frankledger/output"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// readOptions are the options of read.
type readOptions struct {
	first, last, from flags.Parsed[int]
	page              flags.Choice
	quiet             bool
}

func (p *Program) readCommand() *cobra.Command {
	var o readOptions
	cmd := &cobra.Command{
		Use: "read FILE…",
		Long: `Shows the text of a file and nothing else. On a terminal, a long text is shown a screen at
a time; the last line says which lines these are, and how far into the file. Space goes
on, Page Up goes back, Home and End go to the ends, the arrows move by a line, n goes to
the next file, and q quits.

Text may be in UTF-8, in UTF-16 with a byte order mark, or, as a guess, in Latin-1. If a
file is not text, frank read says so; frank inspect shows what it is.`,
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			return p.read(cmd, &o, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	flags.AddNumber(f, &o.first, "first", "f", "0", "show only the first `NUMBER` of lines")
	flags.AddNumber(f, &o.last, "last", "", "0", "show only the last `NUMBER` of lines")
	flags.AddNumber(f, &o.from, "from", "", "0", "start at the line with this `NUMBER`")
	f.BoolVarP(&o.quiet, "quiet", "q", false, "show the text without the line below it")
	flags.AddChoice(f, &o.page, "page", "", whenWords, autoWord, "`WHEN` to show a screen at a time: auto (if longer than the screen), always or never")
	group(cmd, groupWhat, "first", "last", "from")
	group(cmd, groupHow, "quiet", "page")
	complete(cmd, "page", oneOf(whenWords))
	examples(cmd,
		example{"read notes/rota.md", "all of it"},
		example{"read counts/latest.csv --first 5", "the first five lines"},
		example{"read counts/latest.csv --last 3", "the last three"},
		example{"read counts/2024/count-1.csv --from 3 --first 2", "lines 3 and 4"},
	)
	return cmd
}

// read shows the texts of files.
func (p *Program) read(cmd *cobra.Command, o *readOptions, args []string) error {
	if len(args) == 0 {
		return usage.Misuse("name a file to read: %s FILE", cmd.CommandPath())
	}
	if err := flags.CheckExclusions(cmd, ""); err != nil {
		return err
	}
	incomplete := false
	for i := 0; i < len(args); i++ {
		err := p.readOne(o, args[i], i+1 < len(args))
		switch {
		case errors.Is(err, errEnded):
			return nil
		case errors.Is(err, errUnread):
			incomplete = true
		case err != nil:
			return err
		}
	}
	if incomplete {
		return &usage.Failure{Status: usage.StatusIncomplete}
	}
	return nil
}

var (
	errEnded  = errors.New("the person ended it")
	errUnread = errors.New("a file was not read")
)

// unread says why a file is not read.
func (p *Program) unread(path, format string, args ...any) error {
	p.Say("frank read: %s %s", typeset.Escaped(path), fmt.Sprintf(format, args...))
	return errUnread
}

// readOne shows the text of one file.
func (p *Program) readOne(o *readOptions, path string, more bool) error {
	if usage.IsMarked(path) {
		return usage.Misuse("%s is not a file: read shows the text in a file that exists now", typeset.Escaped(path))
	}
	info, err := os.Stat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return p.args.MissingPlaces([]string{path}, []string{typeset.Escaped(path) + ": " + posix.Reason(err).Error()})
	case err != nil:
		return p.unread(path, "could not be read: %s", posix.Reason(err))
	case info.IsDir():
		return usage.Repaired(usage.Misuse("%s is a folder; read shows the text in a file", typeset.Escaped(path)), []string{"list", path}, []string{"search", path, usage.Where, "kind", "is", "file"})
	case !info.Mode().IsRegular():
		return p.unread(path, "is not a file")
	}
	file, err := live.OpenContent(path)
	if err != nil {
		return p.unread(path, "could not be read: %s", posix.Reason(err))
	}
	defer file.Close()
	lines, err := textfile.NewLines(file, file.Length())
	switch {
	case errors.Is(err, textfile.ErrNoText):
		head := make([]byte, media.HeadSize)
		n, _ := file.ReadAt(head, 0)
		what, _ := media.Detect(head[:n], "")
		return p.unread(path, "is not text: %s, %s; frank inspect shows what it is", what, units.Binary.SizeText(file.Length()))
	case err != nil:
		return p.unread(path, "could not be read: %s", posix.Reason(err))
	}
	if lines.Encoding == textfile.Latin1 {
		p.Say("frank: %s is not UTF-8 and was read as Latin-1", typeset.Escaped(path))
	}
	return p.showText(o, lines, path, more)
}

// showText shows some of a text, or all of it.
func (p *Program) showText(o *readOptions, lines *textfile.Lines, path string, more bool) error {
	from, to, err := part(lines, o)
	if err != nil {
		return err
	}
	_, height, onScreen := p.Screen()
	whole := to == lines.End()
	if keys := p.Keys(); keys != nil && whole && (o.page.String() == alwaysWord || o.page.String() == autoWord && isTaller(lines, from, height-1)) {
		next, err := p.Pages(keys, lines, path, from)
		if err == nil && !next && more {
			return errEnded
		}
		return err
	}
	destination := output.Straight(p.Out)
	if onScreen {
		destination = output.Screen(destination)
	}
	shown, ended := int64(0), true
	for at := from; at < to; {
		line, next, err := lines.Next(at)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		ended = lines.Ends(next)
		if ended {
			line = append(line, '\n')
			shown++
		}
		if _, err := destination.Write(line); err != nil {
			return err
		}
		at = next
	}
	if onScreen && !o.quiet {
		above, err := lines.Count(from)
		all, err2 := lines.Count(lines.End())
		if !ended {
			shown++
		}
		end := ""
		if !ended {
			end = "\n"
		}
		fmt.Fprintf(p.Output(), "%s— %s: %s\n", end, typeset.Escaped(path), spanText(above, shown, all))
		return cmp.Or(err, err2)
	}
	return destination.Close(true)
}

// spanText says which lines were shown.
func spanText(above, shown, all int64) string {
	switch {
	case all == 0:
		return "empty"
	case shown == 0:
		return "it has only " + units.Count(all, "line", "lines")
	case above == 0 && shown == all:
		return "all, " + units.Count(all, "line", "lines")
	case shown == 1:
		return fmt.Sprintf("line %d of %d", above+1, all)
	}
	return fmt.Sprintf("lines %d to %d of %d", above+1, above+shown, all)
}

// part returns where what is wanted of a text begins and ends.
func part(lines *textfile.Lines, o *readOptions) (from, to int64, err error) {
	from, to = lines.Start(), lines.End()
	switch {
	case o.last.Value > 0:
		from, err = lines.Last(o.last.Value)
	case o.from.Value > 0:
		from, err = lines.Line(int64(o.from.Value))
	}
	if o.first.Value == 0 || err != nil {
		return from, to, err
	}
	for at, n := from, 0; ; {
		_, next, err := lines.Next(at)
		switch {
		case errors.Is(err, io.EOF):
			return from, to, nil
		case err != nil:
			return from, to, err
		}
		if at = next; lines.Ends(next) {
			if n++; n == o.first.Value {
				return from, at, nil
			}
		}
	}
}

// isTaller reports whether a text has more lines from a place on than a screen has rows.
func isTaller(lines *textfile.Lines, from int64, rows int) bool {
	for at := from; rows >= 0; rows-- {
		_, next, err := lines.Next(at)
		if err != nil {
			return false
		}
		at = next
	}
	return true
}
