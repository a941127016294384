package cli

import (
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/config"
	"frankledger/core/arrange"
	"frankledger/core/source"
	"frankledger/render"
)

// loadConfig reads the person's configuration.
func loadConfig() (*config.Config, error) {
	c, err := config.Load(config.File(), checkDefault)
	if err != nil {
		return nil, misuse("%w", err)
	}
	return c, nil
}

// checkDefault says what is wrong with a default in the configuration.
func checkDefault(key, word string) (err error) {
	switch key {
	case "units":
		_, err = render.ParseUnits(word)
	case "times":
		_, err = render.ParseTimes(word)
	case "order":
		_, err = arrange.ParseOrder(word)
	case "hidden":
		if _, err = source.ParseHidden(word); err != nil {
			err = fmt.Errorf("hidden %w", err)
		}
	case "colour":
		if word != autoWord && word != alwaysWord && word != neverWord {
			err = fmt.Errorf("colour can be auto, always or never, not %q", word)
		}
	case "skip":
		err = source.CheckPattern(word)
	}
	return err
}

// builtIn are the defaults where the configuration has none, in the order they
// are shown.
var builtIn = []struct{ key, value, meaning string }{
	{"units", "binary", "sizes in binary, decimal or bytes"},
	{"times", "relative", "times relative, local or utc"},
	{"order", "", "fields to order by; default by name within each folder"},
	{"hidden", "", "show, omit or only; list omits, other commands show"},
	{"colour", autoWord, "auto, always or never"},
	{"skip", "", "folders to skip"},
}

func (p *Program) configCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "config",
		Short: "show the defaults in force and where each comes from",
		Long: `Shows the defaults of options and where each comes from. They are kept in a TOML file
in the XDG configuration folder; an option on the command line overrides the file. A
file with everything in it:

    units = "decimal"
    times = "local"
    order = "modified"
    hidden = "show"
    colour = "never"
    skip = ["node_modules", ".git"]`,
		Args: noArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := loadConfig()
			if err != nil {
				return err
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
				rows = append(rows, []string{b.key, render.Escaped(value), from, b.meaning})
			}
			state := ""
			if _, err := os.Stat(c.Path); err != nil {
				state = " (not there)"
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s%s\n\n%s", render.Escaped(c.Path), state, render.Columns(rows))
			return err
		},
	}
	examples(cmd, example{"config", "the defaults in force"})
	return cmd
}
