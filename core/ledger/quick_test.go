package ledger_test

import (
	"context"
	"database/sql"
	"maps"
	"math/rand/v2"
	"os"
	"path"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/upkeep"
	"frankledger/core/live"
	"frankledger/core/source"
)

// quickly records a place, taking over what looks unchanged.
func quickly(t *testing.T, l *ledger.Ledger, root string, taken time.Time) (ledger.Record, recording.Changes, source.Report) {
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	return quicklyFrom(t, l, s, taken)
}

func quicklyFrom(t *testing.T, l *ledger.Ledger, s source.Source, taken time.Time) (ledger.Record, recording.Changes, source.Report) {
	r := ledger.Record{Label: "q", Host: "tern-point", Place: s.Place().Full, Taken: taken, Terms: ledger.Terms{Quick: true}}
	snapshot, report, err := recording.Take(context.Background(), l, &source.Set{Sources: []source.Source{s}}, source.Request{Depth: source.AllDepths}, r)
	require.NoError(t, err)
	r, changes, err := recording.Write(context.Background(), l, r, snapshot, report, recording.Options{MoveLabel: true})
	require.NoError(t, err)
	return r, changes, report
}

// times are what tells that a folder has changed.
func times(t *testing.T, folder string) string {
	var st unix.Stat_t
	require.NoError(t, unix.Lstat(folder, &st))
	return line(0, st.Ino, uint64(st.Dev), 0, 0, 0, 0, 0, 0, entry.Time{Sec: st.Mtim.Sec, Nsec: uint32(st.Mtim.Nsec)}, entry.Time{Sec: st.Ctim.Sec, Nsec: uint32(st.Ctim.Nsec)}, entry.Time{}, "")
}

// unread leaves out when folders were last read, which is no change.
func unread(all map[string]string) map[string]string {
	for path, text := range all {
		if strings.HasPrefix(text, "folder") {
			all[path] = text[:strings.LastIndexByte(text, '{')]
		}
	}
	return all
}

// A quick record has of every folder what the kernel says, and of what else is in one the same,
// unless the folder's times are what they were at the record before: then that has the say.
func TestQuickRecords(t *testing.T) {
	for seed := uint64(0); seed < 6; seed += uint64(6 / fewer(6)) {
		random := rand.New(rand.NewPCG(seed, 17))
		root, file := filepath.Join(t.TempDir(), "tree"), filepath.Join(t.TempDir(), "ledger")
		require.NoError(t, os.Mkdir(root, 0o755))
		l, err := createNamed(t.Context(), file)
		require.NoError(t, err)
		edit(t, random, root, 150)
		var before map[string]string
		then := map[string]string{}
		settled := false // whether what was recorded can be relied on
		kept := int64(0)
		for step := range 8 {
			if step > 0 {
				edit(t, random, root, random.IntN(12))
			}
			if seed > 2 && step > 0 && os.Getenv(onPostgres) == "" { // as an earlier program leaves it
				db, err := sql.Open("sqlite", file)
				require.NoError(t, err)
				_, err = db.Exec("DELETE FROM stamp")
				require.NoError(t, err)
				require.NoError(t, db.Close())
			}
			wasSettled := settled
			settled = step%3 > 0
			taken := time.Now()
			if settled {
				taken = taken.Add(time.Hour) // long enough after all that was changed
			}
			r, changes, report := quickly(t, l, root, taken)
			now, want := kernel(t, root), map[string]string{}
			stamps := map[string]string{}
			for p, text := range now {
				if isFolder(filepath.Join(root, p)) {
					stamps[p] = times(t, filepath.Join(root, p))
				}
				want[p] = text
			}
			stamps["."] = times(t, root)
			for p := range now {
				if in := path.Dir(p); wasSettled && stamps[p] == "" && then[in] == stamps[in] {
					want[p] = before[p]
				}
			}
			require.Equal(t, unread(want), unread(recorded(t, l, r)), "%d of %d", step, seed)
			assert.EqualValues(t, len(want), r.Entries)
			assert.EqualValues(t, len(stamps), changes.Kept+report.Folders, "each folder is read or taken over")
			kept += changes.Kept
			faults, err := upkeep.Check(t.Context(), l)
			require.NoError(t, err)
			require.Empty(t, faults)
			before, then = maps.Clone(want), stamps
		}
		assert.Positive(t, kept)
		require.NoError(t, l.Close())
	}
}

