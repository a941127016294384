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
//	go run ./bench --shape flat     one folder of all the entries
//	go run ./bench --shape chain    3000 folders in one another
//	go run ./bench --shape content  files to read: large ones, small ones, copies
//	go run ./bench --shape ledger   records of the tree
//	go run ./bench --shape act      plans, hiding, commands
//	go run ./bench --shape records  look-ups in a record of 10 000 000 entries, or of so many as
//	                                --entries says; no files are made
//	go run ./bench --shape cold     with nothing in memory, against loops of 1 to 64 threads (root)
//	go run ./bench --shape slow     a file system that takes 5 ms to answer, against one reader (root)
//	go run ./bench --shape growth   how each kind of work grows when there is four times as much
//	go run ./bench --save FILE      and keep the figures
//	go run ./bench --against X      and hold them against a file, or against a revision,
//	                                which is built and run in turn with this one; it
//	                                fails if a line is worse by more than --worse per cent
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
	"syscall"
	"time"
)

// benchCase is a command line, the loop it is compared with and its budget.
type benchCase struct {
	name string
	args string // TREE stands for the tree, FEW for a folder of 20 entries
	loop string // names, facts or empty; with a number, that many threads
	wall float64
	two  float64 // processor time over that of the loop with two threads
	most float64 // milliseconds
	cold bool    // nothing is in memory before each run
	cpu  float64
	peak float64 // MiB
	// reads is how much may be read, over the bytes of the files in sets; beyond
	// that, 16 KiB for each file of a size that another has.
	reads   float64
	against string       // a command line of the program that it is compared with, instead of a loop
	undo    bool         // both change the tree, which is taken back
	calls   int          // how many processes may be started
	ledger  *ledgerState // nil where there is none
	entries int          // in the tree
}

var cases = []benchCase{
	{name: "paths, as found", args: "list TREE --depth all --as paths --order none", loop: "names", wall: 1.0, peak: 40},
	{name: "a table", args: "list TREE --depth all", loop: "facts", two: 2.2, peak: 200},
	{name: "facts as CSV, as found", args: "list TREE --depth all --as csv --columns path,size,modified,mode --order none", loop: "facts", wall: 1.0, two: 1.25, peak: 40},
	{name: "facts as CSV, by size", args: "list TREE --depth all --as csv --columns path,size,modified,mode,owner --order size", loop: "facts", wall: 1.5, peak: 250},
	{name: "the 20 largest", args: "list TREE --depth all --order size --first 20", loop: "facts", wall: 0.75, peak: 40},
	{name: "search by ending", args: "search TREE --count where name ends .wav", loop: "names", wall: 0.9, two: 1.15, peak: 40},
	{name: "search by pattern", args: "search TREE --count where name matches rec0*7.*\\.csv$", loop: "names", wall: 1.1, peak: 40},
	{name: "search by size and time", args: "search TREE where size over 4kB and modified within 1 day", loop: "facts", wall: 0.65, peak: 40},
	{name: "search by kind", args: "search TREE --count where kind is folder", loop: "names", wall: 0.9, peak: 40},
	{name: "search with 2 tests", args: "search TREE --count where size over 4kB and modified within 1 day", loop: "facts", wall: 0.65, peak: 40},
	{name: "search with 10 tests", args: "search TREE --count where size over 4kB and modified within 100 days and size under 1GB and links is 1 and mode has u+r and " +
		"owner is me and mode lacks o+w and size at least 1B and not modified before 2001 and age under 90 years", loop: "facts", wall: 0.78, peak: 40},
	{name: "weigh", args: "weigh TREE", loop: "facts", wall: 0.70, two: 1.15, peak: 60},
	{name: "weigh, every folder", args: "weigh TREE --depth all --as jsonl", loop: "facts", wall: 0.80, peak: 80},
	{name: "tally by extension", args: "tally TREE --by ext", loop: "facts", wall: 0.70, two: 1.15, peak: 40},
	{name: "outline of folders", args: "outline TREE --folders-only --depth 3", loop: "facts", wall: 0.75, peak: 60},
	{name: "a report", args: "report TREE", loop: "facts", wall: 1.1, peak: 250},
	{name: "20 entries", args: "list FEW", loop: "empty", cpu: 4},
}

