package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/render/layout"
	"frankledger/render/style"
	"frankledger/render/typeset"
)

// example is a command line that works on the sample tree, without the name of
// the program, and what it shows.
type example struct{ line, what string }

// examples gives a command its examples.
func examples(cmd *cobra.Command, list ...example) {
	var lines []string
	for _, e := range list {
		line := exampleMark + e.line
		if e.what != "" {
			line += "\n    " + e.what
		}
		lines = append(lines, line)
	}
	cmd.Example = strings.Join(lines, "\n")
}

const groupAnnotation = "group"

// group puts options of a command into a group of its help.
func group(cmd *cobra.Command, name string, options ...string) {
	for _, option := range options {
		if err := cmd.Flags().SetAnnotation(option, groupAnnotation, []string{name}); err != nil {
			panic(err) // the option is not there: a slip in the program
		}
	}
}

// optionGroups are the groups of options in the order they are shown; the last
// is of those that are in none.
var optionGroups = []string{groupDo, groupWhat, groupWhere, groupHow, groupOut, ""}

const sharedAnnotation = "shared"

// shared marks options that many commands have, which their help only names at first.
func shared(cmd *cobra.Command, options ...string) {
	for _, option := range options {
		if err := cmd.Flags().SetAnnotation(option, sharedAnnotation, []string{"yes"}); err != nil {
			panic(err) // the option is not there: a slip in the program
		}
	}
}

// screenful is how many lines the help of a command has at first.
const screenful = 40

// help prints the help of a command: at first what it does, its examples and its own
// options.
func (p *Program) help(cmd *cobra.Command, _ []string) {
	if !cmd.HasParent() {
		fmt.Fprint(cmd.OutOrStdout(), p.overview())
		return
	}
	list := strings.Split(cmd.Example, "\n"+exampleMark)
	page := p.helpPage()
	text := page.short(cmd, list)
	for strings.Count(text, "\n") > screenful && len(list) > 1 {
		list = list[:len(list)-1]
		text = page.short(cmd, list)
	}
	fmt.Fprint(cmd.OutOrStdout(), text)
}

// helpPage is how help is written: so wide, and with headings that stand out on a terminal.
type helpPage struct {
	layout.Page
	palette style.Palette
}

// helpPage returns how help is written here.
func (p *Program) helpPage() helpPage {
	page := helpPage{Page: layout.Page{Width: layout.PageWidth}}
	if width, _, is := p.Screen(); is {
		page.Width = min(page.Width, width)
		if c, err := loadConfig(); err != nil || c.Text("colour") != neverWord {
			page.palette = paletteOnScreen()
		}
	}
	return page
}

// heading is a line above what it is about.
func (h helpPage) heading(words string) string {
	return string(style.Put(h.palette, nil, words, style.Heading)) + "\n"
}

// short is the help of a command with some of its examples.
func (h helpPage) short(cmd *cobra.Command, list []string) string {
	var b strings.Builder
	b.WriteString(h.head(cmd, strings.Join(list, "\n"+exampleMark)))
	own := func(f *pflag.Flag) bool { return f.Annotations[sharedAnnotation] == nil }
	var rows [][]string
	for _, name := range optionGroups {
		rows = append(rows, optionRows(cmd, name, own)...)
	}
	if len(rows) > 0 {
		b.WriteString("\n" + h.heading("Options") + h.Columns(rows))
	}
	var names []string
	cmd.Flags().VisitAll(func(f *pflag.Flag) {
		if f.Annotations[sharedAnnotation] != nil {
			names = append(names, strings.Replace(optionName(f), ", ", together, 1))
		}
	})
	if len(names) > 0 {
		b.WriteString("\n" + h.heading(fmt.Sprintf("Common options (explained by frank help %s all)", strings.TrimPrefix(cmd.CommandPath(), cmd.Root().Name()+" "))))
		for _, line := range typeset.Wrap(strings.Join(names, "  "), h.Width-2*layout.Indent, 0) {
			b.WriteString("  " + strings.ReplaceAll(strings.TrimSpace(line), together, " ") + "\n")
		}
	}
	return b.String()
}

// together parts words that stay on one line.
const together = "\u00a0"