// What was not whole is read again, and so is everything on other terms.
func TestQuickReadsWhatItMust(t *testing.T) {
	root := filepath.Join(t.TempDir(), "tree")
	require.NoError(t, os.MkdirAll(filepath.Join(root, "in", "deep"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(root, "in", "note"), []byte("x"), 0o644))
	l, err := createNamed(t.Context(), filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	later := time.Now().Add(time.Hour)
	r, changes, report := quickly(t, l, root, later)
	assert.False(t, r.Terms.Quick, "there is none before")
	assert.EqualValues(t, 3, report.Folders)
	r, changes, report = quickly(t, l, root, later)
	assert.True(t, r.Terms.Quick)
	assert.EqualValues(t, 3, changes.Kept)
	assert.Zero(t, report.Folders)

	// A file that is altered in place is not noticed, until something else in its folder is.
	require.NoError(t, os.WriteFile(filepath.Join(root, "in", "note"), []byte("longer"), 0o644))
	r, _, _ = quickly(t, l, root, later)
	assert.EqualValues(t, 1, r.Bytes)
	require.NoError(t, os.Remove(filepath.Join(root, "in", "deep")))
	r, changes, report = quickly(t, l, root, later)
	assert.EqualValues(t, 6, r.Bytes)
	assert.EqualValues(t, 1, report.Folders)
	assert.EqualValues(t, 1, changes.Kept, "the place itself")
	assert.EqualValues(t, 1, changes.Removed)

	recordWith(t, l, "q", root, recording.Options{MoveLabel: true}) // with other terms
	r, _, report = quickly(t, l, root, later)
	assert.False(t, r.Terms.Quick)
	assert.EqualValues(t, 2, report.Folders)

	// A folder that could not be read is tried again.
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	record := ledger.Record{Label: "q", Host: "tern-point", Place: s.Place().Full, Taken: later, Terms: ledger.Terms{Quick: true}}
	snapshot, report, err := recording.Take(t.Context(), l, &source.Set{Sources: []source.Source{s}}, source.Request{Depth: source.AllDepths}, record)
	require.NoError(t, err)
	report.Problems = append(report.Problems, source.Problem{Path: filepath.Join(root, "in"), Tried: "look at what is in the folder", Err: unix.EACCES, Entries: 1})
	_, _, err = recording.Write(t.Context(), l, record, snapshot, report, recording.Options{})
	require.NoError(t, err)
	_, _, report = quickly(t, l, root, later)
	assert.EqualValues(t, 2, report.Folders)
}

// While the disk is read for a quick record, others can change the ledger. If they drop what it
// is made from, it reads once more.
func TestQuickHoldsNobodyUp(t *testing.T) {
	root, file := filepath.Join(t.TempDir(), "tree"), filepath.Join(t.TempDir(), "ledger")
	require.NoError(t, os.MkdirAll(filepath.Join(root, "in"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(root, "in", "note"), []byte("x"), 0o644))
	l, err := createNamed(t.Context(), file)
	require.NoError(t, err)
	defer l.Close()
	other, err := createNamed(t.Context(), file)
	require.NoError(t, err)
	defer other.Close()
	later := time.Now().Add(time.Hour)
	quickly(t, l, root, later)
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	reads := 0
	ctx, stop := context.WithTimeout(t.Context(), 20*time.Second)
	defer stop()
	r, changes, _ := quicklyFrom(t, l, meanwhile{s, func() {
		if reads++; reads == 1 {
			_, _, err := recordAt(t, other, "tern-point", "another", t.TempDir(), later, recording.Options{})
			require.NoError(t, err)
			require.NoError(t, upkeep.Drop(ctx, other, 1))
		}
	}}, later)
	assert.Equal(t, 2, reads)
	assert.True(t, changes.First)
	assert.Equal(t, unread(kernel(t, root)), unread(recorded(t, l, r)))
	all(t, file)
}

// meanwhile is a source that has something happen before it is read.
type meanwhile struct {
	source.Source
	do func()
}

func (m meanwhile) Read(ctx context.Context, request source.Request, sink source.Sink) (source.Report, error) {
	m.do()
	return m.Source.Read(ctx, request, sink)
}
