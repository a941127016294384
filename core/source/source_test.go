package source_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"

	"frankledger/core/entry"
	"frankledger/core/source"
)

func TestReportsJoin(t *testing.T) {
	denied := errors.New("denied")
	var r source.Report
	r.Add(source.Report{Folders: 2, Tested: 9, Hidden: 1, Problems: []source.Problem{{Path: "b", Tried: "open", Err: denied, Entries: 1}}})
	r.Add(source.Report{Folders: 3, Skipped: 1, OtherDisks: 1, Repeated: 1, Problems: []source.Problem{{Path: "a", Tried: "read", Err: denied}, {Path: "a", Tried: "look", Vanished: true}}})
	r.SortProblems()
	assert.Equal(t, []int64{5, 9, 1, 1, 1, 1}, []int64{r.Folders, r.Tested, r.Hidden, r.Skipped, r.OtherDisks, r.Repeated})
	assert.Equal(t, []string{"a look", "a read", "b open"}, []string{r.Problems[0].Path + " " + r.Problems[0].Tried, r.Problems[1].Path + " " + r.Problems[1].Tried, r.Problems[2].Path + " " + r.Problems[2].Tried})
	assert.Equal(t, "it vanished during the run", r.Problems[0].Reason())
	assert.Equal(t, "denied", r.Problems[2].Reason())
}

// Every fact belongs to just one stage.
func TestStagesHoldAllFacts(t *testing.T) {
	var all entry.Facts
	for _, stage := range source.Stages {
		assert.Zero(t, all&stage)
		all |= stage
	}
	for i := range entry.Fields {
		assert.True(t, all.Has(entry.Fields[i].Needs), entry.Fields[i].Name)
	}
	assert.NoError(t, source.Nowhere.Visitor()(nil))
}
