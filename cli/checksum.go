package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"frankledger/core/arrange"
	"frankledger/core/checksum"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
)

// checksumFormats are those that digests can have.
var checksumFormats = []*render.Form{render.Table, render.Manifest, render.CSV, render.JSON, render.Lines, render.Markdown}

func (p *Program) checksumCommand() *cobra.Command {
	var o readingOptions
	var algorithms, expect string
	cmd := &cobra.Command{
		Use:   "checksum [PATH…] [where CONDITION…]",
		Short: "digests of files, and which of these have the same content",
		Long: `Takes the digest of each file, and of all files below a folder. Files with the
same mark have the same content, so nobody has to compare digits.

With --expect, one file is held against a digest that its publisher gives: in
hexadecimal, in one piece or in groups, with the name of the algorithm before it
or without, or in the form of web pages, sha256-BASE64. The answer is one line,
and the status 0 if it is the same, 1 if not.

--as manifest writes a digest list (RFC 8493), with paths from its own folder;
"frank verify" holds the files against it later.`,
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
	o.hidden = hiddenWords[0]
	f.StringVar(&algorithms, "algorithm", entry.Algorithms[0].Name, "the `ALGORITHMS`, separated by commas: "+strings.Join(entry.AlgorithmNames(), ", "))
	f.StringVar(&expect, "expect", "", "hold one file against this `DIGEST`")
	group(cmd, groupWhat, "algorithm", "expect")
	f.StringVar(&o.depth, "depth", allWord, "the `NUMBER` of levels to look down, or all")
	group(cmd, groupWhere, "depth")
	addLooking(cmd, &o)
	addShowing(cmd, &o, checksumFormats)
	complete(cmd, "algorithm", listOf(entry.AlgorithmNames()))
	complete(cmd, "depth", oneOf([]string{"1", "2", "3", allWord}))
	examples(cmd,
		example{"checksum 'maps/station map.png'", "one file"},
		example{"checksum cards", "everything below a folder; the same mark, the same content"},
		example{"checksum handover/data/summary.txt --expect c55af964f822cf29f36cdb4d66a990f4777bd5f4afe4c26834447c9c1c6fdb04", "is it what was published?"},
		example{"checksum counts --as manifest --to counts/manifest-sha256.txt", "a list, to be held against the files next week"},
		example{"checksum maps --algorithm sha256,blake3 --as csv", "two algorithms, in one reading"},
		example{"checksum recordings where modified within 1 day and size under 1MB", "only some of the files"},
	)
	return cmd
}

func parseAlgorithms(words string) ([]entry.Algorithm, error) {
	var list []entry.Algorithm
	for word := range strings.SplitSeq(words, ",") {
		a, err := entry.LookupAlgorithm(word)
		if err != nil {
			return nil, err
		}
		if slices.Contains(list, a) {
			return nil, fmt.Errorf("%s is there twice", a.Name)
		}
		list = append(list, a)
	}
	return list, nil
}

// checksum answers with digests.
func (p *Program) checksum(cmd *cobra.Command, o *readingOptions, words string, args []string) error {
	r, err := p.reading(cmd, o)
	if err != nil {
		return err
	}
	sources, summary, err := p.open(cmd.Context(), r, args, o.matchCase, false)
	if err != nil {
		return err
	}
	algorithms, err := parseAlgorithms(algorithmFor(words, cmd.Flags().Changed("algorithm"), sources))
	if err != nil {
		return misuse("--algorithm: %w", err)
	}
	if r.form == render.Manifest && len(algorithms) > 1 {
		return misuse("--as manifest takes one algorithm; a list of each is a list for itself")
	}
	spareMemory()
	ctx := cmd.Context()
	return p.answer(r, summary, func(w output.Destination) error {
		list := p.ownList(r)
		files, err := p.files(ctx, r, sources, algorithms, summary, list)
		if err != nil {
			return err
		}
		progress := &source.Progress{}
		done := p.progress(r, progress)
		defer done()
		pool := digest.NewPool(live.Files{}, progress)
		a, err := checksum.Take(ctx, files, pool, algorithms)
		if err != nil {
			return err
		}
		done()
		p.addProblems(summary, pool.Problems())
		if r.to != "" || r.form == render.Manifest {
			a.Listed = list.way
			if outside := list.outside(files); outside > 0 {
				p.say("frank: %s out of the folder of the list; frank verify reads these only with --allow-outside",
					render.Count(int64(outside), "name leads", "names lead"))
			}
		}
		if r.form == render.Manifest {
			a.Sort()
		}
		summary.Grouped = true
		r.view.ChecksumSummary(summary, a, pool.Read())
		return render.All(w, render.New(r.form, r.view, a.Columns(r.view.Context)), a, summary)
	})
}

// files reads sources and returns the files there, in order of their paths,
// but for the list that is being written, and for recorded ones without digests.
// What is no file and was named itself is a problem.
func (p *Program) files(ctx context.Context, r *reading, sources []source.Source, algorithms []entry.Algorithm, summary *render.Summary, list *ownList) ([]*entry.Entry, error) {
	collector := arrange.NewCollector(arrange.Order{}, r.view.Context, 0)
	var wanted entry.Facts
	var names []string
	for _, a := range algorithms {
		wanted |= a.Fact
		names = append(names, a.Name)
	}
	digested := ledger.NewDigested(collector, wanted)
	request := r.request
	request.Facts, request.Through = entry.FactStatus, true
	if err := p.readAll(ctx, r, &request, sources, digested, summary); err != nil {
		return nil, err
	}
	p.addProblems(summary, digested.Problems(strings.Join(names, " and ")))
	arranged := collector.Arrange()
	var files []*entry.Entry
	for i := range arranged.Len() {
		switch e := arranged.At(i); {
		case e.Kind == entry.KindFile && !list.is(e):
			files = append(files, e)
		case e.Self && e.Kind != entry.KindFile && e.Kind != entry.KindFolder:
			summary.Report.Problems = append(summary.Report.Problems,
				source.Problem{Path: e.Path(), Tried: "read", Err: digest.NoFile{Kind: e.Kind}, Entries: 1})
		}
	}
	return files, nil
}

// ownList is the list of digests that is being written.
type ownList struct {
	folder string // full path, with links followed
	full   string // of the file, "" if it goes elsewhere
	info   os.FileInfo
}

// ownList finds out where the list goes.
func (p *Program) ownList(r *reading) *ownList {
	l := &ownList{}
	if r.to != "" {
		l.full, _ = filepath.Abs(r.to) // fails only where there is no current folder
	} else if file, ok := p.Out.(*os.File); ok {
		if info, err := file.Stat(); err == nil && info.Mode().IsRegular() {
			l.info = info
		}
	}
	folder, _ := filepath.Abs(filepath.Dir(r.to))
	l.folder = resolved(folder)
	return l
}

func resolved(folder string) string {
	if real, err := filepath.EvalSymlinks(folder); err == nil {
		return real
	}
	return folder
}

// is tells whether an entry is the list itself.
func (l *ownList) is(e *entry.Entry) bool {
	if l.info != nil {
		st, ok := l.info.Sys().(*syscall.Stat_t)
		return ok && uint64(st.Dev) == e.Device && uint64(st.Ino) == e.Inode
	}
	return l.full != "" && e.FullPath() == l.full
}

// way returns the path of a file from the folder of the list.
func (l *ownList) way(e *entry.Entry) string {
	place := e.Folder.Place
	if place.Record != nil { // wherever it was: the list is of what is below
		return e.Way()
	}
	full := place.Full
	switch {
	case e.Self:
		full = filepath.Join(resolved(filepath.Dir(full)), filepath.Base(full))
	case place.Real != "":
		full = filepath.Join(place.Real, e.Way())
	default:
		full = filepath.Join(full, e.Way())
	}
	if way, err := filepath.Rel(l.folder, full); err == nil {
		return way
	}
	return full
}

// outside returns how many of the files lie outside of the folder of the list.
func (l *ownList) outside(files []*entry.Entry) (outside int) {
	for _, e := range files {
		if (digest.Line{Name: l.way(e)}).Leads() {
			outside++
		}
	}
	return outside
}
