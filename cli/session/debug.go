package session

import (
	"fmt"
	"maps"
	"os"
	"runtime/pprof"
	"slices"
	"strings"
	"time"

	"frankledger/core/posix"
	"frankledger/render/layout"
	"frankledger/render/units"
)

// debugVariable holds what developers want to be told: "calls", on the standard error, or
// "profile=FILE", of where processor time goes.
const debugVariable = "FRANK_DEBUG"

// Debug begins to count what is asked of the system, or to take a profile, if that is
// wanted. The function it returns tells it.
func (p *Session) Debug() (tell func()) {
	wanted := os.Getenv(debugVariable)
	if path, is := strings.CutPrefix(wanted, "profile="); is {
		return p.profile(path)
	}
	if wanted != "calls" {
		return func() {}
	}
	posix.Watch()
	begun := time.Now()
	return func() {
		rows := [][]string{{"calls", "time", "each", "by", "failed"}}
		for _, c := range posix.Watched() {
			var failed []string
			for _, reason := range slices.Sorted(maps.Keys(c.Failed)) {
				failed = append(failed, fmt.Sprintf("%s: %s", units.Grouped(c.Failed[reason]), reason))
			}
			each := c.Took / time.Duration(c.Count)
			rows = append(rows, []string{units.Grouped(c.Count), c.Took.Round(time.Microsecond).String(), each.Round(10 * time.Nanosecond).String(), c.By, strings.Join(failed, ", ")})
		}
		p.Say("frank: calls to the system in %s (all threads together):\n%s", time.Since(begun).Round(time.Millisecond), strings.TrimSuffix(layout.Columns(rows), "\n"))
	}
}

// profile takes a processor profile, for go tool pprof.
func (p *Session) profile(path string) (done func()) {
	file, err := os.Create(path)
	if err == nil {
		err = pprof.StartCPUProfile(file)
	}
	if err != nil {
		p.Say("frank: no profile: %s", err)
		return func() {}
	}
	return func() {
		pprof.StopCPUProfile()
		file.Close()
	}
}
