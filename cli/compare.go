package cli

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/compare"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/live"
	"frankledger/core/posix"
	"frankledger/core/row"
	"frankledger/core/sides"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
)

func (p *Program) compareCommand() *cobra.Command {
	var o readingOptions
	var how compareOptions
	cmd := &cobra.Command{
		Use: "compare A [B] [where CONDITION…]",
		Long: `Shows how folder B differs from folder A, by relative path. Either may be a record; a
single record is compared with its place as it is now. For two files, shows where they
first differ. For a list and a folder, shows what only one of them has.

  added     only in B
  removed   only in A
  altered   different content, a different kind, or a link to another target
  moved     the same content under another path
  details   the same content, but different permissions, owner, group or time
  unclear   only in one; the other is a record of what met a condition

Files of the same size and time count as the same. If only the times differ, frank reads
their content, or uses the digests in a record. Without digests, a different time counts
as different content, and the answer says so. The exit status is 0 if nothing differs, and
1 otherwise.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			return p.compare(cmd, &o, &how, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	f.BoolVar(&how.copy, "copy", false, "is every file of A in B? Compares content only, and reads all of it")
	f.BoolVar(&how.content, "content", false, "read the content of all files")
	flags.AddParsed(f, &how.ignore, "ignore", "", "", parseIgnored, "`DETAILS` to ignore: times, permissions, owner, attributes, all")
	levels(cmd, &how.opened, "0", 0, "the `NUMBER` of levels to show of added and removed folders, or all")
	f.StringVar(&how.algorithm, "algorithm", entry.Algorithms[0].Name, "the `ALGORITHM` to compare content with: "+strings.Join(entry.AlgorithmNames(), ", "))
	group(cmd, groupWhat, "copy", "content", "ignore", "depth", "algorithm")
	complete(cmd, "ignore", listOf(append(ignoredWords(), allWord)))
	addLooking(cmd, &o.lookingOptions, hiddenWords[0])
	addShowing(cmd, &o.showingOptions, render.Forms)
	addKeeping(cmd, &o.lookingOptions)
	complete(cmd, "algorithm", oneOf(entry.AlgorithmNames()))
	examples(cmd,
		example{"compare 'cards/card 07' 'cards/card 12'", "what differs between two folders?"},
		example{"compare 'cards/card 07' 'cards/card 07 (copy)' --copy", "is every file in the copy, byte for byte?"},
		example{"compare 'cards/card 07' 'cards/card 07 (copy)' --ignore times", "what differs, apart from the times?"},
		example{"compare @weekly", "what has changed since the record?"},
		example{"compare @weekly:1 @weekly", "what had changed between two records?"},
		example{"compare 'cards/card 07' 'cards/card 12' where size over 100kB", "only some of the files"},
	)
	return cmd
}

// compareOptions are the options of compare beside those that all commands share.
type compareOptions struct {
	content, copy bool
	algorithm     string
	ignore        flags.Parsed[[]string]
	opened        flags.Parsed[int]
}

// ignored are the words for details that can be left out, and the fields that these are.
var ignored = []struct {
	word   string
	fields []string
}{
	{"times", []string{"modified"}}, {"permissions", []string{"mode", "acl"}}, {"owner", []string{"owner", "group"}}, {"attributes", []string{"xattrs", "capabilities", "flags"}},
}

func ignoredWords() (words []string) {
	for _, one := range ignored {
		words = append(words, one.word)
	}
	return words
}

// parseIgnored reads the words for details, and returns their fields.
func parseIgnored(words string) (fields []string, err error) {
	for word := range strings.SplitSeq(words, ",") {
		word = strings.TrimSpace(word)
		at := slices.IndexFunc(ignored, func(one struct {
			word   string
			fields []string
		}) bool {
			return one.word == word || one.word == word+"s" || one.word+"s" == word
		})
		switch {
		case word == allWord:
			for _, one := range ignored {
				fields = append(fields, one.fields...)
			}
		case at < 0:
			return nil, flags.Wanted(fmt.Sprintf("can be %s, or some of these with commas between them, not %q", flags.Alternatives(append(ignoredWords(), allWord)), word))
		default:
			fields = append(fields, ignored[at].fields...)
		}
	}
	return fields, nil
}

// filesAmong returns which of two places are files that are there now.
func filesAmong(places []string) (files []int) {
	for i, place := range places {
		if info, err := os.Stat(place); len(places) == 2 && err == nil && info.Mode().IsRegular() && !usage.IsMarked(place) {
			files = append(files, i)
		}
	}
	return files
}

// fileAndFolder says what to do where one of the places is a file and the other is none.
func (p *Program) fileAndFolder(places []string, file int) error {
	name, folder := places[file], places[1-file]
	if _, err := os.Stat(folder); err != nil && !usage.IsMarked(folder) {
		return usage.Misuse("%s: %w", typeset.Escaped(folder), posix.Reason(err))
	}
	err := usage.Misuse("%s is a file and %s is not: name two files, or two folders", typeset.Escaped(name), typeset.Escaped(folder))
	other := filepath.Join(folder, filepath.Base(name))
	if _, there := os.Stat(other); there == nil {
		line := []string{"compare", name, other}
		if file == 1 {
			line[1], line[2] = other, name
		}
		return usage.Repaired(err, line)
	}
	return usage.Repaired(err, []string{"search", folder, usage.Where, "name", "is", filepath.Base(name)})
}

// compareFiles answers with whether two files are the same, or where they first differ.
func (p *Program) compareFiles(cmd *cobra.Command, r *question, by entry.Algorithm, places []string, chosen bool) error {
	if chosen {
		return usage.Repaired(usage.Misuse("two files are compared whole: leave out the condition"), p.args.WithoutCondition())
	}
	full := [2]string{}
	for i, place := range places {
		var err error
		if full[i], err = filepath.Abs(place); err != nil {
			return err
		}
		r.view.Add(&entry.Place{Given: place, Full: full[i]})
		if info, err := os.Lstat(full[i]); err == nil && info.Mode()&fs.ModeSymlink != 0 { // what it leads to is read
			if full[i], err = filepath.EvalSymlinks(full[i]); err != nil {
				return usage.Misuse("%s: %w", typeset.Escaped(place), posix.Reason(err))
			}
			places[i] = full[i]
		}
	}
	summary := &report.Summary{Grouped: true}
	differ := false
	err := p.answer(r, summary, func(w output.Destination) error {
		var pool *digest.Pool
		a, err := ask(p, r, func(request source.Request) (*compare.Pair, error) {
			pool = digest.NewPool(live.Files{}, request.Progress)
			return compare.Files(cmd.Context(), [2]string(places), full, pool, by.Fact)
		})
		if err != nil {
			return err
		}
		summary.Report = a.Report
		var rows row.List[*entry.Entry]
		if len(a.Report.Problems) == 0 {
			rows, differ = a.Files, !a.Same
			r.view.FilesSummary(summary, a, pool.Read())
		} else {
			summary.Lead = "the files could not be compared"
		}
		keepRows(r, rows, func(e *entry.Entry) *entry.Entry { return e })
		return render.All(w, render.New(r.form, r.view.View, compare.FileColumns(r.view.Context, by)), rows, r.view.Frame(summary))
	})
	return different(differ, err)
}

// compare answers with what differs.
func (p *Program) compare(cmd *cobra.Command, o *readingOptions, how *compareOptions, args []string) error {
	places, _, has := usage.SplitWhere(args)
	if len(places) != 2 && !(len(places) == 1 && strings.HasPrefix(places[0], usage.RecordMark) && !strings.HasPrefix(places[0], usage.ListMark)) {
		err := usage.Misuse("name two folders, or one record: %s A B, or %s @NAME", cmd.CommandPath(), cmd.CommandPath())
		if len(places) > 2 {
			err = usage.Repaired(err, p.args.Without(places[2:]))
		}
		return err
	}
	by, err := entry.LookupAlgorithm(how.algorithm)
	if err != nil {
		return usage.MisuseOf("algorithm", "--algorithm: %w", err)
	}
	r, err := p.question(cmd, o)
	if err != nil {
		return err
	}
	r.view.Lettered, r.relative, r.request.Depth = true, true, source.AllDepths
	options := compare.Options{Content: how.content || how.copy, Copy: how.copy, Ignore: how.ignore.Value, Opened: how.opened.Value, Fact: by.Fact}
	if how.copy {
		options.Ignore, _ = parseIgnored(allWord)
	}
	switch files := filesAmong(places); {
	case len(files) == 2:
		return p.compareFiles(cmd, r, by, places, has)
	case len(files) == 1:
		return p.fileAndFolder(places, files[0])
	}
	ctx := cmd.Context()
	sources, summary, err := p.open(ctx, r, args, place.OfOneThing)
	if err != nil {
		return err
	}
	if len(summary.Report.Problems) > 0 {
		return usage.Misuse("%s: %w", typeset.Escaped(summary.Report.Problems[0].Path), summary.Report.Problems[0].Err)
	}
	if len(sources) == 1 {
		if sources, err = againstNow(r, sources[0].(ledger.Recorded)); err != nil {
			return err
		}
	}
	if len(sources) != 2 {
		return usage.Misuse("name two folders or two records, not more: %s", place.EveryRecord)
	}
	againstLists(summary, sources)
	scopes := scopesOf(r, summary, sources...)
	session.SpareMemory()
	found := false
	err = p.answer(r, summary, func(w output.Destination) error {
		var pool *digest.Pool
		a, err := ask(p, r, func(request source.Request) (*compare.Answer, error) {
			pool = digest.NewPool(live.Files{}, request.Progress)
			options.Request, options.Scopes, options.Attributes = request, [2]sides.Scope(scopes), attributes(sources)
			return compare.Compare(ctx, sources[0], sources[1], pool, options)
		})
		if err != nil {
			return err
		}
		found = len(a.Results) > a.Counts[compare.Unclear]
		if summary.Grouped, summary.Content = true, options.Content; a.Same+len(a.Results) > 0 {
			summary.Slips = nil // something was found
		}
		summary.Report.Add(a.Report)
		summary.Report.SortProblems()
		keepRows(r, row.List[*compare.Result](a.Results), func(one *compare.Result) *entry.Entry { return one.B })
		r.view.CompareSummary(summary, a, &options, pool.Read())
		columns := append(compare.Columns(r.view.Context), r.view.CompareColumns()...)
		format := render.New(r.form, r.view.View, columns)
		if r.form == render.Table {
			format = report.NewDifferences(r.view, columns)
		}
		return render.All(w, format, a.Rows(!r.form.ForPeople()), r.view.Frame(summary))
	})
	return different(found, err)
}
