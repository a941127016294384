package report_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/render"
	"frankledger/render/report"
)

func view() *report.View {
	return &report.View{Places: []*entry.Place{{Given: "p", Full: "/full/p"}}, View: &render.View{Context: &entry.Context{AsOf: time.Unix(1e9, 0)}, Zone: time.UTC}}
}

// The sums of a plan leave out what is refused, and count what folders hold.
func TestPlanSummary(t *testing.T) {
	plan := &plans.Plan{Action: plans.Move, Options: plans.Options{Into: "/new\nplace"}, Covered: 2, Steps: []*plans.Step{
		{Path: "/a", Kind: "file", Size: 1024}, {Path: "/b", Kind: "folder", Size: 4096, Holds: &plans.Holds{Entries: 7, Size: 2048}},
		{Path: "/c", Kind: "link"}, {Path: "/d", Kind: "file", Size: 1 << 30, Refused: "that name is taken already"},
	}}
	v, s := view(), &report.Summary{}
	v.PlanSummary(s, plan)
	assert.Equal(t, "3 steps: 1 file, 1 folder, 1 other with 7 entries in it · 3.0 KiB", s.Lead)
	assert.Equal(t, []string{`into /new\nplace`, "1 refused, for the reason beside it", "2 matches lie in a folder that the plan moves or removes as a whole"}, s.Notes)
	s = &report.Summary{}
	v.PlanSummary(s, &plans.Plan{})
	assert.Equal(t, "0 steps", s.Lead)
	assert.Empty(t, s.Notes)
}

// What a command wrote stands below what it was called for: as it came, or on a
// terminal so that it can do nothing there.
func TestRan(t *testing.T) {
	v := view()
	steps := []*plans.Step{{Path: "/a\nb"}}
	ran := &verbs.Ran{Steps: steps, Output: []byte("one\x1b[2J\ntwo")}
	assert.Equal(t, `/a\nb: ended well`+"\none\x1b[2J\ntwo\n", string(v.Ran(nil, ran, false)))
	assert.Equal(t, `/a\nb: ended well`+"\n  one"+`\x1b[2J`+"\n  two\n", string(v.Ran(nil, ran, true)))
	ran = &verbs.Ran{Steps: append(steps, &plans.Step{}, &plans.Step{}), Output: []byte("\xff\x00"), Cut: true, Err: errors.New("it ended with status 3"), Status: 3, Took: time.Second}
	assert.Equal(t, `/a\nb and 2 more: it ended with status 3`+"\n  (2 bytes that are not text)\n   (and more, which frank did not keep)\n", string(v.Ran(nil, ran, true)))
	assert.JSONEq(t, `{"paths":["/a\nb","",""],"status":3,"seconds":1,"output":"\ufffd\u0000","output_base64":"/wA=","cut":true,"left_running":false,"error":"it ended with status 3"}`, string(report.RanJSON(nil, ran)))
	assert.Contains(t, string(report.RanJSON(nil, &verbs.Ran{Steps: steps, Status: -1, Err: errors.New("x")})), `"status":null`)
	assert.Equal(t, "3 calls: 2 succeeded, 1 failed, 4 not run", report.RunText(verbs.RunResult{Calls: 3, Done: 2, Failed: 1, NotRun: 4}))
}

// What was written down, and what is different, is told in words.
func TestWritten(t *testing.T) {
	v := view()
	record := ledger.Record{Number: 12, Label: "weekly", Entries: 1234, Bytes: 2048, Algorithm: "sha256"}
	for want, c := range map[string]recording.Changes{
		"the first record of this place":                                      {First: true},
		"the first record of this place with these options":                   {},
		"nothing has changed since the record before":                         {Before: &record},
		"since the record before: 1 added, 2 removed, 1 234 moved, 4 altered": {Before: &record, Added: 1, Removed: 2, Moved: 1234, Altered: 4},
		"since the record before: 3 altered":                                  {Before: &record, Altered: 3},
	} {
		out := string(v.Written(nil, record, c, "/the/ledger", nil, &report.Summary{}))
		assert.Contains(t, out, "recorded as @weekly, number 12: 1 234 entries · 2.0 KiB in the files\n"+want+"\nthe ledger is /the/ledger\n")
	}
	progress := &source.Progress{}
	progress.Read.Store(4096)
	c := recording.Changes{Before: &record, Altered: 1, Digested: 2, Missing: 3, Unexplained: []string{"x"}}
	out := string(v.Written(nil, record, c, "/l", digest.NewPool(live.Files{}, progress), &report.Summary{}))
	assert.Contains(t, out, "digests by sha256: 2 files read, 4.0 KiB; 3 could not be read\nthe content of 1 file changed, although size and times did not; frank ledger accept @weekly accepts that\n")
	v.Plain = true
	assert.Empty(t, v.Written(nil, record, c, "/l", nil, &report.Summary{}))
}
