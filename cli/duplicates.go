package cli

import (
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/digest"
	"frankledger/core/duplicates"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// duplicatesOptions are the options of duplicates beside those that all
// commands share.
type duplicatesOptions struct {
	reading                                readingOptions
	keep, folders                          flags.Choice
	keepIn                                 []string
	onlyIn, algorithm                      string
	spares, across, empty, confirm, marked bool
}

// keepWords are in the order of duplicates.Keep.
var keepWords = []string{"first-place", "oldest", "newest", "shortest-path"}

// folderWords are in the order of duplicates.Folders.
var folderWords = []string{"too", "only", "omit"}

func (p *Program) duplicatesCommand() *cobra.Command {
	var o duplicatesOptions
	cmd := &cobra.Command{
		Use: "duplicates [PLACE…] [where CONDITION…]",
		Long: `Finds folders that are copies (the same names and contents, or all of one in another),
then other files with the same content. Those that would free most space come first.

Several names of one file (hard links) count as one file. The space that can be freed is
what the spares take on disk, without what they share with the file that stays.

Nothing is removed; "frank act clear" does that. --spares lists all files of each set
except the one that stays. As jsonl, the list also says what each file was.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			o.marked = o.spares || cmd.Flags().Changed("keep") || len(o.keepIn) > 0
			return p.duplicates(cmd, &o, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	flags.AddChoice(f, &o.keep, "keep", "", keepWords, keepWords[0], "`WHICH` file of a set would stay: "+strings.Join(keepWords, ", "))
	addKeepIn(cmd, &o.keepIn)
	f.BoolVar(&o.spares, "spares", false, "list only the files that would not stay")
	f.BoolVar(&o.across, "across", false, "show only sets with files in more than one place")
	f.StringVar(&o.onlyIn, "only-in", "", "list instead the files in this `PLACE` whose content is in no other place")
	flags.AddChoice(f, &o.folders, "folders", "", folderWords, folderWords[0], "`WHETHER` to show folders: too, only or omit")
	f.BoolVar(&o.empty, "empty", false, "include empty files")
	f.BoolVar(&o.confirm, "confirm", false, "also compare the files of each set byte by byte")
	f.StringVar(&o.algorithm, "algorithm", entry.Algorithms[0].Name, "the `ALGORITHM` of the digests: "+strings.Join(entry.AlgorithmNames(), ", "))
	group(cmd, groupWhat, "keep", "keep-in", "spares", "across", "only-in", "folders", "empty", "confirm", "algorithm")
	flags.AddNumber(f, &o.reading.first, "first", "f", "0", "show only the first `NUMBER` of sets")
	group(cmd, groupWhat, "first")
	addDepth(cmd, &o.reading.lookingOptions, allWord)
	addLooking(cmd, &o.reading.lookingOptions, hiddenWords[0])
	addShowing(cmd, &o.reading.showingOptions, render.Forms)
	addKeeping(cmd, &o.reading.lookingOptions)
	complete(cmd, "keep", oneOf(keepWords))
	complete(cmd, "folders", oneOf(folderWords))
	complete(cmd, "algorithm", oneOf(entry.AlgorithmNames()))
	examples(cmd,
		example{"duplicates", "everything below the current folder"},
		example{"duplicates cards recordings --across", "what both places have"},
		example{"duplicates 'cards/card 12' 'cards/card 07' --only-in 'cards/card 12'", "is everything on this card also on the other?"},
		example{"duplicates cards --keep oldest", "keep the oldest file of each set"},
		example{"duplicates . --keep-in recordings --keep-in cards", "keep what is in recordings, then what is in cards"},
		example{"duplicates cards --spares --as jsonl --to spares.jsonl", "list the spares, for act clear"},
		example{"duplicates cards --spares --as paths0 --to spares.list", "only the paths of the spares, for a script"},
		example{"duplicates where ext is wav and size over 50kB --confirm", "only some of the files, compared byte by byte"},
	)
	return cmd
}

// duplicates answers with sets of files, or with files of one place only.
func (p *Program) duplicates(cmd *cobra.Command, o *duplicatesOptions, args []string) error {
	keep, folders := o.keep.Index(), o.folders.Index()
	r, err := p.question(cmd, &o.reading)
	if err != nil {
		return err
	}
	sources, summary, err := p.open(cmd.Context(), r, args, place.AsNamed)
	if err != nil {
		return err
	}
	algorithm, err := entry.LookupAlgorithm(algorithmFor(o.algorithm, cmd.Flags().Changed("algorithm"), sources))
	if err != nil {
		return usage.MisuseOf("algorithm", "--algorithm: %w", err)
	}
	if hasRecord(sources) && (o.marked || o.confirm) {
		return usage.MisuseOf("keep", "--keep, --spares and --confirm work on files that exist now, not on records")
	}
	if len(sources) < 2 && (o.across || o.onlyIn != "") {
		return usage.MisuseOf("across", "--across and --only-in need two or more places: %s A B", cmd.CommandPath())
	}
	if folders == int(duplicates.OnlyFolders) && !duplicates.Whole(sources, &r.request) {
		return usage.MisuseOf("folders", "--folders only compares whole folders: it takes no condition, --hidden, --follow or lists of paths, and no records made with these")
	}
	var only *entry.Place
	if o.onlyIn != "" {
		if only = placeNamed(sources, o.onlyIn); only == nil {
			return usage.MisuseOf("only-in", "--only-in: %s is not among the places", typeset.Escaped(o.onlyIn))
		}
	}
	keepIn, err := keptIn(o.keepIn, sources)
	if err != nil {
		return err
	}
	options := duplicates.Options{KeepIn: keepIn, Folders: duplicates.Folders(folders), Algorithm: algorithm, Empty: o.empty, Across: o.across, Keep: duplicates.Keep(keep), Confirm: o.confirm, OnlyIn: only}
	session.SpareMemory()
	return p.answer(r, summary, func(w output.Destination) error {
		var pool *digest.Pool
		a, err := ask(p, r, func(request source.Request) (*duplicates.Answer, error) {
			pool = digest.NewPool(live.Files{}, request.Progress)
			return duplicates.Run(cmd.Context(), p.set(r, sources), request, pool, options)
		})
		summary.Report.Add(a.Report)
		summary.Report.SortProblems()
		if err != nil {
			return err
		}
		summary.Matched, summary.Bytes, summary.Grouped = a.Matched, true, true
		if only != nil {
			keepRows(r, row.List[*entry.Entry](a.Only), func(e *entry.Entry) *entry.Entry { return e })
			r.view.OnlySummary(summary, a, o.onlyIn, a.Matched.Files, pool.Read())
			return render.All(w, render.New(r.form, r.view.View, r.columns()), row.List[*entry.Entry](a.Only), r.view.Frame(summary))
		}
		r.view.DuplicatesSummary(summary, a, a.Matched.Files, pool.Read())
		if len(a.Sets) > 0 && !hasRecord(sources) {
			summary.Notes = append(summary.Notes, report.KeepRule(&options, len(sources)))
		}
		if r.first > 0 && len(a.Sets) > r.first {
			summary.Notes = append(summary.Notes, units.Count(int64(len(a.Sets)-r.first), "more set is", "more sets are")+" not shown (--first)")
			a.Sets = a.Sets[:r.first]
		}
		return writeDuplicates(w, r, o, a, summary, !hasRecord(sources))
	})
}

// addKeepIn gives a command the option on where what stays is.
func addKeepIn(cmd *cobra.Command, to *[]string) {
	cmd.Flags().StringArrayVar(to, "keep-in", nil, "keep what is in this `FOLDER`; of several, the first that applies")
}

// keptIn returns the full paths of the folders that what stays is in. Each has to be in what is looked at.
func keptIn(folders []string, sources []source.Source) (full []string, err error) {
	for _, folder := range folders {
		path, err := filepath.Abs(folder)
		if err != nil {
			return nil, err
		}
		if info, err := os.Stat(path); err != nil || !info.IsDir() {
			return nil, usage.MisuseOf("keep-in", "--keep-in: %s is not a folder", typeset.Escaped(folder))
		}
		within := func(path, folder string) bool {
			return path == folder || strings.HasPrefix(path, strings.TrimSuffix(folder, "/")+"/")
		}
		if !slices.ContainsFunc(sources, func(s source.Source) bool {
			place := s.Place()
			return place.List || within(path, place.Full) || within(place.Full, path)
		}) {
			return nil, usage.MisuseOf("keep-in", "--keep-in: %s is not in the places you named", typeset.Escaped(folder))
		}
		full = append(full, path)
	}
	return full, nil
}

// writeDuplicates writes the sets: where a row may have rows in it one is a set, else a
// file of one; or the spares.
func writeDuplicates(w output.Destination, r *question, o *duplicatesOptions, a *duplicates.Answer, summary *report.Summary, now bool) error {
	c := r.view.Context
	if o.spares {
		names := a.SpareNames()
		keepRows(r, names, func(s *duplicates.Spare) *entry.Entry { return s.Entry })
		return render.All(w, render.New(r.form, r.view.View, duplicates.SpareColumns(c, r.columns())), names, r.view.Frame(summary))
	}
	keepRows(r, a.Names(), func(n *duplicates.Name) *entry.Entry { return n.Entry })
	if r.form.Reader == row.Nested {
		return render.All(w, render.New(r.form, r.view.View, duplicates.SetColumns(c, o.marked)), row.List[*duplicates.Set](a.Sets), r.view.Frame(summary))
	}
	columns := a.NameColumns(c, o.marked || r.form.ForPeople() && now)
	format := render.New(r.form, r.view.View, columns)
	if r.form == render.Table {
		format = report.NewSets(r.view, columns)
	}
	return render.All(w, format, a.Names(), r.view.Frame(summary))
}

// addProblems joins what could not be read as content to what could not be
// read of folders.
func (p *Program) addProblems(summary *report.Summary, problems []source.Problem) {
	summary.Report.Problems = append(summary.Report.Problems, problems...)
	summary.Report.SortProblems()
}

// placeNamed returns a place as it was given, or by its full path; nil if there is none.
func placeNamed(sources []source.Source, name string) *entry.Place {
	full, err := filepath.Abs(name)
	for _, s := range sources {
		if s.Place().Given == name || err == nil && s.Place().Full == full {
			return s.Place()
		}
	}
	return nil
}
