package ledger_test

import (
	"context"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/internal/tuning"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/upkeep"
	"frankledger/core/live"
	"frankledger/core/source"
)

const facts = entry.FactStatus | entry.FactCreated | entry.FactTarget

// record writes a place down.
func record(t *testing.T, l *ledger.Ledger, label, root string) ledger.Record {
	return recordWith(t, l, label, root, recording.Options{MoveLabel: true})
}

func recordWith(t *testing.T, l *ledger.Ledger, label, root string, o recording.Options) ledger.Record {
	r, _ := recordWithChanges(t, l, label, root, o)
	return r
}

func recordWithChanges(t *testing.T, l *ledger.Ledger, label, root string, o recording.Options) (ledger.Record, recording.Changes) {
	r, changes, err := recordOf(t, l, "tern-point", label, root, o)
	require.NoError(t, err)
	return r, changes
}

// recordOf records a place as a host would.
func recordOf(t *testing.T, l *ledger.Ledger, host, label, root string, o recording.Options) (ledger.Record, recording.Changes, error) {
	return recordAt(t, l, host, label, root, time.Now(), o)
}

// recordAt does so when its clock says a moment.
func recordAt(t *testing.T, l *ledger.Ledger, host, label, root string, moment time.Time, o recording.Options) (ledger.Record, recording.Changes, error) {
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	taken := recording.NewSnapshot(s.Place())
	report, err := s.Read(context.Background(), source.Request{Facts: facts, Depth: source.AllDepths, Self: true}, taken)
	require.NoError(t, err)
	return recording.Write(context.Background(), l, ledger.Record{Label: label, Host: host, Place: s.Place().Full, Taken: moment, Note: "x", Terms: ledger.Terms{Skip: []string{"x"}}}, taken, report, o)
}

// line is all that is recorded of an entry, in words.
func line(kind entry.Kind, inode, device uint64, size, disk int64, links, uid, gid uint32, mode entry.Permissions, modified, changed, accessed entry.Time, target string) string {
	if kind == entry.KindLink { // to read where it points alters that, and the system has no way not to
		accessed = entry.Time{}
	}
	return fmt.Sprint(kind, " ", inode, device, size, disk, links, uid, gid, mode, modified, changed, accessed, target)
}

// recorded reads a record back, by paths.
func recorded(t *testing.T, l *ledger.Ledger, r ledger.Record) map[string]string {
	got, err := readBack(l, r)
	require.NoError(t, err)
	return got
}

func readBack(l *ledger.Ledger, r ledger.Record) (map[string]string, error) {
	got := map[string]string{}
	var mu sync.Mutex
	s, err := replay.SourceOf(context.Background(), l, r, "", "@weekly", 0)
	if err != nil {
		return nil, err
	}
	_, err = s.Read(context.Background(), source.Request{Facts: facts, Depth: source.AllDepths}, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			mu.Lock()
			defer mu.Unlock()
			for _, e := range entries {
				if !e.Known.Has(entry.FactStatus) {
					return fmt.Errorf("nothing is known of %s", e.Path())
				}
				target := ""
				if e.Kind == entry.KindLink {
					target = e.More.Target
				}
				got[strings.TrimPrefix(e.Path(), "@weekly/")] = line(e.Kind, e.Inode, e.Device, e.Size, e.Disk, e.Links, e.UID, e.GID, e.Permissions, e.Modified, e.Changed, e.Accessed, target)
			}
			return nil
		}
	}))
	return got, err
}

// kernel is what the kernel says is below a folder.
func kernel(t *testing.T, root string) map[string]string {
	want := map[string]string{}
	require.NoError(t, filepath.WalkDir(root, func(path string, _ fs.DirEntry, err error) error {
		require.NoError(t, err)
		if path == root {
			return nil
		}
		var st unix.Stat_t
		require.NoError(t, unix.Lstat(path, &st))
		target := ""
		if uint32(st.Mode)&unix.S_IFMT == unix.S_IFLNK {
			if target, err = os.Readlink(path); err != nil {
				return err
			}
		}
		moment := func(ts unix.Timespec) entry.Time { return entry.Time{Sec: ts.Sec, Nsec: uint32(ts.Nsec)} }
		want[strings.TrimPrefix(path, root+"/")] = line(entry.KindOfMode(uint32(st.Mode)), st.Ino, uint64(st.Dev), st.Size, st.Blocks*512, uint32(st.Nlink), st.Uid, st.Gid,
			entry.Permissions(st.Mode&0o7777), moment(st.Mtim), moment(st.Ctim), moment(st.Atim), target)
		return nil
	}))
	return want
}

