package cli

import (
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/core/text"
	"frankledger/render/layout"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

func (p *Program) configCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "config",
		Long: `Shows the defaults of options, and where each comes from. You set defaults in a TOML file
in the XDG configuration folder; an option on the command line overrides the file. A file
that sets everything:

    units = "decimal"
    times = "local"
    order = "modified"
    hidden = "show"
    colour = "never"
    skip = ["node_modules", ".git"]
    columns.list = "name,size,modified"
    columns.search = "name,size"
    ledger = "~/records/ledger.sqlite"
    pager = "less -S"
    journals = "1 year"`,
		Args: noArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return p.showConfig(cmd) },
	}
	examples(cmd, example{"config", "show the defaults"},
		example{"config set units decimal", "change one default, and nothing else in the file"},
		example{"config unset units", "use the built-in default again"})
	keys := func(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
		if len(args) == 0 {
			return config.KeyNames(), cobra.ShellCompDirectiveNoFileComp
		}
		return map[string][]string{"units": units.SizeWords(), "times": units.TimeWords(), "hidden": hiddenWords, "colour": whenWords, "order": orderWords()}[args[0]], cobra.ShellCompDirectiveNoFileComp
	}
	cmd.AddCommand(&cobra.Command{
		Use:               "set KEY VALUE…",
		Short:             "set a default; skip takes several values",
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: keys,
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) < 2 {
				return usage.Misuse("say which default, and its value: frank config set units decimal")
			}
			if err := config.Set(config.File(), args[0], args[1:], checkDefault); err != nil {
				return p.keyMistake(args[0], err)
			}
			_, err := fmt.Fprintf(p.Output(), "%s is %s now, in %s\n", args[0], typeset.Escaped(strings.Join(args[1:], " ")), typeset.Escaped(config.File()))
			return err
		},
	}, &cobra.Command{
		Use:               "unset KEY",
		Short:             "remove a default from the file",
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: keys,
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) != 1 {
				return usage.Misuse("say which default: frank config unset units")
			}
			was, err := config.Unset(config.File(), args[0], checkDefault)
			if err != nil {
				return p.keyMistake(args[0], err)
			}
			text := args[0] + " is the built-in default again"
			if !was {
				text = args[0] + " was not set"
			}
			_, err = fmt.Fprintln(p.Output(), text)
			return err
		},
	})
	return cmd
}

// keyMistake says what is wrong with setting a default, and which was likely meant.
func (p *Program) keyMistake(key string, err error) error {
	wrong := usage.Misuse("%s: %w", typeset.Escaped(key), err)
	if near := text.Nearest(key, config.KeyNames()); near != "" && near != key {
		return usage.Repaired(wrong, p.args.Instead(key, near))
	}
	return wrong
}

// showConfig shows show the defaults. Where the file cannot be read, these are the
// built-in ones.
func (p *Program) showConfig(cmd *cobra.Command) error {
	c, broken := loadConfig()
	if broken != nil {
		c = &config.Config{Path: config.File()}
	}
	rows := [][]string{{"option", "default", "from", "what it is"}}
	for _, b := range builtIn {
		value, from := b.value, "built in"
		if v, set := c.Values[b.key]; set {
			value, from = v.Text, fmt.Sprintf("line %d", v.Line)
			if config.Keys[b.key] {
				value = strings.Join(v.List, " ")
			}
		} else if b.key == "colour" && os.Getenv("NO_COLOR") != "" {
			value, from = neverWord, "NO_COLOR"
		}
		if value == "" {
			value = "–"
		}
		rows = append(rows, []string{b.key, typeset.Escaped(value), from, b.meaning})
	}
	state := ""
	if _, err := os.Stat(c.Path); err != nil {
		state = " (not there)"
	} else if broken != nil {
		state = " (not used: there is a mistake in it)"
	}
	if _, err := fmt.Fprintf(cmd.OutOrStdout(), "%s%s\n\n%s", typeset.Escaped(c.Path), state, layout.Columns(rows)); err != nil || broken == nil {
		return err
	}
	return &usage.Failure{Status: usage.StatusIncomplete, Err: broken}
}
