package ledger_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/checksum"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/upkeep"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/internal/long"
)

// Folders of very many entries, and very many folders, take several segments, and
// read back the same, also after parts of them have changed and records were
// dropped; compacting gives the room back.
func TestManySegmentsLong(t *testing.T) {
	long.Test(t)
	fileOnly(t)
	ctx := context.Background()
	root, file := t.TempDir(), filepath.Join(t.TempDir(), "ledger")
	large := filepath.Join(root, "large")
	require.NoError(t, os.Mkdir(large, 0o755))
	name := func(i int) string {
		return filepath.Join(large, fmt.Sprintf("%05d %s", i*7919%20011, strings.Repeat("long ", i%30)))
	}
	for i := range 9000 {
		require.NoError(t, os.WriteFile(name(i), nil, 0o644))
	}
	for i := range 3000 {
		folder := filepath.Join(root, fmt.Sprint("many/", i%50, "/", i))
		require.NoError(t, os.MkdirAll(folder, 0o755))
		require.NoError(t, os.Symlink(strings.Repeat("x", 40), filepath.Join(folder, "link")))
	}
	l, err := createNamed(ctx, file)
	require.NoError(t, err)
	defer l.Close()
	want := map[int64]map[string]string{}
	for step := range 4 {
		for i := step; i < 9000; i += 1000 {
			require.NoError(t, os.Remove(name(i)))
			require.NoError(t, os.WriteFile(name(i)+"!", nil, 0o600))
		}
		require.NoError(t, os.RemoveAll(filepath.Join(root, "many", fmt.Sprint(step))))
		r := record(t, l, "l", root)
		want[r.Number] = kernel(t, root)
	}
	records, err := l.Records(ctx)
	require.NoError(t, err)
	assert.Greater(t, records[0].Stored, int64(200<<10))
	assert.Less(t, records[1].Stored, records[0].Stored/2, "what was looked at meanwhile has other times")
	check := func() {
		t.Helper()
		records, err := l.Records(ctx)
		require.NoError(t, err)
		for _, r := range records {
			require.Equal(t, want[r.Number], recorded(t, l, r))
		}
		faults, err := upkeep.Check(ctx, l)
		require.NoError(t, err)
		assert.Empty(t, faults)
	}
	check()
	require.NoError(t, upkeep.Drop(ctx, l, 1))
	check()
	for _, number := range []int64{3, 2} {
		require.NoError(t, upkeep.Drop(ctx, l, number))
	}
	check()
	before, err := os.Stat(file)
	require.NoError(t, err)
	require.NoError(t, upkeep.Compact(ctx, l))
	after, err := os.Stat(file)
	require.NoError(t, err)
	assert.LessOrEqual(t, after.Size(), before.Size())
	check()
	require.NoError(t, upkeep.Drop(ctx, l, 4))
	assert.ErrorIs(t, upkeep.Drop(ctx, l, 4), ledger.ErrNoRecord)
	require.NoError(t, upkeep.Compact(ctx, l))
	after, err = os.Stat(file)
	require.NoError(t, err)
	assert.Less(t, after.Size(), int64(160<<10), "nothing is left")
}

// Of recorded files, only those with the digest are passed on, and the others are
// counted; of what is there now, all; and the list of a record has those that it
// can tell.
func TestDigestedOnly(t *testing.T) {
	ctx := context.Background()
	root := t.TempDir()
	for _, name := range []string{"a", "b", "sub/c"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(root, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(name), 0o644))
	}
	l, err := createNamed(ctx, filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	recordWith(t, l, "l", root, recording.Options{Fact: entry.FactSHA512, Pool: digest.NewPool(live.Files{}, &source.Progress{})})
	require.NoError(t, os.WriteFile(filepath.Join(root, "b"), []byte("other"), 0o644))
	r := record(t, l, "l", root) // the digests of a and c are carried over
	for fact, want := range map[entry.Facts]struct{ passed, without int64 }{entry.FactSHA512: {3, 1}, entry.FactMD5: {1, 3}} {
		passed := int64(0)
		count := source.SinkFunc(func() source.Visitor {
			return func(entries []entry.Entry) error { passed += int64(len(entries)); return nil }
		})
		digested := replay.NewDigested(count, fact)
		s := open(t, l, r.Number)
		_, err = s.Read(ctx, source.Request{Depth: source.AllDepths, Facts: entry.FactStatus}, digested)
		require.NoError(t, err)
		assert.Equal(t, want.passed, passed, "and the folder")
		problems := digested.Problems("sum")
		require.Len(t, problems, 1)
		assert.Equal(t, want.without, problems[0].Entries)
		assert.Equal(t, "look up the sum of files in", problems[0].Tried)
		now, err := live.Open(root, 0)
		require.NoError(t, err)
		passed = 0
		all := replay.NewDigested(count, fact)
		_, err = now.Read(ctx, source.Request{Depth: source.AllDepths, Facts: entry.FactStatus}, all)
		require.NoError(t, err)
		assert.EqualValues(t, 4, passed)
		assert.Empty(t, all.Problems("sum"))
	}
	list, without, _, err := checksum.ListOf(ctx, open(t, l, r.Number))
	require.NoError(t, err)
	assert.Equal(t, map[string]bool{"b": true}, without)
	require.Len(t, list.Lines, 2)
	assert.Equal(t, "a", list.Lines[0].Name)
	assert.Equal(t, "sub/c", list.Lines[1].Name)
	assert.Equal(t, "sha512", list.Lines[0].Digest.Algorithms[0].Name)
}
