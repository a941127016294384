package main

import (
	"bytes"
	"cmp"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"time"
)

// growthCase is a command on something that is made in two sizes, one four times the other: the
// larger may take little more than four times as long.
type growthCase struct {
	name string
	make string // what is made; see makeGrowing
	size int    // of the smaller
	// prepare are command lines that are run before, and args is the one that is measured.
	// TREE stands for what was made, LEDGER for a ledger, AGAIN for another, LIST for a file beside; ALTERNATIVES
	// and PARTS for a condition of as many as the size says, PIECES for as many pieces of names, SOME for a path in the tree.
	prepare []string
	args    string
	fresh   bool // there is no ledger before each run
}

const (
	growthFactor = 4
	mostGrowth   = 4.6
	mostPeak     = 300 // MiB
)

// recordedOften are what is recorded as often as the size says, and its own size.
var recordedOften = map[string]struct {
	what string
	size int
}{"records": {"tree", 2000}, "often": {"flat", 20_000}}

const toRecord = "record TREE --label t --ledger LEDGER --quiet"

var growthCases = []growthCase{
	{name: "copies among small files of one size", make: "alike", size: 8000, args: "duplicates TREE"},
	{name: "copies among names of one file", make: "names", size: 8000, args: "duplicates TREE"},
	{name: "empty files", make: "empties", size: 50_000, args: "duplicates TREE --empty"},
	{name: "record one folder", make: "flat", size: 60_000, args: toRecord, fresh: true},
	{name: "list a record of one folder", make: "flat", size: 60_000, prepare: []string{toRecord}, args: "list @t --ledger LEDGER"},
	{name: "compare one folder with its record", make: "flat", size: 60_000, prepare: []string{toRecord}, args: "compare @t --ledger LEDGER"},
	{name: "import a record of one folder", make: "flat", size: 60_000, prepare: []string{toRecord, "ledger export --ledger LEDGER --to LIST --replace"}, args: "ledger import LIST --ledger LEDGER", fresh: true},
	{name: "compare a tree with its record", make: "tree", size: 60_000, prepare: []string{toRecord}, args: "compare @t --ledger LEDGER"},
	{name: "list a list of paths", make: "tree", size: 60_000, prepare: []string{"list TREE --depth all --as paths --to LIST --replace"}, args: "list @@LIST"},
	{name: "all columns", make: "tree", size: 20_000, args: "list TREE --depth all --columns all"},
	{name: "plan to hide", make: "tree", size: 60_000, args: "act hide TREE where kind is file"},
	{name: "compare a chain with its record", make: "chain", size: 1500, prepare: []string{toRecord}, args: "compare @t --ledger LEDGER"},
	{name: "a condition of alternatives", make: "tree", size: 250, args: "search TREE --count where ALTERNATIVES"},
	{name: "a condition of many parts", make: "tree", size: 600, args: "search TREE --count where PARTS"},
	{name: "many pieces of names", make: "tree", size: 1000, args: "search TREE PIECES --count"},
	{name: "tally in many groups", make: "extensions", size: 75_000, args: "tally TREE --by ext"},
	{name: "a table of many groups", make: "extensions", size: 5000, args: "tally TREE --by ext,folder --cross"},
	{name: "links followed", make: "links", size: 5000, args: "search TREE/links --follow --count where kind is file"},
	{name: "files moved", make: "moved", size: 5000, args: "compare TREE/before TREE/after"},
	{name: "plan to change owners", make: "flat", size: 15_000, args: "act own 1:1 TREE where kind is file"},
	{name: "history in many records", make: "records", size: 100, args: "history SOME --ledger LEDGER"},
	{name: "check many records", make: "records", size: 100, args: "ledger check --ledger LEDGER"},
	{name: "list after many records", make: "records", size: 100, args: "list @t --ledger LEDGER"},
	{name: "record once more", make: "records", size: 100, args: toRecord},
	{name: "history in many records of one folder", make: "often", size: 50, args: "history SOME --ledger LEDGER"},
	{name: "list after many records of one folder", make: "often", size: 50, args: "list @t --ledger LEDGER"},
	{name: "check many records of one folder", make: "often", size: 50, args: "ledger check --ledger LEDGER"},
	{name: "record one folder once more", make: "often", size: 50, args: toRecord},
	{name: "import many records", make: "records", size: 100, prepare: []string{"ledger export --ledger LEDGER --to LIST --replace"}, args: "ledger import LIST --ledger AGAIN", fresh: true},
	{name: "copies in chains", make: "deep", size: 750, args: "duplicates TREE"},
	{name: "a report with copies of chains", make: "deep", size: 750, args: "report TREE --copies"},
	{name: "compare chains", make: "deep", size: 750, args: "compare TREE/one TREE/two"},
	{name: "compare the content of chains", make: "deep", size: 750, args: "compare TREE/one TREE/two --content"},
	{name: "checksum of a chain", make: "deep", size: 750, args: "checksum TREE"},
	{name: "export a chain", make: "deep", size: 750, prepare: []string{toRecord}, args: "ledger export --ledger LEDGER"},
	{name: "find moved files of one content", make: "moved", size: 5000, prepare: []string{"checksum TREE/before --as manifest --to TREE/list --replace"}, args: "verify TREE/list --in TREE/after --moved"},
	{name: "folders that share files", make: "sharing", size: 10_000, args: "duplicates TREE"},
	{name: "owners without accounts", make: "owners", size: 2500, args: "list TREE --depth all --columns owner,group,name"},
	{name: "tally of owners without accounts", make: "owners", size: 2500, args: "tally TREE --by owner"},
	{name: "outline of everything", make: "tree", size: 250_000, args: "outline TREE --depth all"},
	{name: "record folders in one folder again", make: "folders", size: 50_000, prepare: []string{toRecord}, args: toRecord},
	{name: "verify a long list", make: "listing", size: 250_000, args: "verify TREE/listing.sha256"},
	{name: "names with a long beginning in common", make: "prefixed", size: 60_000, args: "list TREE"},
	{name: "names beyond ASCII", make: "beyond", size: 60_000, args: "list TREE"},
	{name: "list journals of many steps", make: "flat", size: 60_000, prepare: []string{"act hide TREE --carry-out --yes --quiet where kind is file"}, args: "act journal"},
}

