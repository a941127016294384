package cli

import (
	"io"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/usage"
	"frankledger/core/checksum"
	"frankledger/core/digest"
	"frankledger/core/digestlist"
	"frankledger/core/live"
	"frankledger/core/posix"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
)

// expect holds one file against a digest, and answers in one line.
func (p *Program) expect(cmd *cobra.Command, o *readingOptions, text, words string, args []string) error {
	algorithms, err := parseAlgorithms(words)
	if err != nil {
		return usage.MisuseOf("algorithm", "--algorithm: %w", err)
	}
	value, err := digestlist.ParseDigest(text)
	if err != nil { // a line of a list
		if list, failed := digestlist.Read(strings.NewReader(text), ""); failed == nil && len(list.Lines) == 1 && len(list.Mistakes) == 0 {
			value, err = list.Lines[0].Digest, nil
		}
	}
	if err != nil && there(text) { // a list, of which one line is about the file
		if cmd.Flags().Changed("algorithm") {
			return usage.MisuseOf("algorithm", "--algorithm: leave it out, because the list says which algorithm it uses")
		}
		return p.verify(cmd, &verifyOptions{showing: o.showingOptions, show: showWords[0]}, text, args, nil)
	}
	if err != nil {
		return usage.MisuseOf("expect", "--expect: %w", err)
	}
	if cmd.Flags().Changed("algorithm") {
		if len(algorithms) > 1 {
			return usage.MisuseOf("expect", "--expect takes one algorithm")
		}
		of, can := value.Of(algorithms[0])
		if !can {
			return usage.MisuseOf("expect", "--expect: this is a digest of %s, not of %s", value.Names(), algorithms[0].Name)
		}
		value = of
	}
	if len(args) != 1 {
		return usage.MisuseOf("expect", "--expect checks one file: %s FILE --expect DIGEST", cmd.CommandPath())
	}
	r, err := p.question(cmd, o)
	if err != nil {
		return err
	}
	place, err := live.Open(args[0], 0)
	if err != nil {
		return usage.Misuse("%s: %w", typeset.Escaped(args[0]), posix.Reason(err))
	}
	if !place.Place().Leaf {
		return usage.MisuseOf("expect", "--expect: %s is a folder, and a digest belongs to one file; frank verify takes a list", typeset.Escaped(args[0]))
	}
	list, folder := checksum.Single(args[0], place.Place().Full, value)
	if r.form != render.Table {
		return p.verifyList(cmd.Context(), r, args[0], list, folder.Place, checksum.CheckOptions{}, nil, 0, true, nil)
	}
	a, err := ask(p, r, func(request source.Request) (*checksum.Checked, error) {
		return checksum.Check(cmd.Context(), list, folder, digest.NewPool(live.Files{Follow: true}, request.Progress), request.Progress, checksum.CheckOptions{})
	})
	if err != nil {
		return err
	}
	summary := &report.Summary{Report: a.Report}
	err = p.answer(r, summary, func(w output.Destination) error {
		if a.Counts[checksum.Unreadable] > 0 {
			return nil
		}
		_, err := io.WriteString(w, report.Expected(&a.Results[0], value)+"\n")
		return err
	})
	return different(a.Trouble() && a.Counts[checksum.Unreadable] == 0, err)
}
