package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"frankledger/render"
)

// example is a command line that works on the sample tree, without the name of
// the program, and what it shows.
type example struct{ line, what string }

// exampleMark starts each example in cobra's text of them; help parts them
// again there, and so do the tests that run them.
const exampleMark = "frank "

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

// help prints the help of a command.
func (p *Program) help(cmd *cobra.Command, _ []string) {
	var b strings.Builder
	title := cmd.CommandPath()
	if cmd.HasParent() {
		title = cmd.CommandPath() + strings.TrimPrefix(cmd.Use, cmd.Name())
	}
	fmt.Fprintf(&b, "%s\n    %s\n", title, cmd.Short)
	if cmd.Long != "" {
		fmt.Fprintf(&b, "\n%s\n", cmd.Long)
	}
	if cmd.HasAvailableSubCommands() {
		var rows [][]string
		for _, c := range cmd.Commands() {
			if c.IsAvailableCommand() {
				rows = append(rows, []string{c.Name(), c.Short})
			}
		}
		fmt.Fprintf(&b, "\nCommands\n%s", render.Columns(rows))
	}
	if cmd.Example != "" {
		fmt.Fprintf(&b, "\nExamples\n  %s\n", strings.ReplaceAll(cmd.Example, "\n", "\n  "))
	}
	for _, name := range optionGroups {
		if rows := optionRows(cmd, name); len(rows) > 0 {
			if name == "" {
				name = "Other options"
			}
			fmt.Fprintf(&b, "\n%s\n%s", name, render.Columns(rows))
		}
	}
	if !cmd.HasParent() {
		var rows [][]string
		for _, s := range statuses {
			rows = append(rows, []string{strconv.Itoa(s.status), s.meaning})
		}
		fmt.Fprintf(&b, "\nExit status\n%s", render.Columns(rows))
		b.WriteString("\n\"frank help COMMAND\" tells more about a command; \"frank demo\" shows the commands\nat work on a made-up tree.\n")
	}
	fmt.Fprint(cmd.OutOrStdout(), b.String())
}

func optionRows(cmd *cobra.Command, group string) (rows [][]string) {
	cmd.Flags().VisitAll(func(f *pflag.Flag) {
		in := ""
		if groups := f.Annotations[groupAnnotation]; len(groups) > 0 {
			in = groups[0]
		}
		if in != group || f.Hidden || f.Name == "help" {
			return
		}
		value, usage := pflag.UnquoteUsage(f)
		option := "--" + f.Name
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

// helpCommand is "frank help": of the program, or of a command.
func (p *Program) helpCommand(root *cobra.Command) *cobra.Command {
	return &cobra.Command{
		Use:   "help [COMMAND]",
		Short: "what there is, or more of a command",
		ValidArgsFunction: func(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
			var names []string
			for _, c := range root.Commands() {
				if c.IsAvailableCommand() && len(args) == 0 {
					names = append(names, c.Name())
				}
			}
			return names, cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			found, rest, err := root.Find(args)
			if err != nil || len(rest) > 0 {
				return p.unknownCommand(cmd, strings.Join(args, " "))
			}
			found.InitDefaultHelpFlag()
			return found.Help()
		},
	}
}
