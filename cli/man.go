package cli

import (
	"fmt"
	"io"
	"strings"

	"frankledger/cli/usage"

	"github.com/spf13/cobra"
)

// ManPages returns a manual page for the program and each command, by the names
// of their files, in the man macros that every Unix has.
func ManPages() map[string][]byte {
	root := newProgram(io.Discard, io.Discard, nil).Root()
	pages := map[string][]byte{"frank.1": manPage(root)}
	for _, cmd := range root.Commands() {
		if cmd.IsAvailableCommand() && cmd.Name() != "completion" {
			pages["frank-"+cmd.Name()+".1"] = manPage(cmd)
		}
	}
	return pages
}

func manPage(cmd *cobra.Command) []byte {
	var b strings.Builder
	name := strings.ReplaceAll(cmd.CommandPath(), " ", "-")
	fmt.Fprintf(&b, ".TH %s 1\n.SH NAME\n%s \\- %s\n", strings.ToUpper(name), name, roff(cmd.Short))
	synopsis := cmd.CommandPath() + strings.TrimPrefix(cmd.Use, cmd.Name())
	if cmd.HasAvailableSubCommands() {
		synopsis += " COMMAND"
	}
	fmt.Fprintf(&b, ".SH SYNOPSIS\n%s\n", roff(synopsis))
	if cmd.Long != "" {
		fmt.Fprintf(&b, ".SH DESCRIPTION\n.nf\n%s\n.fi\n", roff(cmd.Long))
	}
	if cmd.HasAvailableSubCommands() {
		b.WriteString(".SH COMMANDS\n")
		for _, c := range cmd.Commands() {
			if c.IsAvailableCommand() {
				fmt.Fprintf(&b, ".TP\n%s\n%s\n", roff(c.Name()), roff(c.Short))
			}
		}
	}
	for _, group := range optionGroups {
		rows := optionRows(cmd, group, nil)
		if len(rows) == 0 {
			continue
		}
		if group == "" {
			group = "Options"
		}
		fmt.Fprintf(&b, ".SH %s\n", strings.ToUpper(group))
		for _, row := range rows {
			fmt.Fprintf(&b, ".TP\n%s\n%s\n", roff(strings.TrimSpace(row[0])), roff(row[1]))
		}
	}
	if cmd.Example != "" {
		fmt.Fprintf(&b, ".SH EXAMPLES\n.nf\n%s\n.fi\n", roff(cmd.Example))
	}
	b.WriteString(".SH EXIT STATUS\n")
	for _, s := range usage.Statuses {
		fmt.Fprintf(&b, ".TP\n%d\n%s\n", s.Status, roff(s.Meaning))
	}
	return []byte(b.String())
}

// roff keeps text from being read as the language of manual pages.
func roff(text string) string {
	text = strings.ReplaceAll(text, `\`, `\e`)
	text = strings.ReplaceAll(text, "-", `\-`)
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		if strings.HasPrefix(line, ".") || strings.HasPrefix(line, "'") {
			lines[i] = `\&` + line
		}
	}
	return strings.Join(lines, "\n")
}
