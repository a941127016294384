package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"frankledger/core/entry"
	"frankledger/render"
)

// costs say what it takes to learn a field's value.
func cost(f *entry.Field) string {
	switch {
	case f.Needs == 0:
		return "the name alone"
	case f.Needs&(entry.FactContent|entry.FactInside) != 0:
		return "opening the entry"
	}
	return "asking the system"
}

func (p *Program) fieldsCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "fields",
		Short: "the reference of fields, formats and units",
		Long: `Prints every field: what it means, the type of its values, and what it costs to
learn. The names are the columns, the order keys, and the keys in CSV and JSON.`,
		Args: noArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			var b strings.Builder
			b.WriteString("Fields, for --columns and --order\n\n")
			rows := [][]string{{"field", "value", "costs", "what it is"}}
			for i := range entry.Fields {
				f := &entry.Fields[i]
				rows = append(rows, []string{f.Name, f.Type.String(), cost(f), f.Meaning})
			}
			b.WriteString(render.Columns(rows))
			b.WriteString("\n--order goes by a field in its natural direction: text A to Z with numbers in\n" +
				"counting order, sizes, link counts and ages from the greatest, times from the\n" +
				"newest, yes before no. With /reverse after the name it is the other way round.\n")
			b.WriteString("\nFormats, for --as\n\n")
			rows = nil
			for _, name := range render.FormatNames() {
				rows = append(rows, []string{name, render.FormatMeaning(name)})
			}
			b.WriteString(render.Columns(rows))
			b.WriteString("\nUnits, for --units (IEC 80000-13)\n\n")
			b.WriteString(render.Columns([][]string{
				{"binary", "B, KiB, MiB, GiB, TiB, PiB, EiB: each 1024 of the one before"},
				{"decimal", "B, kB, MB, GB, TB, PB, EB: each 1000 of the one before"},
				{"bytes", "every byte"},
			}))
			_, err := cmd.OutOrStdout().Write([]byte(b.String()))
			return err
		},
	}
	examples(cmd, example{"fields", "everything that can be a column"})
	return cmd
}

func noArgs(cmd *cobra.Command, args []string) error {
	if len(args) > 0 {
		return misuse("it takes nothing but options, so %q has no place here", args[0])
	}
	return nil
}