// head is the first part of the help of a command.
func (h helpPage) head(cmd *cobra.Command, examples string) string {
	var b strings.Builder
	title := cmd.CommandPath()
	if cmd.HasParent() {
		title = cmd.CommandPath() + strings.TrimPrefix(cmd.Use, cmd.Name())
	}
	b.WriteString(h.heading(title) + "    " + strings.Join(typeset.Wrap(cmd.Short, h.Width-4, 0), "\n    ") + "\n")
	if cmd.Long != "" {
		fmt.Fprintf(&b, "\n%s\n", h.Reflow(cmd.Long))
	}
	if rows := commandRows(cmd); len(rows) > 0 {
		b.WriteString("\n" + h.heading("Commands") + h.Columns(rows))
	}
	if examples != "" {
		fmt.Fprintf(&b, "\n%s  %s\n", h.heading("Examples"), strings.ReplaceAll(examples, "\n", "\n  "))
	}
	return b.String()
}

// commandRows are the commands below a command, and what each does.
func commandRows(cmd *cobra.Command) (rows [][]string) {
	for _, c := range cmd.Commands() {
		if c.IsAvailableCommand() {
			rows = append(rows, []string{c.Name(), c.Short})
		}
	}
	return rows
}

// full is all the help of a command.
func (h helpPage) full(cmd *cobra.Command) string {
	var b strings.Builder
	b.WriteString(h.head(cmd, cmd.Example))
	for _, name := range optionGroups {
		if rows := optionRows(cmd, name, nil); len(rows) > 0 {
			if name == "" {
				name = "Other options"
			}
			b.WriteString("\n" + h.heading(name) + h.Columns(rows))
		}
	}
	if !cmd.HasParent() {
		var rows [][]string
		for _, s := range usage.Statuses {
			rows = append(rows, []string{strconv.Itoa(s.Status), s.Meaning})
		}
		b.WriteString("\n" + h.heading("Exit status") + h.Columns(rows))
	}
	return b.String()
}

// optionName is an option as help names it, with its letter.
func optionName(f *pflag.Flag) string {
	if f.Shorthand != "" {
		return "-" + f.Shorthand + ", --" + f.Name
	}
	return "--" + f.Name
}

// optionRows are the options of a group that are wanted, and what they mean.
func optionRows(cmd *cobra.Command, group string, wanted func(*pflag.Flag) bool) (rows [][]string) {
	cmd.Flags().VisitAll(func(f *pflag.Flag) {
		in := ""
		if groups := f.Annotations[groupAnnotation]; len(groups) > 0 {
			in = groups[0]
		}
		if in != group || f.Hidden || f.Name == "help" || wanted != nil && !wanted(f) {
			return
		}
		value, usage := pflag.UnquoteUsage(f)
		option := optionName(f)
		if f.Shorthand == "" {
			option = "    " + option
		}
		if value != "" && f.Value.Type() != "bool" {
			option += " " + value
		}
		if f.DefValue != "" && f.DefValue != "0" && f.DefValue != "false" && f.DefValue != "[]" {
			usage += " (" + f.DefValue + ")"
		}
		rows = append(rows, []string{option, usage})
	})
	return rows
}

// paged writes a text that may be long, through the pager if it is taller than the screen.
func (p *Program) paged(text string) error {
	c, err := loadConfig()
	if err != nil { // help is for that, too
		c = &config.Config{}
	}
	r := &question{options: options{config: c, page: autoWord}}
	destination, err := p.destination(r)
	if err == nil {
		_, err = destination.Write([]byte(text))
		err = p.finish(r, destination, err, true)
	}
	return err
}

// helpName is the command that shows help.
const helpName = "help"

// helpCommand is "frank help": of the program, a command, or a topic.
func (p *Program) helpCommand(root *cobra.Command) *cobra.Command {
	var all bool
	cmd := &cobra.Command{
		Use:   helpName + " [COMMAND | TOPIC] [all]",
		Short: "show help for a command or a topic",
		ValidArgsFunction: func(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
			under, rest, err := root.Find(args)
			if err != nil || len(rest) > 0 {
				return nil, cobra.ShellCompDirectiveNoFileComp
			}
			var names []string
			for _, c := range under.Commands() {
				if c.IsAvailableCommand() {
					names = append(names, c.Name())
				}
			}
			if under == root {
				names = append(names, topicNames()...)
			}
			return append(names, allWord), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if last := len(args) - 1; last >= 0 && args[last] == allWord {
				all, args = true, args[:last]
			}
			if len(args) == 1 && topics[args[0]] != "" {
				fmt.Fprint(cmd.OutOrStdout(), p.helpPage().Reflow(topics[args[0]]))
				return nil
			}
			found, rest, err := root.Find(args)
			if err != nil || len(rest) > 0 {
				return p.unknownCommand(cmd, strings.Join(args, " "))
			}
			found.InitDefaultHelpFlag()
			if all {
				return p.paged(p.helpPage().full(found))
			}
			return found.Help()
		},
	}
	cmd.Flags().BoolVar(&all, allWord, false, "every option, and all examples")
	return cmd
}
