package cli

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"time"

	"frankledger/core/posix"
	"frankledger/render"
)

// debugVariable holds what developers want to be told on the standard error: "calls".
const debugVariable = "FRANK_DEBUG"

// debug begins to count what is asked of the system, if that is wanted. The function it
// returns tells it.
func (p *Program) debug() (tell func()) {
	if !strings.Contains(os.Getenv(debugVariable), "calls") {
		return func() {}
	}
	posix.Watch()
	begun := time.Now()
	return func() {
		rows := [][]string{{"calls", "time", "each", "by", "failed"}}
		for _, c := range posix.Watched() {
			var failed []string
			for _, reason := range slices.Sorted(maps.Keys(c.Failed)) {
				failed = append(failed, fmt.Sprintf("%s: %s", render.Grouped(c.Failed[reason]), reason))
			}
			each := c.Took / time.Duration(c.Count)
			rows = append(rows, []string{render.Grouped(c.Count), c.Took.Round(time.Microsecond).String(), each.Round(10 * time.Nanosecond).String(), c.By, strings.Join(failed, ", ")})
		}
		p.say("frank: asked of the system within %s (of all threads together):\n%s", time.Since(begun).Round(time.Millisecond), strings.TrimSuffix(render.Columns(rows), "\n"))
	}
}
