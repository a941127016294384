package output_test

import (
	"bytes"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"frankledger/output"
)

// terminal shows text as a terminal of endless width does that knows CR, LF and EL.
type terminal struct {
	mu    sync.Mutex
	lines []string
	drawn int
}

func (t *terminal) Write(p []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for part := range bytes.SplitAfterSeq(bytes.ReplaceAll(p, []byte("\r\x1b[K"), []byte("\r")), []byte("\n")) {
		if len(t.lines) == 0 {
			t.lines = []string{""}
		}
		last := &t.lines[len(t.lines)-1]
		for i, piece := range strings.Split(strings.TrimSuffix(string(part), "\n"), "\r") {
			if i > 0 {
				*last = ""
				t.drawn++
			}
			*last += piece
		}
		if bytes.HasSuffix(part, []byte("\n")) {
			t.lines = append(t.lines, "")
		}
	}
	return len(p), nil
}

func (t *terminal) text() string { return strings.Join(t.lines, "\n") }

func TestStatus(t *testing.T) {
	screen := &terminal{}
	n := 0
	status := output.NewStatus(screen, time.Millisecond, func() string {
		n++
		return "reading"
	})
	assert.Equal(t, "reading", screen.text(), "it is there at once")
	for _, line := range []string{"one\n", "two\n"} {
		_, err := status.Write([]byte(line))
		assert.NoError(t, err)
	}
	assert.Eventually(t, func() bool {
		screen.mu.Lock()
		defer screen.mu.Unlock()
		return screen.drawn > 10
	}, 10*time.Second, time.Millisecond, "it is written anew")
	status.Remove()
	assert.Equal(t, "one\ntwo\n", screen.text(), "what was written stands, and the status is gone")
}
