package ledger_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/upkeep"
	"frankledger/core/live"
	"frankledger/core/source"
)

// A file that has digests by two algorithms and is not what it was keeps only the one that
// was taken.
func TestReadAgainOfTwoDigests(t *testing.T) {
	ctx := context.Background()
	root := t.TempDir()
	for i := range 5 {
		require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprint(i)), []byte(fmt.Sprint("content ", i)), 0o644))
	}
	l, err := createNamed(ctx, filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	take := func(with digest.Files, o recording.Options) (ledger.Record, recording.Changes) {
		o.Pool = digest.NewPool(with, &source.Progress{})
		return recordWithChanges(t, l, "l", root, o)
	}
	take(otherContent{}, recording.Options{Fact: entry.FactSHA256})
	take(otherContent{}, recording.Options{Fact: entry.FactBLAKE3})
	r, changes := take(live.Files{}, recording.Options{Fact: entry.FactSHA256, Recheck: true, Limit: &recording.Limit{Share: 1}})
	assert.Len(t, changes.Unexplained, 5)
	faults, err := upkeep.Check(ctx, l)
	require.NoError(t, err)
	assert.Empty(t, faults)
	s, err := replay.SourceOf(ctx, l, r, "", "@l", 0)
	require.NoError(t, err)
	_, err = s.Read(ctx, source.Request{Facts: entry.FactDigests, Depth: 1}, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			for i := range entries {
				assert.Equal(t, entry.FactSHA256, entries[i].Known&entry.FactDigests)
				assert.Len(t, entries[i].More.Digests.Sum(entry.FactSHA256), 32)
			}
			return nil
		}
	}))
	require.NoError(t, err)
}

// Night by night, a part of the files is read again: each once before any a second time.
// What is not what it was is kept until it is accepted.
func TestReadAgainByTurns(t *testing.T) {
	ctx := context.Background()
	random := rand.New(rand.NewPCG(4, 4))
	root := t.TempDir()
	const files = 100
	for i := range files {
		folder := filepath.Join(root, fmt.Sprint("f", random.IntN(9)))
		require.NoError(t, os.MkdirAll(folder, 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(folder, fmt.Sprint("n", i)), []byte(fmt.Sprintf("content %04d", i)), 0o644))
	}
	l, err := createNamed(ctx, filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	take := func(with digest.Files, o recording.Options) (ledger.Record, recording.Changes) {
		o.Fact, o.Pool = entry.FactSHA256, digest.NewPool(with, &source.Progress{})
		r, changes := recordWithChanges(t, l, "l", root, o)
		faults, err := upkeep.Check(ctx, l)
		require.NoError(t, err)
		require.Empty(t, faults)
		return r, changes
	}
	r, _ := take(otherContent{}, recording.Options{}) // all of it will be found to be otherwise
	_, known, err := upkeep.CoverageOf(ctx, l, r)
	require.NoError(t, err)
	assert.False(t, known)
	found := map[string]int{}
	share := 0.0
	for night := 1; len(found) < files; night++ {
		require.Less(t, night, 14)
		_, changes := take(live.Files{}, recording.Options{Recheck: true, Limit: &recording.Limit{Share: 0.1}})
		assert.LessOrEqual(t, changes.Reread, int64(11))
		for _, path := range changes.Unexplained {
			found[path]++
			assert.Equal(t, 1, found[path], "%s is read twice before others", path)
		}
		if len(found) < files {
			assert.Len(t, changes.Unexplained, int(changes.Reread))
		}
		c, known, err := upkeep.CoverageOf(ctx, l, r)
		require.NoError(t, err)
		require.True(t, known)
		assert.Greater(t, c.Share, share)
		share = c.Share
		if night == 5 { // what is new is read at once, and is no surprise
			require.NoError(t, os.WriteFile(filepath.Join(root, "new"), []byte("content new!"), 0o644))
		}
	}
	_, changes := take(live.Files{}, recording.Options{Recheck: true, Limit: &recording.Limit{For: time.Hour}})
	assert.Empty(t, changes.Unexplained)
	assert.EqualValues(t, files+1, changes.Reread, "in an hour all are read")
	c, _, err := upkeep.CoverageOf(ctx, l, r)
	require.NoError(t, err)
	assert.EqualValues(t, 1, c.Share)
	_, changes = take(live.Files{}, recording.Options{Recheck: true, Limit: &recording.Limit{For: 1}})
	assert.Zero(t, changes.Reread)

	all, err := upkeep.Mismatches(ctx, l, r)
	require.NoError(t, err)
	require.Len(t, all, files)
	assert.NotEqual(t, all[0].Before, all[0].Now)
	accepted, err := upkeep.Accept(ctx, l, r, "f1")
	require.NoError(t, err)
	assert.NotEmpty(t, accepted)
	left, err := upkeep.Mismatches(ctx, l, r)
	require.NoError(t, err)
	assert.Len(t, left, files-len(accepted))
	_, err = upkeep.Accept(ctx, l, r, "")
	require.NoError(t, err)
	left, err = upkeep.Mismatches(ctx, l, r)
	require.NoError(t, err)
	assert.Empty(t, left)
}
