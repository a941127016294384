package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/usage"
	"frankledger/demo"
	"frankledger/render/typeset"
)

// tour is what the demonstration shows. The words are typed in the sample tree.
var tour = []struct{ line, why string }{
	{"list", "What is here? Hidden entries are left out, and counted."},
	{"list --hidden show --totals --order size", "Everything, the largest first; folders with all they hold."},
	{"list notes --columns name,size,modified --times local", "Names of every kind; none can upset the screen."},
	{"list recordings --depth all --order modified --first 5", "What is newest below a folder?"},
	{"search recordings where name has ridge and name has dawn and modified within 7 days and size over 1MB --funnel", "Where is it? One condition after another, until the count is right."},
	{"weigh --at-least 1%", "What takes up space? The other rows add up to the first."},
	{"tally --by age", "How old is everything?"},
	{"outline handover", "How is it organised?"},
	{"duplicates", "What is there twice?"},
	{"verify handover/manifest-sha256.txt", "Has anything changed since the list was made?"},
	{"search where empty or broken or mislabelled --columns name,kind,type,size", "What needs attention?"},
	{"inspect notes/today.md --preview 3", "Everything about one file."},
	{"list handover/data --as csv", "The same as data, for a spreadsheet or a script."},
}

func (p *Program) demoCommand() *cobra.Command {
	var into string
	var asOf flags.Moment
	cmd := &cobra.Command{
		Use: "demo",
		Long: `Builds the files of Tern Point, a made-up field station that counts marsh birds by sound,
in a new temporary folder, and shows the main commands on it. The folder stays: try things
in it.`,
		Args: noArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			when, err := asOf.At(time.Now(), p.Zone())
			if err != nil {
				return err
			}
			folder, err := demoFolder(into)
			if err != nil {
				return err
			}
			skipped, err := demo.Build(folder, when)
			if err != nil {
				return err
			}
			return p.showDemo(cmd, folder, skipped, when)
		},
	}
	cmd.Flags().StringVar(&into, "into", "", "the `FOLDER` to build in, which must be new or empty")
	flags.AddMoment(cmd.Flags(), &asOf, "as-of", "build the tree as it is at this moment, `WHEN`: 2026-11-23 (ISO 8601); default now")
	examples(cmd,
		example{"demo", "the tree in a new temporary folder, and a tour of it"},
		example{"demo --into exchange/tern-point --as-of 2026-11-23", "the same tree each time"},
	)
	return cmd
}

// demoFolder makes the folder for the tree.
func demoFolder(into string) (string, error) {
	if into == "" {
		var err error
		if into, err = os.MkdirTemp("", "tern-point-"); err != nil {
			return "", err
		}
		if err := os.Chmod(into, 0o755); err != nil {
			return "", err
		}
	}
	if err := os.MkdirAll(into, 0o755); err != nil {
		return "", fmt.Errorf("--into: %w", err)
	}
	inside, err := os.ReadDir(into)
	if err != nil {
		return "", fmt.Errorf("--into: %w", err)
	}
	if len(inside) > 0 {
		return "", usage.MisuseOf("into", "--into: %s is not empty; name a new folder", typeset.Escaped(into))
	}
	return filepath.Abs(into)
}

// showDemo walks through the tree, each command as a person would type it.
func (p *Program) showDemo(cmd *cobra.Command, folder string, skipped []string, when time.Time) error {
	fmt.Fprintf(p.Output(), "Tern Point is a made-up field station that counts marsh birds by sound. Its files are now in\n\n  %s\n", typeset.Escaped(folder))
	for _, what := range skipped {
		fmt.Fprintf(p.Output(), "\nnot made: %s\n", what)
	}
	before, err := os.Getwd()
	if err != nil {
		return err
	}
	if err := os.Chdir(folder); err != nil {
		return err
	}
	defer os.Chdir(before)
	for _, step := range tour {
		fmt.Fprintf(p.Output(), "\n\n%s\n\n  $ frank %s\n\n", step.why, step.line)
		args := append(strings.Fields(step.line), "--page", "never", "--as-of", when.Format(time.RFC3339Nano))
		if status := p.Run(cmd.Context(), args); status != usage.StatusComplete && status != usage.StatusIncomplete && status != usage.StatusDifferent {
			return &usage.Failure{Status: status}
		}
	}
	if typeset.Escaped(folder) != folder { // nothing that can be pasted
		return nil
	}
	quoted := typeset.ShellQuoted(folder)
	fmt.Fprintf(p.Output(), `
The folder stays for you to try things in:  cd -- %s
When done, remove it with:                  chmod -R u+rwx -- %s && rm -r -- %s
`, quoted, quoted, quoted)
	return nil
}