// recordsCases look things up in a record. LEDGER stands for the ledger.
var recordsCases = []benchCase{
	{name: "a piece of a name", args: "search @t --ledger LEDGER --count where name has rec079998-8", loop: "empty", most: 80, peak: 64},
	{name: "a name", args: "search @t --ledger LEDGER --count where name is rec456789-7.wav", loop: "empty", most: 80, peak: 64},
	{name: "a pattern", args: "search @t --ledger LEDGER --count where name like *079998-8*", loop: "empty", most: 80, peak: 64},
	{name: "an extension", args: "search @t --ledger LEDGER --count where ext is zip", loop: "empty", most: 80, peak: 64},
	{name: "an owner", args: "search @t --ledger LEDGER --count where uid is 12", loop: "empty", most: 80, peak: 64},
	{name: "a size", args: "search @t --ledger LEDGER --count where size over 20kB and kind is file", loop: "empty", most: 80, peak: 64},
	{name: "a time", args: "search @t --ledger LEDGER --count where modified before 2001", loop: "empty", most: 80, peak: 64},
	{name: "much of it", args: "search @t --ledger LEDGER --count where ext is wav", loop: "empty"},
}

// coldCases are against the best of loops with several threads.
var coldCases = []benchCase{
	{name: "weigh", args: "weigh TREE", loop: "facts", wall: 1.1, peak: 60, cold: true},
	{name: "search by ending", args: "search TREE --count where name ends .wav", loop: "names", wall: 1.1, peak: 40, cold: true},
}

// coldThreads are how many the loops have.
var coldThreads = []int{1, 2, 4, 8, 16, 32, 64}

// slowCases are against one reader: a twentieth of the time is wanted.
var slowCases = []benchCase{
	{name: "weigh", args: "weigh TREE", loop: "facts1", wall: 0.05, peak: 60},
	{name: "checksum", args: "checksum TREE --as csv", loop: "hash", wall: 0.05, peak: 64},
}

// contentCases are about what is in files. They run in a folder of the tree that
// has their name.
var contentCases = []benchCase{
	{name: "eight", args: "checksum TREE --as csv", loop: "hash", wall: 0.60, peak: 64},
	{name: "one", args: "checksum TREE --as csv", loop: "hash", wall: 1.05, peak: 64},
	{name: "small", args: "checksum TREE --as csv", loop: "hash", wall: 0.65, peak: 64},
	{name: "copies", args: "duplicates TREE --as json", loop: "copies", wall: 1.2, peak: 200, reads: 1.10},
	{name: "unlike", args: "duplicates TREE --as json", loop: "facts", wall: 0.9, reads: 0},
}

