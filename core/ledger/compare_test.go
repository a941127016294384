package ledger_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/compare"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/upkeep"
	"frankledger/core/live"
	"frankledger/core/source"
)

// everything is a condition that all meet, so that nothing is stepped over.
type everything struct{}

func (everything) Needs() entry.Facts { return 0 }
func (everything) Test() source.Test {
	return func(*entry.Entry, entry.Facts) source.Verdict { return source.Yes }
}

// compared compares two sources, and returns the changes in words and the answer.
func compared(t *testing.T, a, b source.Source, o compare.Options) (string, *compare.Answer, int64) {
	progress := &source.Progress{}
	o.Request.Progress = progress
	o.Fact = entry.FactSHA256
	answer, err := compare.Compare(context.Background(), a, b, digest.NewPool(live.Files{}, progress), o)
	require.NoError(t, err)
	var list []string
	for _, r := range answer.Results {
		word := r.Change.String() + " " + r.Path
		if r.From != "" {
			word += "<" + r.From
		}
		list = append(list, strings.Join(append([]string{word}, r.Words()...), " "))
	}
	return strings.Join(list, "; "), answer, progress.Read.Load()
}

func open(t *testing.T, l *ledger.Ledger, number int64) source.Source {
	records, err := l.Records(context.Background())
	require.NoError(t, err)
	at := slices.IndexFunc(records, func(r ledger.Record) bool { return r.Number == number })
	s, err := replay.SourceOf(context.Background(), l, records[at], "", fmt.Sprint("@", number), int(number))
	require.NoError(t, err)
	return s
}

// Between any two records, what is stepped over by tree hashes is what is the same: the
// changes and the sums are those of a comparison that reads everything.
func TestSteppingOverChangesNothing(t *testing.T) {
	for seed := range uint64(fewer(6)) {
		random := rand.New(rand.NewPCG(seed, 21))
		folder := t.TempDir()
		l, err := createNamed(context.Background(), filepath.Join(folder, "ledger"))
		require.NoError(t, err)
		root := filepath.Join(folder, "tree")
		require.NoError(t, os.MkdirAll(root, 0o755))
		edit(t, random, root, 120)
		const count = 5
		for i := range count {
			if i != 3 {
				edit(t, random, root, 1+random.IntN(6))
			}
			record(t, l, "l", root)
		}
		for i := int64(1); i <= count; i++ {
			for j := int64(1); j <= count; j++ {
				fast, a, _ := compared(t, open(t, l, i), open(t, l, j), compare.Options{})
				slow, b, _ := compared(t, open(t, l, i), open(t, l, j), compare.Options{Request: source.Request{Condition: everything{}}})
				require.Equal(t, slow, fast, "%d %d to %d", seed, i, j)
				require.Equal(t, b.Same, a.Same, "%d %d to %d", seed, i, j)
				require.Equal(t, b.Bytes, a.Bytes)
				if i == j {
					require.Empty(t, fast)
				}
			}
		}
		// What is recorded is what is there: no difference to now either.
		now, err := live.Open(root, 9)
		require.NoError(t, err)
		words, answer, read := compared(t, open(t, l, count), now, compare.Options{})
		assert.Empty(t, words)
		assert.Zero(t, read)
		assert.Zero(t, answer.Unknown)
		require.NoError(t, l.Close())
	}
}