// growthShape is how each kind of work grows when there is four times as much.
var growthShape = &shape{name: "growth", meaning: "how each kind of work grows when there is four times as much"}

func init() { growthShape.run = growth } // it is among the shapes itself

// growth measures all cases.
func growth(p *place, o options) error {
	var rows []string
	fmt.Printf("%-40s %10s %12s %12s %8s %12s\n", "case", "of", "cpu", "of 4 times", "ratio", "peak MiB")
	for _, c := range growthCases {
		if !o.wants(c.name) {
			continue
		}
		small, err := c.measure(c.size, o.runs, p)
		if err != nil {
			return fmt.Errorf("%s: %w", c.name, err)
		}
		large, err := c.measure(c.size*growthFactor, o.runs, p)
		if err != nil {
			return fmt.Errorf("%s: %w", c.name, err)
		}
		ratio := median(large, cpuOf) / median(small, cpuOf)
		peak := median(large, peakOf)
		fmt.Printf("%-40s %10d %11.3fs %11.3fs %8.2f %12.0f\n", c.name, c.size, median(small, cpuOf), median(large, cpuOf), ratio, peak)
		missed := func(text string, is bool) string {
			if is {
				return "**" + text + "**, missed"
			}
			return text
		}
		work := strings.NewReplacer(" TREE/", " ", " TREE", "", " --ledger LEDGER", "", " --ledger AGAIN", "", " --quiet", "", "ALTERNATIVES", "name is … or is …", "PARTS", "… and size over …", "PIECES", "PIECE …", "LIST", "FILE", "SOME", "PATH").Replace(c.args)
		rows = append(rows, fmt.Sprintf("| %s: `%s` | %d %s | %.2f s | %.2f s | %s | %s |\n", c.name, work, c.size, c.make, median(small, cpuOf), median(large, cpuOf),
			missed(fmt.Sprintf("%.1f", ratio), ratio > mostGrowth), missed(fmt.Sprintf("%.0f MiB", peak), peak > mostPeak)))
	}
	if o.page == "" {
		return nil
	}
	return writeGrowth(o.page, o.runs, rows)
}

