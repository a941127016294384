// Bench measures the program against the machine's limit.
//
// The limit is a plain loop on one thread that sees every entry and does
// nothing with it: over names alone, or over names and facts. Loop and program
// are run in turn, in processes of their own, with a warm cache and output to
// the null device; the medians of wall time, processor time and peak memory
// are printed with the ratios.
//
//	go run ./bench                  1 000 000 entries, five times each
//	go run ./bench --entries 50000  a smaller tree
//	go run ./bench --only paths     the cases with this in their name
//	go run ./bench --shape ledger   another kind of tree, or of work; --help lists them
//	go run ./bench --save FILE      and keep the figures
//	go run ./bench --against X      and hold them against a file, or against a revision, which
//	                                is built and run in turn with this one; "first" is an early
//	                                revision. It fails if a line is worse for sure (Mann-Whitney
//	                                U test, p < 0.05), and by more than --worse per cent
//	go run ./bench --page FILE      and write the table into docs/performance.md
//	go run ./bench --profile FOLDER and keep a processor profile of one run of each case
package main

import (
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"frankledger/bench/gen"
	"frankledger/bench/loop"
)

func main() {
	if len(os.Args) == 4 {
		if err := inProcess(os.Args[1], os.Args[2], os.Args[3]); err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	o := options{}
	flag.IntVar(&o.entries, "entries", 0, "entries in the tree; as many as the shape says if that is not said")
	flag.IntVar(&o.runs, "runs", 5, "runs of each")
	flag.StringVar(&o.only, "only", "", "only the cases with this, or one of these, in their name")
	name := flag.String("shape", "tree", "what is measured: "+shapeWords())
	flag.StringVar(&o.save, "save", "", "keep the figures in this file")
	flag.StringVar(&o.against, "against", "", "hold the figures against this file or revision; \"first\" is an early revision")
	flag.Float64Var(&o.worse, "worse", 1, "by how many per cent a line may be worse, where it is for sure")
	flag.StringVar(&o.page, "page", "", "write the table into this page")
	flag.StringVar(&o.profile, "profile", "", "keep processor profiles in this folder")
	flag.Parse()
	if err := bench(*name, o); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// inProcess does what has to be done in a process of its own: run a loop, to
// be measured, or make the tree, lest its memory count as that of the programs
// started later, which the system does.
func inProcess(what, how, tree string) error {
	if what == "loop" {
		return loop.Run(how, tree)
	}
	entries, err := strconv.Atoi(how)
	if err != nil {
		return err
	}
	made, err := gen.Make(what, tree, entries)
	fmt.Print(made)
	return err
}

// options are what is measured, and what is done with the figures.
type options struct {
	entries, runs                int
	only                         string
	save, against, page, profile string
	worse                        float64
}

// wants reports whether a case is to be measured.
func (o *options) wants(name string) bool {
	return slices.ContainsFunc(strings.Split(o.only, ","), func(part string) bool { return strings.Contains(name, part) })
}

// place is where the programs are, and what they run on.
type place struct {
	work, self, frank, tree, ledger string
}

// prepared makes the folders, and builds the programs.
func prepared(work string) (*place, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	os.Setenv("XDG_STATE_HOME", filepath.Join(work, "state")) // journals go there
	for _, program := range []string{"cmd/frank", "bench/empty"} {
		cmd := exec.Command("go", "build", "-o", filepath.Join(work, filepath.Base(program)), "frankledger/"+program)
		cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
		cmd.Stderr = os.Stderr
		if err := cmd.Run(); err != nil {
			return nil, err
		}
	}
	p := &place{work: work, self: self, frank: filepath.Join(work, "frank"), tree: filepath.Join(work, "tree"), ledger: filepath.Join(work, "ledger")}
	if err := os.Mkdir(p.tree, 0o755); err != nil {
		return nil, err
	}
	return p, nil
}

// bench measures the cases of a shape.
func bench(name string, o options) error {
	s, err := shapeNamed(name)
	if err != nil {
		return err
	}
	if o.entries == 0 || s.fixed {
		o.entries = s.entries
	}
	work, err := os.MkdirTemp("", "frank-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)
	p, err := prepared(work)
	if err != nil {
		return err
	}
	if s.run != nil {
		return s.run(p, o)
	}
	compared, err := newComparison(o.against, o.worse, work, name, o.entries)
	if err != nil {
		return err
	}
	made, end, err := s.prepare(p, o.entries)
	if err != nil {
		return err
	}
	defer end()
	fmt.Printf("%s; %d cores, %s; medians of %d runs each, in turn\n\n", made, runtime.NumCPU(), runtime.Version(), o.runs)
	fmt.Printf("%-24s %-6s %10s %10s %12s %18s %18s\n", "case", "loop", "loop wall", "wall", "cpu", "ratio (budget)", "peak MiB (budget)")
	kept := map[string]figures{}
	var rows []measured
	for _, c := range s.cases {
		if !o.wants(c.name) {
			continue
		}
		c.entries = o.entries
		on := *p
		if s.folders {
			on.tree = filepath.Join(p.tree, c.name)
		}
		f, err := c.measure(&on, o.runs, compared, o.profile)
		if err != nil {
			return fmt.Errorf("%s: %w", c.name, err)
		}
		kept[c.name] = f
		rows = append(rows, measured{c, f})
	}
	if o.save != "" {
		if err := save(o.save, name, o.entries, kept); err != nil {
			return err
		}
	}
	if o.page != "" {
		if err := writePage(o.page, name, made, o.runs, rows); err != nil {
			return err
		}
	}
	if len(compared.faults) > 0 {
		return fmt.Errorf("worse than %s by more than %g %%: %s", o.against, o.worse, strings.Join(compared.faults, ", "))
	}
	return nil
}
