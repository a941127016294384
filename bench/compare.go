package main

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"

	"golang.org/x/perf/benchmath"
)

// figures are what was measured of a case.
type figures struct {
	Wall float64 `json:"wall_seconds"`
	CPU  float64 `json:"cpu_seconds"`
	Peak float64 `json:"peak_mib"`
	// WallRatio and CPURatio are over those of the loop, and so can be compared with what
	// was measured at another time.
	WallRatio float64 `json:"wall_ratio"`
	CPURatio  float64 `json:"cpu_ratio"`
	// CPURatios are the processor time of each run over that of the loop beside it.
	CPURatios []float64 `json:"cpu_ratios,omitempty"`
	// TwoRatio is the processor time over that of a loop with two threads; 0 where that was
	// not run.
	TwoRatio float64 `json:"two_ratio,omitempty"`
	Loop     string  `json:"loop"`
}

// saved is a file of figures.
type saved struct {
	Shape   string             `json:"shape"`
	Entries int                `json:"entries"`
	Cores   int                `json:"cores"`
	Go      string             `json:"go"`
	Cases   map[string]figures `json:"cases"`
}

// comparison holds this program against another one: as it was at a revision, run in
// turn with this one, or as a file says that it was.
type comparison struct {
	what    string // the file or the revision
	worse   float64
	program string // built of a revision
	file    *saved
	faults  []string
}

// firstWord stands for an early revision that does the whole job. Held against it, the figures show
// what many changes have cost together, each too little to be noticed by itself.
const (
	firstWord     = "first"
	firstRevision = "87af4a0"
)

// newComparison reads the file or, if there is none of that name, builds the revision.
func newComparison(what string, worse float64, work, shape string, entries int) (*comparison, error) {
	if what == firstWord {
		what = firstRevision
	}
	c := &comparison{what: what, worse: worse}
	if what == "" {
		return c, nil
	}
	content, err := os.ReadFile(what)
	if err == nil {
		c.file = &saved{}
		if err := json.Unmarshal(content, c.file); err != nil {
			return nil, fmt.Errorf("--against %s: %w", what, err)
		}
		if c.file.Shape != shape || c.file.Entries != entries {
			return nil, fmt.Errorf("--against %s: that is of %d entries in the shape %s", what, c.file.Entries, c.file.Shape)
		}
		return c, nil
	}
	tree := filepath.Join(work, "revision")
	c.program = filepath.Join(work, "frank-then")
	for _, args := range [][]string{
		{"git", "worktree", "add", "--quiet", "--detach", tree, what},
		{"go", "build", "-C", tree, "-o", c.program, "frankledger/cmd/frank"},
		{"git", "worktree", "remove", "--force", tree},
	} {
		cmd := exec.Command(args[0], args[1:]...)
		cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
		if out, err := cmd.CombinedOutput(); err != nil {
			return nil, fmt.Errorf("--against %s: it is no file, and as a revision: %s: %s", what, strings.Join(args[:2], " "), out)
		}
	}
	return c, nil
}

// hold compares a case, and notes it if it is worse. It goes by processor time: other programs on the
// machine disturb that least. The Mann-Whitney U test tells whether two sets of
// runs differ at all; it assumes nothing of how they are spread.
func (c *comparison) hold(name string, now figures, programs, then []usage) string {
	var ours, theirs []float64
	switch {
	case c.program != "" && len(then) > 0:
		ours, theirs = values(programs, cpuOf), values(then, cpuOf)
	case c.file != nil:
		ours, theirs = now.CPURatios, c.file.Cases[name].CPURatios
	}
	if len(ours) == 0 || len(theirs) == 0 {
		return ""
	}
	before, after := benchmath.NewSample(theirs, &benchmath.DefaultThresholds), benchmath.NewSample(ours, &benchmath.DefaultThresholds)
	test := benchmath.AssumeNothing.Compare(before, after)
	ratio := middle(ours) / middle(theirs)
	text := fmt.Sprintf("  cpu %.3f of %s (%s)", ratio, c.what, test)
	if test.P < test.Alpha && ratio > 1+c.worse/100 {
		c.faults = append(c.faults, name)
		text += ": worse"
	}
	return text
}

// save writes figures to a file.
func save(path, shape string, entries int, cases map[string]figures) error {
	text, err := json.MarshalIndent(saved{shape, entries, runtime.NumCPU(), runtime.Version(), cases}, "", "\t")
	if err == nil {
		err = os.WriteFile(path, append(text, '\n'), 0o644)
	}
	return err
}
