package cli

import (
	"cmp"
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/checksum"
	"frankledger/core/digest"
	"frankledger/core/digestlist"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/upkeep"
	"frankledger/core/live"
	"frankledger/core/media"
	"frankledger/core/posix"
	"frankledger/core/sides"
	"frankledger/core/source"
	"frankledger/core/textfile"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// verifyOptions are the options of verify beside those that all commands share.
type verifyOptions struct {
	showing                showingOptions
	in, show, ledger       string
	allowOutside, unlisted bool
	moved                  bool
}

var showWords = []string{"trouble", allWord}

func (p *Program) verifyCommand() *cobra.Command {
	var o verifyOptions
	cmd := &cobra.Command{
		Use: "verify LIST [FILE…] [where CONDITION…]",
		Long: `Reads the files named in a list of digests, and shows which are the same, different,
missing or unreadable. frank recognises the usual kinds of lists: payload manifests (RFC
8493), publishers' lists, signed or not, lists in package archives, a file with one digest
named after another file, tables with a heading, and JSON. LIST may be - for standard
input, or a record with digests, such as @weekly.

Files are looked for in the folder of the list, or in the folder of --in. With FILEs, only
these are checked. With where, only files that meet the condition are checked: as they are
now or, in a record, as they were. A short list shows every file, and so does --show all.
The exit status is 0 if everything is as the list says, and 1 if not.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			places, _, has := usage.SplitWhere(args)
			if len(places) == 0 {
				return usage.Misuse("name a list, such as: %s handover/manifest-sha256.txt", cmd.CommandPath())
			}
			if has && o.unlisted && o.moved {
				return usage.Misuse("with a condition, use --unlisted and --moved separately: --unlisted looks only at matches, --moved at everything")
			}
			return p.verify(cmd, &o, places[0], places[1:], args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	f.StringVar(&o.show, "show", showWords[0], "`WHAT` to show: trouble or all")
	f.BoolVar(&o.unlisted, "unlisted", false, "also report files that are not on the list")
	f.BoolVar(&o.moved, "moved", false, "look for missing files under other names, by content")
	group(cmd, groupWhat, "show", "unlisted", "moved")
	f.StringVar(&o.in, "in", "", "the `FOLDER` to look in, if not that of the list")
	f.BoolVar(&o.allowOutside, "allow-outside", false, "also read names that lead out of the folder, with ../ or from the root")
	addLedger(cmd, &o.ledger, "the `FILE` with the records")
	group(cmd, groupWhere, "in", "allow-outside", "ledger")
	addShowing(cmd, &o.showing, render.Forms)
	complete(cmd, "show", oneOf(showWords))
	examples(cmd,
		example{"verify handover/manifest-sha256.txt", "is everything unchanged?"},
		example{"verify handover/manifest-sha256.txt --unlisted", "which files are not on the list?"},
		example{"verify handover/manifest-sha256.txt --moved", "are missing files there under another name?"},
		example{"verify @weekly", "is every file unchanged that was recorded with a digest?"},
		example{"verify handover/manifest-sha256.txt --show all --as csv", "every file, for a spreadsheet"},
	)
	return cmd
}

// verify answers with how files stand to a list.
func (p *Program) verify(cmd *cobra.Command, o *verifyOptions, listPath string, files, args []string) error {
	if o.show != showWords[0] && o.show != allWord {
		return usage.MisuseOf("show", "--show can be trouble or all, not %q", o.show)
	}
	r, err := p.ofRecords(cmd, &o.showing, o.ledger, nil)
	if err != nil {
		return err
	}
	ctx := cmd.Context()
	r.relative = true
	if strings.HasPrefix(listPath, usage.ListMark) {
		return usage.Repaired(usage.Misuse("%s is a list of paths, not of digests", typeset.Escaped(listPath)), []string{"checksum", listPath})
	}
	if _, err := p.where(r, args); err != nil {
		return err
	}
	options := checksum.CheckOptions{AllowOutside: o.allowOutside}
	var list *digestlist.List
	var problems []source.Problem
	var recorded ledger.Recorded
	if words, is := strings.CutPrefix(listPath, usage.RecordMark); is {
		if recorded, list, problems, err = p.listOfRecord(ctx, r, words, listPath, &options); err != nil {
			return err
		}
	} else if list, options.List, err = p.readList(listPath); err != nil {
		return err
	}
	root, err := rootOfList(o.in, listPath, recorded)
	if err != nil {
		return err
	}
	r.view.Add(root.Place())
	if recorded != nil {
		r.view.Places = []*entry.Place{recorded.Place(), root.Place()}
	}
	if err := p.empty(listPath, list); err != nil {
		return err
	}
	if len(files) > 0 {
		problems = append(problems, onlyNamed(list, root.Place(), files, &options)...)
	}
	var report source.Report
	if r.program != nil {
		if report, err = p.chooseLines(ctx, r, list, recorded, root.Place()); err != nil {
			return err
		}
		if o.unlisted {
			root = source.Choosing(root, r.program)
		}
	}
	showAll := o.show == allWord || r.form.ForPeople() && !cmd.Flags().Changed("show") && len(list.Lines) <= fewLines
	if options.Trouble = !showAll; options.Trouble && !cmd.Flags().Changed("show") {
		r.notes = append(r.notes, "--show all names every file")
	}
	var folders []string
	if o.in == "" && recorded == nil && len(files) == 0 && listPath != "-" {
		folders = elsewhere(root.Place().Full)
	}
	if o.unlisted || o.moved {
		options.Others, options.Unlisted, options.Moved = root, o.unlisted, o.moved
	}
	return p.verifyList(ctx, r, listPath, list, root.Place(), options, append(problems, report.Problems...), report.Unknown, showAll, folders)
}

// fewLines are so few that all files are named.
const fewLines = 12

// onlyNamed leaves the lines in a list that are about some files, or about what is in some folders. A file that lies
// elsewhere, but has the name of one line alone, is meant by that. What is not on the list is returned as problems.
func onlyNamed(list *digestlist.List, root *entry.Place, files []string, o *checksum.CheckOptions) (problems []source.Problem) {
	var kept []digestlist.Line
	for _, file := range files {
		full, _ := filepath.Abs(file) // fails only where there is no current folder
		var its, called []digestlist.Line
		for _, l := range list.Lines {
			name := filepath.Clean(l.Name)
			path := name
			if !filepath.IsAbs(name) {
				path = filepath.Join(root.Full, name)
			}
			switch {
			case path == full || strings.HasPrefix(path, full+"/") || name == filepath.Clean(file):
				its = append(its, l)
			case filepath.Base(name) == filepath.Base(full):
				l.Name = full
				called = append(called, l)
			}
		}
		if len(its) == 0 && there(file) && !slices.ContainsFunc(called, func(l digestlist.Line) bool { return l.Number != called[0].Number }) && len(called) > 0 {
			its, o.AllowOutside = called, true
		}
		if len(its) == 0 {
			problems = append(problems, source.Problem{Path: file, Tried: "check", Err: checksum.ErrNotListed, Entries: 1})
		}
		kept = append(kept, its...)
	}
	slices.SortStableFunc(kept, func(a, b digestlist.Line) int { return strings.Compare(a.Name, b.Name) })
	list.Lines = slices.CompactFunc(kept, func(a, b digestlist.Line) bool { return a.Number == b.Number && a.Name == b.Name })
	return problems
}

// rootOfList opens the folder that the names of a list are looked for in.
func rootOfList(in, listPath string, recorded ledger.Recorded) (source.Source, error) {
	if in == "" && recorded != nil {
		return place.Now(recorded, 0)
	}
	if in == "" {
		in = filepath.Dir(listPath)
	}
	root, err := live.Open(in, 0)
	if err != nil {
		return nil, usage.MisuseOf("in", "--in: %s: %w", typeset.Escaped(in), posix.Reason(err))
	}
	if root.Place().Leaf {
		return nil, usage.MisuseOf("in", "--in: %s is not a folder", typeset.Escaped(in))
	}
	return root, nil
}

// listOfRecord makes a list of the digests that a record has.
func (p *Program) listOfRecord(ctx context.Context, r *question, words, given string, o *checksum.CheckOptions) (ledger.Recorded, *digestlist.List, []source.Problem, error) {
	s, notes, err := p.opener(r, place.AsNamed).Record(ctx, words, given)
	if err != nil {
		return nil, nil, nil, err
	}
	r.notes = append(r.notes, notes...)
	if s.Place().Leaf {
		label, below, _ := strings.Cut(given, "/")
		return nil, nil, nil, usage.Repaired(usage.Misuse("%s is one file; verify the record of its folder", typeset.Escaped(given)), []string{"verify", label, usage.Where, "path", "is", below})
	}
	list, without, read, err := checksum.ListOf(ctx, s)
	if err != nil {
		return nil, nil, nil, err
	}
	text, err := p.heldAgainst(ctx, s, list)
	if err != nil {
		return nil, nil, nil, place.LedgerTrouble(p.ledgers.Path, err)
	}
	if text != "" {
		r.notes = append(r.notes, text)
	}
	o.Known = without
	problems := read.Problems
	if len(without) > 0 {
		problems = append(problems, source.Problem{Path: given, Tried: "look up the digest of files in", Err: errNoDigests, Entries: int64(len(without))})
	}
	return s, list, problems, nil
}

// chooseLines leaves those lines in a list whose files meet the condition as they are or, of a record, as
// they were. It returns of how many that is not known.
func (p *Program) chooseLines(ctx context.Context, r *question, list *digestlist.List, recorded ledger.Recorded, root *entry.Place) (source.Report, error) {
	var rels []string
	for _, l := range list.Lines {
		if filepath.IsLocal(l.Name) {
			rels = append(rels, filepath.Clean(l.Name))
		}
	}
	from := []source.Source{live.NewPart(root, root.Given, 0, rels)}
	if recorded != nil {
		from = append(from, recorded)
	}
	verdicts, report, err := sides.Verdicts(ctx, from, r.request, r.program)
	if err != nil {
		return report, err
	}
	undecided, all := int64(0), len(list.Lines)
	list.Lines = slices.DeleteFunc(list.Lines, func(l digestlist.Line) bool {
		verdict, looked := verdicts[filepath.Clean(l.Name)]
		if verdict == source.Unknown || !looked {
			undecided++
		}
		return verdict != source.Yes
	})
	r.notes = append(r.notes, units.Grouped(int64(len(list.Lines)))+" of "+units.Count(int64(all), "file", "files")+" listed meet the condition")
	sides.Settle(&report, undecided)
	return report, nil
}

// heldAgainst has files whose content changed without a trace held against what they were
// before, and says how much was read again since.
func (p *Program) heldAgainst(ctx context.Context, s ledger.Recorded, list *digestlist.List) (string, error) {
	r := s.Record()
	all, err := upkeep.Mismatches(ctx, p.ledgers.Opened, r)
	if err != nil {
		return "", err
	}
	for _, m := range all {
		name := m.Path
		if below := s.Relative(); below != "" {
			name = strings.TrimPrefix(name, below+"/")
		}
		for i := range list.Lines {
			if l := &list.Lines[i]; l.Name == name && l.Digest.Hex == m.Now {
				l.Digest.Hex = m.Before
			}
		}
	}
	return coverage(ctx, p.ledgers.Opened, r, time.Now())
}

var errNoDigests = errors.New("the record has no digest of them")

// noList says of what is no list how it can be checked, and by which list.
func (p *Program) noList(path string) error {
	err := usage.Misuse("%s is not a list of digests; to check a file, give a list that names it, or a digest", typeset.Escaped(path))
	folder, name := filepath.Split(path)
	found, _ := os.ReadDir(cmp.Or(folder, "."))
	for _, e := range found[:min(len(found), manyNames)] {
		list := folder + e.Name()
		if info, failed := e.Info(); failed != nil || e.Name() == name || !info.Mode().IsRegular() || info.Size() > 1<<20 || !listNames.MatchString(e.Name()) {
			continue
		}
		if lines, _, failed := p.readList(list); failed == nil && slices.ContainsFunc(lines.Lines, func(l digestlist.Line) bool { return filepath.Base(l.Name) == name }) {
			err = usage.Repaired(err, []string{"verify", list, path})
		}
	}
	return usage.Repaired(err, []string{"checksum", path})
}

// listNames are names that lists of digests have.
var listNames = regexp.MustCompile(`(?i)sum|digest|manifest|hash|sha|md5|blake`)

// readList reads a list of digests, and returns its full path.
func (p *Program) readList(path string) (list *digestlist.List, full string, err error) {
	if path == "-" {
		list, err = digestlist.Read(os.Stdin, "")
		return list, "", err
	}
	info, err := os.Stat(path)
	if err == nil && info.IsDir() {
		return nil, "", usage.Repaired(usage.Misuse("%s is a folder, not a list of digests; frank checksum makes lists", typeset.Escaped(path)), []string{"checksum", path})
	}
	file, err := os.Open(path)
	if err != nil {
		return nil, "", usage.Misuse("the list %s: %w", typeset.Escaped(path), posix.Reason(err))
	}
	defer file.Close()
	if full, err = filepath.Abs(path); err != nil {
		return nil, "", err
	}
	head := make([]byte, media.HeadSize)
	n, _ := file.ReadAt(head, 0)
	if encoding, _ := textfile.Tell(head[:n]); encoding == textfile.None {
		return nil, "", p.noList(path)
	}
	list, err = digestlist.Read(io.Reader(file), path)
	return list, full, err
}

// elsewhere are folders that the names of a list may be from, if they are not from its own: the current one, the root,
// and those in and beside its own.
func elsewhere(own string) (folders []string) {
	folders = []string{".", "/", filepath.Dir(own)}
	for _, above := range []string{own, filepath.Dir(own)} {
		found, _ := os.ReadDir(above)
		for _, e := range found[:min(len(found), manyNames)] {
			if e.IsDir() {
				folders = append(folders, filepath.Join(above, e.Name()))
			}
		}
	}
	return folders
}

// mostTried is how many names of a list are looked for elsewhere.
const mostTried = 50

// listsElsewhere says in which folder the names of a list are, where none is in its own; "" if that is not so.
func (p *Program) listsElsewhere(list *digestlist.List, a *checksum.Checked, listPath string, folders []string) string {
	if len(folders) == 0 || a.Counts[checksum.Missing] == 0 || a.Counts[checksum.Missing]+len(a.Refused) < len(list.Lines) {
		return ""
	}
	most, in := 0, ""
	tried := list.Lines[:min(len(list.Lines), mostTried)]
	for _, folder := range folders {
		n := 0
		for _, l := range tried {
			if there(filepath.Join(folder, l.Name)) {
				n++
			}
		}
		if n > most {
			most, in = n, folder
		}
	}
	if most == 0 {
		return ""
	}
	if here, err := os.Getwd(); err == nil && filepath.IsAbs(in) {
		if folder, err := filepath.Rel(here, in); err == nil && len(folder) < len(in) {
			in = folder
		}
	}
	line := append([]string{"verify", listPath}, "--in", in)
	return "none of the files is in the folder of the list; " + units.Grouped(int64(most)) + " of " + units.Count(int64(len(tried)), "name", "names") + " tried are in " + typeset.Escaped(in) + ": " + usage.CommandLine(line)
}

func (p *Program) verifyList(ctx context.Context, r *question, listPath string, list *digestlist.List, place *entry.Place, o checksum.CheckOptions, problems []source.Problem, unknown int64, showAll bool, folders []string) error {
	session.SpareMemory()
	var a *checksum.Checked
	summary := &report.Summary{Grouped: true, Notes: r.notes, Chosen: r.program != nil}
	err := p.answer(r, summary, func(w output.Destination) (err error) {
		var pool *digest.Pool
		a, err = ask(p, r, func(request source.Request) (*checksum.Checked, error) {
			pool = digest.NewPool(live.Files{Follow: true}, request.Progress)
			return checksum.Check(ctx, list, &entry.Folder{Place: place}, pool, request.Progress, o)
		})
		if err != nil {
			return err
		}
		summary.Report = a.Report
		summary.Report.Unknown = unknown
		p.addProblems(summary, problems)
		addListProblems(summary, listPath, list, a)
		r.view.VerifySummary(summary, a, len(list.Mistakes))
		if in := p.listsElsewhere(list, a, listPath, folders); in != "" {
			summary.Notes = append(summary.Notes, in)
		}
		if list.Signed {
			summary.Notes = append(summary.Notes, "the list contains a signature, which was not checked")
		}
		summary.Numbers = append(summary.Numbers, report.Number{Key: "bytes_read", Value: pool.Read()})
		format := render.New(r.form, r.view.View, checksum.CheckColumns())
		if r.form == render.Table {
			format = report.NewVerified(r.view)
		}
		return render.All(w, format, a.Rows(showAll), r.view.Frame(summary))
	})
	if a == nil {
		return err
	}
	return different(a.Trouble(), err)
}

// empty says that a list has no digests, if that is so.
func (p *Program) empty(listPath string, list *digestlist.List) error {
	if len(list.Lines) > 0 {
		return nil
	}
	for _, m := range list.Mistakes[:min(mostLines, len(list.Mistakes))] {
		p.Say("frank: line %d of the list: %s", m.Number, typeset.Escaped(m.Reason))
	}
	if strings.HasPrefix(listPath, usage.RecordMark) {
		return usage.Misuse("the record has no digests; frank record --checksum adds them")
	}
	return p.noList(listPath)
}

// mostLines is how many lines of a list are named one by one.
const mostLines = 20

var errLeadsOut = errors.New("it leads out of the folder, and was not read; --allow-outside reads it")

// addListProblems makes problems of the lines of a list that nothing could be
// done with.
func addListProblems(summary *report.Summary, listPath string, list *digestlist.List, a *checksum.Checked) {
	add := func(count, first int, tried string, err error) {
		summary.Report.Problems = append(summary.Report.Problems,
			source.Problem{Path: listPath, Tried: tried + " line " + strconv.Itoa(first) + " of", Err: err, Entries: int64(count)})
	}
	for i, m := range list.Mistakes {
		if i == mostLines {
			add(len(list.Mistakes)-i, m.Number, "understand what begins with", errors.New("more lines like this follow"))
			break
		}
		add(1, m.Number, "understand", errors.New(m.Reason))
	}
	for i, line := range a.Refused {
		if i == mostLines {
			add(len(a.Refused)-i, line.Number, "read the names that begin with", errLeadsOut)
			break
		}
		add(1, line.Number, "read "+typeset.Escaped(line.Name)+" in", errLeadsOut)
	}
}