// edit changes a tree at random.
func edit(t *testing.T, random *rand.Rand, root string, n int) {
	var paths []string
	require.NoError(t, filepath.WalkDir(root, func(path string, _ fs.DirEntry, err error) error {
		paths = append(paths, path)
		return err
	}))
	pick := func() string { return paths[random.IntN(len(paths))] }
	folder := func() string {
		for {
			if path := pick(); isFolder(path) {
				return path
			}
		}
	}
	for range n {
		switch path := pick(); random.IntN(9) {
		case 0, 1:
			os.WriteFile(filepath.Join(folder(), fmt.Sprint("n", random.IntN(300), []string{"", "\xff", " x"}[random.IntN(3)])), make([]byte, random.IntN(9000)), 0o644)
		case 2:
			os.Mkdir(filepath.Join(folder(), fmt.Sprint("f", random.IntN(40))), 0o755)
		case 3:
			if path != root {
				os.RemoveAll(path)
			}
		case 4: // rewritten in place, with its time put back
			if info, err := os.Lstat(path); err == nil && info.Mode().IsRegular() {
				os.WriteFile(path, []byte(fmt.Sprint(random.Uint64())), 0o644)
				os.Chtimes(path, info.ModTime(), info.ModTime())
			}
		case 5:
			if path != root {
				os.Chmod(path, os.FileMode(0o700|random.IntN(0o77)))
				os.Lchown(path, random.IntN(3), random.IntN(3))
			}
		case 6:
			os.Link(path, filepath.Join(folder(), fmt.Sprint("l", random.IntN(100))))
		case 7:
			os.Symlink(fmt.Sprint("to", random.IntN(9)), filepath.Join(folder(), fmt.Sprint("s", random.IntN(100))))
		case 8:
			if path != root {
				os.Rename(path, filepath.Join(folder(), fmt.Sprint("m", random.IntN(50))))
			}
		}
		for i := 0; i < len(paths); i++ {
			if _, err := os.Lstat(paths[i]); err != nil {
				paths[i] = paths[len(paths)-1]
				paths = paths[:len(paths)-1]
				i--
			}
		}
	}
}

func isFolder(path string) bool {
	info, err := os.Lstat(path)
	return err == nil && info.IsDir()
}

// Every record reads back what the kernel said at that moment, whatever was
// recorded after it, of this place or another, or dropped, and with layers or without.
func TestRecordsReadBack(t *testing.T) {
	for seed := range uint64(fewer(6)) {
		if seed == 3 { // and those after it
			defer tuning.LayOften()()
		}
		random := rand.New(rand.NewPCG(seed, 11))
		folder := t.TempDir()
		l, err := createNamed(context.Background(), filepath.Join(folder, "ledger"))
		require.NoError(t, err)
		roots := []string{filepath.Join(folder, "one"), filepath.Join(folder, "two")}
		want := map[int64]map[string]string{}
		for i := range 8 {
			root := roots[min(random.IntN(3), 1)]
			require.NoError(t, os.MkdirAll(root, 0o755))
			if i != 5 { // one record of no change
				edit(t, random, root, []int{40, 1, 3}[random.IntN(3)])
			}
			r := record(t, l, "weekly", root)
			want[r.Number] = kernel(t, root)
		}
		check := func() {
			records, err := l.Records(context.Background())
			require.NoError(t, err)
			require.Len(t, records, len(want))
			for _, r := range records {
				require.Equal(t, want[r.Number], recorded(t, l, r), "%d of %d", r.Number, seed)
				assert.EqualValues(t, len(want[r.Number]), r.Entries)
			}
			faults, err := upkeep.Check(context.Background(), l)
			require.NoError(t, err)
			require.Empty(t, faults)
		}
		check()
		layers := 0
		for len(want) > 1 {
			for number := range want { // any
				require.NoError(t, upkeep.Drop(context.Background(), l, number))
				delete(want, number)
				break
			}
			if len(want)%2 == 0 {
				require.NoError(t, upkeep.Compact(context.Background(), l))
			}
			check()
			records, err := l.Records(context.Background())
			require.NoError(t, err)
			for _, r := range records {
				of, err := l.Layers(context.Background(), r)
				require.NoError(t, err)
				layers += len(of)
				for _, number := range of {
					assert.Contains(t, want, number, "a layer goes with its record")
				}
			}
		}
		assert.True(t, seed < 3 || layers > 0)
		require.NoError(t, l.Close())
	}
}
