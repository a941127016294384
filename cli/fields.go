package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/usage"
	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/render"
	"frankledger/render/layout"
)

// costs say what it takes to learn a field's value.
func cost(f *entry.Field) string {
	switch {
	case f.Needs == 0:
		return "the name alone"
	case f.Needs&(entry.FactDigests|entry.FactText) != 0:
		return "reading all of it"
	case f.Needs&(entry.FactContent|entry.FactInside) != 0:
		return "opening the entry"
	}
	return "asking the system"
}

func (p *Program) fieldsCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "fields",
		Long: `Prints every field: what it means, its type, and what it costs to read. Columns, sort
orders, CSV and JSON use the same names.`,
		Args: noArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			var b strings.Builder
			b.WriteString("Fields, for --columns, --order and conditions\n\n")
			rows := [][]string{{"field", "value", "costs", "what it is"}}
			for i := range entry.Fields {
				f := &entry.Fields[i]
				rows = append(rows, []string{f.Name, f.Type.String(), cost(f), f.Meaning})
			}
			b.WriteString(layout.Columns(rows))
			b.WriteString("\n--order sorts by a field in its natural direction: text from A to Z, with numbers in\n" +
				"counting order; sizes, link counts and ages from the greatest; times from the newest;\n" +
				"yes before no. With /reverse after the name, the order is the opposite.\n")
			b.WriteString("\nTests, for conditions after where\n\n")
			b.WriteString(layout.Columns(testRows()))
			b.WriteString("\nTests are joined with and, or and not; ( and ) group. A single word such as empty or\n" +
				"hidden is a test by itself. With ext, kind, type, owner and group, is takes a list\n" +
				"with commas.\n")
			b.WriteString("\nFormats, for --as\n\n")
			rows = nil
			for _, form := range render.Forms {
				rows = append(rows, []string{form.Name, form.Meaning})
			}
			b.WriteString(layout.Columns(rows))
			b.WriteString("\nUnits, for --units (IEC 80000-13)\n\n")
			b.WriteString(layout.Columns([][]string{
				{"binary", "B, KiB, MiB, GiB, TiB, PiB, EiB: each 1024 of the one before"},
				{"decimal", "B, kB, MB, GB, TB, PB, EB: each 1000 of the one before"},
				{"bytes", "every byte"},
				{"kB to EB, KiB to EiB", "this unit for all sizes: --units MiB"},
			}))
			_, err := cmd.OutOrStdout().Write([]byte(b.String()))
			return err
		},
	}
	examples(cmd, example{"fields", "every possible column"})
	return cmd
}

// testRows shows, for each type of value, what can be asked and how values are
// written.
func testRows() [][]string {
	rows := [][]string{{"value", "what can be asked", "written"}}
	for _, kind := range []struct{ field, written string }{
		{"name", "text; * ? [a-z] for like, RE2 for matches; in quotes if it has spaces"},
		{"size", "10MB: units B, kB, MB, GB, TB (by 1000), KiB, MiB, GiB, TiB (by 1024), in any case"},
		{"text", "as above, for a piece of a line, or for RE2: text has 'tide table'"},
		{"links", "a whole number"},
		{"modified", "2026-11-23, 2026-11-23T14:00, 2026-11, now, today, yesterday, 90 days ago; within takes 7 days"},
		{"age", "90 days: seconds, minutes, hours, days, weeks, months, years"},
		{"mode", "octal as 0640, or symbolic as ug+w; is also takes rw-r-----"},
		{"sha256", "hexadecimal digits, at least the first 8"},
	} {
		f := entry.FieldNamed(kind.field)
		var ops []string
		for _, op := range condition.OpsOf(f) {
			ops = append(ops, string(op))
		}
		what := f.Type.String()
		switch {
		case f.Needs&entry.FactDigests != 0:
			what = "digest"
		case f.Needs&entry.FactText != 0:
			what = "text inside"
		}
		rows = append(rows, []string{what, strings.Join(ops, ", "), kind.written})
	}
	return append(rows, []string{"any", "missing, present", "nothing: is there a value?"})
}

func noArgs(cmd *cobra.Command, args []string) error {
	if len(args) > 0 {
		return usage.Misuse("%q is not expected here: this command takes only options", args[0])
	}
	return nil
}