func main() {
	if len(os.Args) == 4 {
		if err := inProcess(os.Args[1], os.Args[2], os.Args[3]); err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	entries := flag.Int("entries", 0, "entries in the tree; 1 000 000 if that is not said, and 10 000 000 in the shape records")
	runs := flag.Int("runs", 5, "runs of each")
	only := flag.String("only", "", "only the cases with this, or one of these, in their name")
	shape := flag.String("shape", "tree", "tree, flat (one folder), chain (3000 folders in one another), content (files to read), ledger (records of the tree), act (doing things), records (look-ups), cold, slow or growth")
	o := options{}
	flag.StringVar(&o.save, "save", "", "keep the figures in this file")
	flag.StringVar(&o.against, "against", "", "hold the figures against this file or revision")
	flag.Float64Var(&o.worse, "worse", 5, "by how many per cent a line may be worse")
	flag.StringVar(&o.page, "page", "", "write the table into this page")
	flag.StringVar(&o.profile, "profile", "", "keep processor profiles in this folder")
	flag.Parse()
	if *entries == 0 {
		*entries = 1_000_000
		if *shape == "records" {
			*entries *= 10
		}
	}
	if err := bench(*entries, *runs, *only, *shape, o); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// inProcess does what has to be done in a process of its own: run a loop, to
// be measured, or make the tree, lest its memory count as that of the programs
// started later, which the system does.
func inProcess(what, how, tree string) error {
	if what == "loop" {
		switch how {
		case "hash":
			return hashAll(tree)
		case "copies":
			return hashCopies(tree)
		case "rename", "reveal":
			return renameAll(tree, how == "rename")
		}
		what := strings.TrimRight(how, "0123456789")
		if threads, err := strconv.Atoi(how[len(what):]); err == nil {
			_, err := loopWith(threads, tree, what == "facts")
			return err
		}
		_, err := loop(tree, how == "facts")
		return err
	}
	entries, err := strconv.Atoi(how)
	if err != nil {
		return err
	}
	switch what {
	case "alike", "names", "empties", "extensions", "links", "moved":
		return makeGrowing(what, tree, entries)
	case "records":
		fmt.Printf("a record of %d entries", entries)
		return fabricate(tree, entries)
	case "alter":
		return alterFiles(tree, entries)
	case "content":
		fmt.Printf("content of %d MiB and more", contentMiB)
		return makeContent(tree)
	case "act":
		fmt.Printf("%d entries, and %d files to hide", entries, hideFolders*hideFiles)
		return makeAct(tree, entries)
	case "flat":
		fmt.Printf("%d files in one folder", entries)
		return makeFlat(tree, entries)
	case "chain":
		fmt.Printf("%d folders in one another", min(entries, mostLevels))
		return makeChain(tree, min(entries, mostLevels))
	}
	files, folders, err := makeTree(tree, entries)
	fmt.Printf("%d entries: %d files in %d folders", files+folders, files, folders)
	return err
}

// chainLevels are in the shape chain, and mostLevels in any.
const (
	chainLevels = 3000
	mostLevels  = 6000
)

// options are what is done with the figures.
type options struct {
	save, against, page, profile string
	worse                        float64
}

func bench(entries, runs int, only, shape string, o options) error {
	work, err := os.MkdirTemp("", "frank-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)
	os.Setenv("XDG_STATE_HOME", filepath.Join(work, "state")) // journals go there
	for _, program := range []string{"cmd/frank", "bench/empty"} {
		cmd := exec.Command("go", "build", "-o", filepath.Join(work, filepath.Base(program)), "frankledger/"+program)
		cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
		cmd.Stderr = os.Stderr
		if err := cmd.Run(); err != nil {
			return err
		}
	}
	compared, err := newComparison(o.against, o.worse, work, shape, entries)
	if err != nil {
		return err
	}
	kept := map[string]figures{}
	var rows []measured
	tree, few := filepath.Join(work, "tree"), filepath.Join(work, "few")
	for _, folder := range []string{tree, few} {
		if err := os.Mkdir(folder, 0o755); err != nil {
			return err
		}
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	if shape == "growth" {
		rows, err := growth(runs, only, work, self)
		if err == nil && o.page != "" {
			err = writeGrowth(o.page, runs, rows)
		}
		return err
	}
	making, at := shape, tree
	if shape == "chain" {
		entries = chainLevels
	}
	switch shape {
	case "ledger", "cold":
		making = "tree"
	case "records":
		at = filepath.Join(work, "ledger")
	}
	var made []byte
	if shape == "slow" {
		unmount, err := mountSlow(tree)
		if err != nil {
			return err
		}
		defer unmount()
		made = fmt.Appendf(nil, "%d files in %d folders, on a file system that takes %v to answer", slowFolders*slowFiles, slowFolders, slowDelay)
	} else if made, err = exec.Command(self, making, strconv.Itoa(entries), at).Output(); err != nil {
		return fmt.Errorf("make the tree: %w", err)
	}
	for i := range 20 {
		if err := os.WriteFile(filepath.Join(few, fmt.Sprint("file-", i)), nil, 0o644); err != nil {
			return err
		}
	}
	fmt.Printf("%s; %d cores, %s; medians of %d runs each, in turn\n\n",
		made, runtime.NumCPU(), runtime.Version(), runs)
	fmt.Printf("%-24s %-6s %10s %10s %12s %18s %18s\n", "case", "loop", "loop wall", "wall", "cpu", "ratio (budget)", "peak MiB (budget)")
	list := cases
	switch shape {
	case "content":
		list = contentCases
	case "ledger":
		list = ledgerCases
	case "act":
		list = actCases
	case "records":
		list = recordsCases
	case "cold":
		if err := dropCaches(); err != nil {
			return fmt.Errorf("the shape cold needs root on Linux: %w", err)
		}
		list = coldCases
	case "slow":
		list = slowCases
	}
	for _, c := range list {
		if slices.ContainsFunc(strings.Split(only, ","), func(part string) bool { return strings.Contains(c.name, part) }) {
			place := tree
			c.entries = entries
			if shape == "content" {
				place = filepath.Join(tree, c.name)
			}
			f, err := c.measure(self, work, place, few, runs, compared, o.profile)
			if err != nil {
				return fmt.Errorf("%s: %w", c.name, err)
			}
			kept[c.name] = f
			rows = append(rows, measured{c, f})
		}
	}
	if o.save != "" {
		if err := save(o.save, shape, entries, kept); err != nil {
			return err
		}
	}
	if o.page != "" {
		if err := writePage(o.page, shape, string(made), runs, rows); err != nil {
			return err
		}
	}
	if len(compared.faults) > 0 {
		return fmt.Errorf("worse than %s by more than %g %%: %s", o.against, o.worse, strings.Join(compared.faults, ", "))
	}
	return nil
}

// usage is what one run took.
type usage struct {
	wall, cpu time.Duration
	peak      float64 // MiB
}

func (c benchCase) measure(self, work, tree, few string, runs int, compared *comparison, profile string) (f figures, err error) {
	limit := []string{self, "loop", c.loop, tree}
	if c.loop == "empty" {
		limit = []string{filepath.Join(work, "empty")}
		runs *= 20 // these are short
	}
	ledger := filepath.Join(work, "ledger")
	program := append([]string{filepath.Join(work, "frank")}, strings.Fields(strings.NewReplacer("TREE", tree, "FEW", few, "LEDGER", ledger).Replace(c.args))...)
	if c.against != "" {
		limit = append(program[:1:1], strings.Fields(strings.NewReplacer("TREE", tree, "AGAIN", ledger+"-again").Replace(c.against))...)
	}
	if c.ledger != nil {
		if err := c.ledger.prepare(program[0], work, tree); err != nil {
			return f, err
		}
		if c.against != "" {
			if err := copyFile(c.ledger.saved, ledger+"-again"); err != nil {
				return f, err
			}
		}
	}
	var limits, programs, then, twos []usage
	if c.cold {
		if limit, err = bestCold(self, c.loop, tree); err != nil {
			return f, err
		}
	}
	type run struct {
		args []string
		to   *[]usage
	}
	turns := []run{{limit, &limits}, {program, &programs}}
	if compared.program != "" && c.ledger == nil && !c.undo && c.calls == 0 {
		turns = append(turns, run{append([]string{compared.program}, program[1:]...), &then})
	}
	if c.two > 0 && runtime.GOOS == "linux" {
		turns = append(turns, run{[]string{self, "loop", c.loop + "2", tree}, &twos})
	}
	for range runs {
		for _, run := range turns {
			if c.cold {
				if err := dropCaches(); err != nil {
					return f, err
				}
			}
			measured := c.ledger != nil && run.to == &programs
			if measured {
				if err := c.ledger.before(self, tree, ledger); err != nil {
					return f, err
				}
			}
			u, err := take(run.args)
			if err == nil && measured {
				err = c.ledger.after(ledger)
			}
			if err == nil {
				err = c.takeBack(self, program[0], tree, run.to == &programs)
			}
			if err != nil {
				return f, err
			}
			*run.to = append(*run.to, u)
		}
	}
	limitWall, wall := median(limits, wallOf), median(programs, wallOf)
	limitCPU, cpu := median(limits, cpuOf), median(programs, cpuOf)
	ratio, budget := wall/limitWall, c.wall
	if c.cpu > 0 {
		ratio, budget = cpu/limitCPU, c.cpu
	}
	f = figures{wall, cpu, median(programs, func(u usage) float64 { return u.peak }), wall / limitWall, cpu / limitCPU, 0, c.loop}
	if c.cold {
		f.Loop = limit[2]
	}
	if len(twos) > 0 {
		f.TwoRatio = cpu / median(twos, cpuOf)
	}
	peak := fmt.Sprintf("%.0f", f.Peak)
	if c.peak > 0 {
		peak += fmt.Sprintf(" (%.0f)", c.peak)
	}
	what := "wall"
	if c.calls > 0 {
		budget = ratio // it is about something else
	}
	if c.cpu > 0 {
		what = "cpu"
	}
	if c.most > 0 {
		what, ratio, budget = "ms", wall*1000, c.most
	}
	if f.TwoRatio > 0 {
		peak += fmt.Sprintf("  cpu of two threads x %.2f (%.2f)", f.TwoRatio, c.two)
	}
	fmt.Printf("%-24s %-6s %9.3fs %9.3fs %11.3fs %18s %18s%s\n", c.name, c.loop, limitWall, wall, cpu,
		fmt.Sprintf("%s %.2f (%.2f)", what, ratio, budget), peak, compared.hold(c.name, f, programs, then))
	if profile != "" && c.ledger == nil && !c.undo {
		if err := keepProfile(program, profile, c.name); err != nil {
			return f, err
		}
	}
	if c.ledger != nil {
		c.ledger.print(c.entries)
	}
	if c.calls > 0 {
		return f, c.printCalls(program)
	}
	if c.loop == "copies" || c.name == "unlike" {
		return f, c.printReads(program, tree)
	}
	return f, nil
}

// keepProfile runs a command once more, and has it write where its time goes.
func keepProfile(program []string, folder, name string) error {
	full, err := filepath.Abs(filepath.Join(folder, strings.NewReplacer(" ", "-", ",", "").Replace(name)+".pprof"))
	if err != nil {
		return err
	}
	os.Setenv("FRANK_DEBUG", "profile="+full)
	defer os.Unsetenv("FRANK_DEBUG")
	_, err = take(program)
	return err
}

// take runs a command with its output to the null device.
func take(args []string) (usage, error) {
	null, err := os.OpenFile(os.DevNull, os.O_WRONLY, 0)
	if err != nil {
		return usage{}, err
	}
	defer null.Close()
	cmd := exec.Command(args[0], args[1:]...)
	cmd.Stdout, cmd.Stderr = null, os.Stderr
	begun := time.Now()
	err = cmd.Run()
	wall := time.Since(begun)
	if err != nil && cmd.ProcessState.ExitCode() != 1 { // 1 is a difference
		return usage{}, err
	}
	state := cmd.ProcessState
	peak := float64(state.SysUsage().(*syscall.Rusage).Maxrss) / 1024
	if runtime.GOOS == "darwin" { // counts bytes, the others kibibytes
		peak /= 1024
	}
	return usage{wall, state.UserTime() + state.SystemTime(), peak}, nil
}

func wallOf(u usage) float64 { return u.wall.Seconds() }
func cpuOf(u usage) float64  { return u.cpu.Seconds() }

func median(all []usage, of func(usage) float64) float64 {
	values := make([]float64, len(all))
	for i, u := range all {
		values[i] = of(u)
	}
	slices.Sort(values)
	return values[len(values)/2]
}