// Against what is there now, digests that were recorded stand for content; where
// there are none, another time is taken for another content. What has moved is
// known again.
func TestCompareRecordWithNow(t *testing.T) {
	for _, fact := range []entry.Facts{0, entry.FactBLAKE3} {
		root := t.TempDir()
		path := func(name string) string { return filepath.Join(root, name) }
		write := func(name, content string) {
			require.NoError(t, os.MkdirAll(filepath.Dir(path(name)), 0o755))
			require.NoError(t, os.WriteFile(path(name), []byte(content), 0o644))
		}
		old := time.Unix(1_700_000_000, 0)
		for name, content := range map[string]string{"same": "same", "touched": "touched", "grown": "grown", "secret": "secret", "sub/deep": "deep content", "away": "away", "copied": "copied over", "mode": "mode", "empty": ""} {
			write(name, content)
			require.NoError(t, os.Chtimes(path(name), old, old))
		}
		require.NoError(t, os.Symlink("same", path("link")))
		l, err := createNamed(context.Background(), filepath.Join(t.TempDir(), "ledger"))
		require.NoError(t, err)
		record := recordWith(t, l, "l", root, recording.Options{Fact: fact, Pool: digest.NewPool(live.Files{}, &source.Progress{})})

		now := time.Unix(1_750_000_000, 0)
		require.NoError(t, os.Chtimes(path("touched"), now, now))
		write("grown", "grown up")
		write("secret", "SECRET") // of the same size, and with the time put back
		require.NoError(t, os.Chtimes(path("secret"), old, old))
		require.NoError(t, os.Rename(path("sub"), path("moved")))
		require.NoError(t, os.Rename(path("away"), path("moved/away")))
		write("new copy", "copied over")
		require.NoError(t, os.Remove(path("copied")))
		require.NoError(t, os.Chmod(path("mode"), 0o600))
		require.NoError(t, os.Chtimes(path("empty"), now, now))
		require.NoError(t, os.Remove(path("link")))
		require.NoError(t, os.Symlink("grown", path("link")))

		there, err := live.Open(root, 1)
		require.NoError(t, err)
		words, answer, _ := compared(t, open(t, l, record.Number), there, compare.Options{})
		moved := "moved moved<sub; moved moved/away<away; moved moved/deep<sub/deep"
		details := "details empty modified; details mode mode"
		if fact != 0 {
			assert.Equal(t, "altered grown size modified; altered link target; altered secret content; moved moved<sub; moved new copy<copied; moved moved/away<away; moved moved/deep<sub/deep; "+details+"; details touched modified", words)
			assert.Zero(t, answer.ByTime)
		} else {
			// Nothing tells that secret is another, nor that the copy is one.
			assert.Equal(t, "added new copy; removed copied; altered grown size modified; altered link target; altered touched modified; "+moved+"; "+details, words)
			assert.Equal(t, 1, answer.ByTime)
		}
		words, answer, _ = compared(t, open(t, l, record.Number), there, compare.Options{Content: true})
		if fact != 0 {
			assert.Contains(t, words, "altered secret content")
			assert.Zero(t, answer.Unknown)
		} else {
			assert.NotZero(t, answer.Unknown, "content cannot be compared without digests")
		}
		for _, r := range answer.Results {
			if r.Path == "moved" {
				assert.Equal(t, 1, r.Along, "away moved by itself")
			}
			assert.Equal(t, r.Path == "moved/deep", r.Carried, r.Path)
		}
		require.NoError(t, l.Close())
	}
}

// The history of any path says of each record what the record itself has.
func TestHistoryAgreesWithRecords(t *testing.T) {
	ctx := context.Background()
	random := rand.New(rand.NewPCG(8, 8))
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	require.NoError(t, os.MkdirAll(root, 0o755))
	l, err := createNamed(ctx, filepath.Join(folder, "ledger"))
	require.NoError(t, err)
	defer l.Close()
	held := map[int64]map[string]string{}
	paths := map[string]bool{}
	for range 7 {
		edit(t, random, root, 12)
		r := record(t, l, "l", root)
		record(t, l, "below", root+"/.") // the same place
		held[r.Number], held[r.Number+1] = recorded(t, l, r), recorded(t, l, r)
		for path := range held[r.Number] {
			paths[path] = true
		}
	}
	require.Greater(t, len(paths), 20)
	for rel := range paths {
		spans, err := replay.History(ctx, l, "tern-point", filepath.Join(root, rel), nil)
		require.NoError(t, err)
		require.True(t, slices.IsSortedFunc(spans, func(a, b replay.Span) int { return a.First.Taken.Compare(b.First.Taken) }))
		next := map[string]int64{"l": 1, "below": 2} // each label is apart
		before := map[string]replay.Presence{}
		for _, span := range spans {
			label := span.First.Label
			require.Equal(t, next[label], span.First.Number, rel)
			require.Equal(t, label, span.Last.Label)
			for n := span.First.Number; n <= span.Last.Number; n += 2 {
				line, there := held[n][rel]
				require.Equal(t, there, span.State == replay.There, "%s in %d", rel, n)
				if there {
					require.Contains(t, line, fmt.Sprint(span.Entry.Modified))
				}
			}
			require.EqualValues(t, (span.Last.Number-span.First.Number)/2+1, span.Records)
			next[label] = span.Last.Number + 2
			state, is := before[label]
			require.False(t, is && span.State != replay.There && state == span.State, "neighbours differ")
			before[label] = span.State
		}
		require.Equal(t, map[string]int64{"l": 15, "below": 16}, next)
	}
	spans, err := replay.History(ctx, l, "tern-point", root, nil)
	require.NoError(t, err)
	assert.NotEmpty(t, spans, "the place itself is known too")
	for _, none := range []string{root + "x", "/", filepath.Join(root, "never/there")} {
		spans, err = replay.History(ctx, l, "tern-point", none, nil)
		require.NoError(t, err)
		assert.Empty(t, spans, none)
	}
	spans, err = replay.History(ctx, l, "elsewhere", root, nil)
	require.NoError(t, err)
	assert.Empty(t, spans, "another machine has paths of its own")
}