// measure makes something of a size, and runs the command on it.
func (c *growthCase) measure(size, runs int, p *place) (all []usage, err error) {
	made, alternatives := size, ""
	parts, pieces := "depth at least 0", ""
	recorded, often := recordedOften[c.make]
	if often {
		made = recorded.size
	}
	if strings.Contains(c.args, "ALTERNATIVES") {
		made = 60_000
		for i := range size {
			alternatives += fmt.Sprintf(" or name is rec%06d-7.wav", 7*i)
		}
		alternatives = strings.TrimPrefix(alternatives, " or ")
	}
	if strings.Contains(c.args, "PARTS") || strings.Contains(c.args, "PIECES") {
		made = 20_000
		for i := range size {
			parts += fmt.Sprintf(" and size over %dB", i)
			pieces += fmt.Sprintf(" zz%d", i)
		}
	}
	at := filepath.Join(p.work, fmt.Sprintf("growth-%s-%d", c.make, made))
	if often {
		at += "-" + strconv.Itoa(size)
	}
	tree, ledger, list := filepath.Join(at, "tree"), filepath.Join(at, "ledger"), filepath.Join(at, "list")
	os.Setenv("XDG_STATE_HOME", filepath.Join(at, "state"))
	err = os.MkdirAll(filepath.Dir(tree), 0o755)
	if err == nil {
		err = os.Mkdir(tree, 0o755)
	}
	again := os.IsExist(err) // what was made for another case is kept
	if !again && err != nil {
		return nil, err
	}
	what := cmp.Or(recorded.what, c.make)
	if !again {
		if out, err := exec.Command(p.self, what, strconv.Itoa(made), tree).CombinedOutput(); err != nil {
			return nil, fmt.Errorf("%w: %s", err, out)
		}
		if often {
			if err := recordOften(p.frank, tree, ledger, size); err != nil {
				return nil, err
			}
		}
	}
	words := func(line string) []string {
		return strings.Fields(strings.NewReplacer("TREE", tree, "LEDGER", ledger, "AGAIN", ledger+"-again", "LIST", list, "ALTERNATIVES", alternatives, "PARTS", parts, "PIECES", pieces, "SOME", someFile(tree)).Replace(line))
	}
	for _, line := range c.prepare {
		if out, err := exec.Command(p.frank, words(line)...).CombinedOutput(); err != nil {
			return nil, fmt.Errorf("%s: %w: %s", line, err, out[:min(len(out), 300)])
		}
	}
	for range runs {
		if c.fresh {
			for _, file := range []string{ledger, ledger + "-again"} {
				if file == ledger && often {
					continue
				}
				if err := os.Remove(file); err != nil && !os.IsNotExist(err) {
					return nil, err
				}
			}
		}
		u, err := take(append([]string{p.frank}, words(c.args)...))
		if err != nil {
			return nil, err
		}
		all = append(all, u)
	}
	return all, nil
}

// recordOften records a tree time and again, of which one file in a hundred is altered before
// each.
func recordOften(frank, tree, ledger string, times int) error {
	for i := range times {
		random := rand.New(rand.NewPCG(5, uint64(i)))
		when := time.Unix(int64(1_000_000+i), 0)
		if err := filepath.WalkDir(tree, func(path string, d os.DirEntry, err error) error {
			if err == nil && d.Type().IsRegular() && random.IntN(100) == 0 {
				err = os.Chtimes(path, when, when)
			}
			return err
		}); err != nil {
			return err
		}
		if err := exec.Command(frank, "record", tree, "--label", "t", "--ledger", ledger).Run(); err != nil {
			return err
		}
	}
	return nil
}

// someFile returns the path of a file in a tree.
func someFile(tree string) (found string) {
	filepath.WalkDir(tree, func(path string, d os.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			found = path
			return filepath.SkipAll
		}
		return err
	})
	return found
}

// writeGrowth writes the table into a page of documentation.
func writeGrowth(path string, runs int, rows []string) error {
	return writeBetween(path, "growth", func(b *bytes.Buffer) {
		fmt.Fprintf(b, "%d cores, %s; medians of %d runs each.\n\n", runtime.NumCPU(), runtime.Version(), runs)
		b.WriteString("| work | of | processor time | of four times as much | times as long | peak memory |\n| --- | --- | --- | --- | --- | --- |\n")
		for _, row := range rows {
			b.WriteString(row)
		}
	})
}
