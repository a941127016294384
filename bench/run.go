package main

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"syscall"
	"time"
)

// benchCase is a command line, the loop it is compared with and its budget.
type benchCase struct {
	name string
	args string // TREE stands for the tree
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

// usage is what one run took.
type usage struct {
	wall, cpu time.Duration
	peak      float64 // MiB
}

// measure runs a case and its limit in turn, and prints what that took.
func (c benchCase) measure(p *place, runs int, compared *comparison, profile string) (f figures, err error) {
	limit := []string{p.self, "loop", c.loop, p.tree}
	if c.loop == "empty" {
		limit = []string{filepath.Join(p.work, "empty")}
		runs *= 20 // these are short
	}
	program := append([]string{p.frank}, strings.Fields(strings.NewReplacer("TREE", p.tree, "LEDGER", p.ledger).Replace(c.args))...)
	if c.against != "" {
		limit = append(program[:1:1], strings.Fields(strings.NewReplacer("TREE", p.tree, "AGAIN", p.ledger+"-again").Replace(c.against))...)
	}
	if c.ledger != nil {
		if err := c.ledger.prepare(p); err != nil {
			return f, err
		}
		if c.against != "" {
			if err := copyFile(c.ledger.saved, p.ledger+"-again"); err != nil {
				return f, err
			}
		}
	}
	var limits, programs, then, twos []usage
	if c.cold {
		if limit, err = bestCold(p, c.loop); err != nil {
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
		turns = append(turns, run{[]string{p.self, "loop", c.loop + "2", p.tree}, &twos})
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
				if err := c.ledger.before(p); err != nil {
					return f, err
				}
			}
			u, err := take(run.args)
			if err == nil && measured {
				err = c.ledger.after(p.ledger)
			}
			if err == nil {
				err = c.takeBack(p, run.to == &programs)
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
	f = figures{Wall: wall, CPU: cpu, Peak: median(programs, peakOf), WallRatio: wall / limitWall, CPURatio: cpu / limitCPU, CPURatios: ratios(programs, limits), Loop: c.loop}
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
		return f, c.printReads(program, p.tree)
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
	var said bytes.Buffer
	cmd.Stdout, cmd.Stderr = null, &said
	begun := time.Now()
	err = cmd.Run()
	wall := time.Since(begun)
	if err != nil && cmd.ProcessState.ExitCode() != 1 { // 1 is a difference
		return usage{}, fmt.Errorf("%w: %s", err, said.Bytes()[:min(said.Len(), 300)])
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
func peakOf(u usage) float64 { return u.peak }

// values are one figure of some runs.
func values(all []usage, of func(usage) float64) []float64 {
	list := make([]float64, len(all))
	for i, u := range all {
		list[i] = of(u)
	}
	return list
}

func median(all []usage, of func(usage) float64) float64 { return middle(values(all, of)) }

// middle is the median of some numbers; of an even number of them, the greater of the two in the middle.
func middle(list []float64) float64 {
	sorted := slices.Sorted(slices.Values(list))
	return sorted[len(sorted)/2]
}

// ratios are the processor times of a program over those of the runs of its limit that were run beside.
func ratios(programs, limits []usage) []float64 {
	list := make([]float64, len(programs))
	for i := range programs {
		list[i] = cpuOf(programs[i]) / cpuOf(limits[i])
	}
	return list
}
