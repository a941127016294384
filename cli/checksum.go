package cli

import (
	"os"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/checksum"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// checksumFormats are those that digests can have.
var checksumFormats = []*render.Form{render.Table, render.Manifest, render.CSV, render.JSON, render.Lines, render.Markdown, render.HTML}

func (p *Program) checksumCommand() *cobra.Command {
	var o readingOptions
	var algorithms, expect string
	cmd := &cobra.Command{
		Use: "checksum [PATH…] [where CONDITION…]",
		Long: `Computes the digest of each file, and of every file below a folder. Files with the same
mark have the same content, so you need not compare digits.

--expect checks one file against a digest from its publisher. Write the digest in
hexadecimal, with or without spaces and the name of the algorithm; in the form of web
pages, sha256-BASE64; as a whole line of a list; or name the list. The answer is one line.
The exit status is 0 if the digests are the same and 1 if they differ.

--as manifest writes a digest list (RFC 8493), with paths relative to its own folder;
"frank verify" checks the files against it later.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			if expect != "" || cmd.Flags().Changed("expect") {
				return p.expect(cmd, &o, expect, algorithms, args)
			}
			return p.checksum(cmd, &o, algorithms, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	f.StringVar(&algorithms, "algorithm", entry.Algorithms[0].Name, "the `ALGORITHMS`, separated by commas: "+strings.Join(entry.AlgorithmNames(), ", "))
	f.StringVar(&expect, "expect", "", "check one file against this `DIGEST`, or against a list that names the file")
	group(cmd, groupWhat, "algorithm", "expect")
	addDepth(cmd, &o.lookingOptions, allWord)
	addLooking(cmd, &o.lookingOptions, hiddenWords[0])
	addShowing(cmd, &o.showingOptions, checksumFormats)
	addKeeping(cmd, &o.lookingOptions)
	complete(cmd, "algorithm", listOf(entry.AlgorithmNames()))
	examples(cmd,
		example{"checksum 'maps/station map.png'", "one file"},
		example{"checksum cards", "everything below a folder; same mark, same content"},
		example{"checksum handover/data/summary.txt --expect c55af964f822cf29f36cdb4d66a990f4777bd5f4afe4c26834447c9c1c6fdb04", "is this what was published?"},
		example{"checksum counts --as manifest --to counts/manifest-sha256.txt", "make a list, to check the files next week"},
		example{"checksum maps --algorithm sha256,blake3 --as csv", "two algorithms in one pass"},
		example{"checksum recordings where modified within 1 day and size under 1MB", "only some of the files"},
	)
	return cmd
}

// checksum answers with digests.
func (p *Program) checksum(cmd *cobra.Command, o *readingOptions, words string, args []string) error {
	r, err := p.question(cmd, o)
	if err != nil {
		return err
	}
	sources, summary, err := p.open(cmd.Context(), r, args, place.AsNamed)
	if err != nil {
		return err
	}
	sources = r.distinct(sources, summary)
	algorithms, err := parseAlgorithms(algorithmFor(words, cmd.Flags().Changed("algorithm"), sources))
	if err != nil {
		return usage.MisuseOf("algorithm", "--algorithm: %w", err)
	}
	if r.form == render.Manifest && len(algorithms) > 1 {
		return usage.MisuseOf("as", "--as manifest takes one algorithm; make one list for each")
	}
	session.SpareMemory()
	return p.answer(r, summary, func(w output.Destination) error {
		list := p.ownList(r)
		var pool *digest.Pool
		a, err := ask(p, r, func(request source.Request) (*checksum.Answer, error) {
			pool = digest.NewPool(live.Files{}, request.Progress)
			return checksum.Run(cmd.Context(), p.once(r, sources), pool, checksum.Options{Request: request, Algorithms: algorithms, Own: list})
		})
		summary.Report.Add(a.Report)
		summary.Report.SortProblems()
		if err != nil {
			return err
		}
		if r.to != "" || r.form == render.Manifest {
			if outside := a.ListFrom(list); outside > 0 {
				p.Say("frank: %s outside the folder of the list; frank verify reads these only with --allow-outside",
					units.Count(int64(outside), "name leads", "names lead"))
			}
		}
		if r.form == render.Manifest {
			a.Sort()
		}
		if summary.Grouped = true; a.Len() > 0 {
			summary.Slips = nil // something was found
		}
		if r.view.ChecksumSummary(summary, a, pool.Read()); r.form == render.Manifest && r.to != "" && !r.quiet {
			p.Say("%s written to %s; frank verify %s checks the files against them", units.Count(int64(a.Len()), "digest", "digests"), typeset.Escaped(r.to), typeset.ShellQuoted(r.to))
		}
		return render.All(w, render.New(r.form, r.view.View, a.Columns(r.view.Context)), a, r.view.Frame(summary))
	})
}

// ownList is the list that the digests go to.
func (p *Program) ownList(r *question) *checksum.OwnList {
	file, _ := p.Out.(*os.File) // nil for what is no file
	return checksum.NewOwnList(r.to, file)
}