// What changed between records is counted as it is: what moved with its folder or
// by itself, and what was in a folder that is gone.
func TestChangesAreCounted(t *testing.T) {
	root := t.TempDir()
	path := func(name string) string { return filepath.Join(root, name) }
	for _, name := range []string{"a/b/c/d", "a/b/e", "f", "g/h", "g/i/j", "k"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(path(name)), 0o755))
		require.NoError(t, os.WriteFile(path(name), []byte(name), 0o644))
	}
	l, err := createNamed(context.Background(), filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	take := func() [5]int64 {
		_, c := recordWithChanges(t, l, "l", root, recording.Options{})
		assert.False(t, c.First)
		return [5]int64{c.Added, c.Removed, c.Moved, c.Altered, c.Details}
	}
	_, first := recordWithChanges(t, l, "l", root, recording.Options{})
	assert.True(t, first.First)
	assert.Equal(t, [5]int64{}, take())
	require.NoError(t, os.RemoveAll(path("g"))) // g, h, i, j
	assert.Equal(t, [5]int64{0, 4, 0, 0}, take())
	require.NoError(t, os.Rename(path("a/b"), path("z"))) // b, c, d, e
	assert.Equal(t, [5]int64{0, 0, 4}, take())
	require.NoError(t, os.Remove(path("k")))
	require.NoError(t, os.MkdirAll(path("k/l"), 0o755)) // from a file to a folder
	assert.Equal(t, [5]int64{1, 0, 0, 1}, take())
	require.NoError(t, os.RemoveAll(path("k")))
	require.NoError(t, os.WriteFile(path("k"), nil, 0o644))
	assert.Equal(t, [5]int64{0, 1, 0, 1}, take())
	require.NoError(t, os.Chmod(path("f"), 0o600))
	require.NoError(t, os.Link(path("f"), path("f2")))
	assert.Equal(t, [5]int64{1, 0, 0, 0, 1}, take())
}

// Two programs may record the same place at the same time: the second one sees
// that it was overtaken, and begins from what the first has written.
func TestOvertaken(t *testing.T) {
	ctx := context.Background()
	root := t.TempDir()
	file := filepath.Join(t.TempDir(), "ledger")
	require.NoError(t, os.WriteFile(filepath.Join(root, "a"), []byte("a"), 0o644))
	one, err := createNamed(ctx, file)
	require.NoError(t, err)
	defer one.Close()
	two, err := createNamed(ctx, file)
	require.NoError(t, err)
	defer two.Close()
	record(t, one, "l", root)
	require.NoError(t, os.WriteFile(filepath.Join(root, "b"), []byte("b"), 0o644))
	// While the first reads b to take its digest, the second writes a record.
	overtaking := &overtaker{overtake: func() { record(t, two, "l", root) }}
	r, changes := recordWithChanges(t, one, "l", root, recording.Options{Fact: entry.FactMD5, Pool: digest.NewPool(overtaking, &source.Progress{})})
	assert.GreaterOrEqual(t, r.Number, int64(3)) // numbers that were given out in vain are of none
	assert.Zero(t, changes.Added, "the record in between has it")
	assert.Zero(t, changes.Altered, "that there are digests now is no change")
	assert.EqualValues(t, 2, changes.Digested)
	faults, err := upkeep.Check(ctx, one)
	require.NoError(t, err)
	assert.Empty(t, faults)
	assert.Equal(t, kernel(t, root), recorded(t, one, r))
}

// overtaker opens files, and does something the first time.
type overtaker struct {
	overtake func()
	once     sync.Once
}

func (o *overtaker) Opener() digest.Opener {
	o.once.Do(o.overtake)
	return live.Files{}.Opener()
}

// Where a record has no digests, a file of the same size is taken for altered by its time, and that is
// counted; with its content asked for, it is not known.
func TestByTimeAlone(t *testing.T) {
	root := t.TempDir()
	l, err := createNamed(t.Context(), filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	for _, name := range []string{"same", "touched"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(name), 0o600))
	}
	before := open(t, l, record(t, l, "l", root).Number)
	when := time.Unix(1_000_000, 0)
	require.NoError(t, os.Chtimes(filepath.Join(root, "touched"), when, when))
	now, err := live.Open(root, 1)
	require.NoError(t, err)
	said, answer, read := compared(t, before, now, compare.Options{})
	assert.Contains(t, said, "altered touched")
	assert.Equal(t, []int{1, 1, 0}, []int{answer.ByTime, answer.Same, answer.Unknown})
	assert.Zero(t, read)
	said, answer, _ = compared(t, before, now, compare.Options{Content: true})
	assert.Empty(t, said)
	assert.Equal(t, []int{0, 0, 2}, []int{answer.ByTime, answer.Same, answer.Unknown})
}
