package ledger_test

import (
	"context"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/ledger"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/upkeep"
)

// weighed is what the kernel says that a folder, or a file, weighs by its path from a place: bytes and names.
type weighed struct{ size, disk, files int64 }

// kernelWeights counts what has several names with the first of them in order of the bytes of
// their paths.
func kernelWeights(t *testing.T, root string) map[string]weighed {
	type node struct{ device, inode uint64 }
	var paths []string
	stats := map[string]unix.Stat_t{}
	first := map[node]string{}
	require.NoError(t, filepath.WalkDir(root, func(path string, _ fs.DirEntry, err error) error {
		if err != nil || path == root {
			return err
		}
		var st unix.Stat_t
		if err := unix.Lstat(path, &st); err != nil {
			return err
		}
		rel := strings.TrimPrefix(path, root+"/")
		paths = append(paths, rel)
		stats[rel] = st
		n := node{uint64(st.Dev), st.Ino}
		if before, met := first[n]; !met || rel < before {
			first[n] = rel
		}
		return nil
	}))
	all := map[string]weighed{"": {}}
	for _, path := range paths {
		st := stats[path]
		kind := uint32(st.Mode) & unix.S_IFMT
		own := weighed{disk: st.Blocks * 512}
		if kind == unix.S_IFREG {
			own.size = st.Size
		}
		if kind != unix.S_IFDIR && first[node{uint64(st.Dev), st.Ino}] != path {
			own = weighed{}
		}
		if kind == unix.S_IFREG {
			own.files = 1
		}
		for at := path; at != ""; {
			at = strings.TrimSuffix(at[:max(0, strings.LastIndex(at, "/")+1)], "/")
			sum := all[at]
			all[at] = weighed{sum.size + own.size, sum.disk + own.disk, sum.files + own.files}
		}
		if kind == unix.S_IFDIR {
			sum := all[path]
			all[path] = sum
		}
	}
	return all
}

// What folders weighed at each record, found out by what has changed only, is what the kernel
// said at that moment.
func TestWeightsOfRecords(t *testing.T) {
	random := rand.New(rand.NewPCG(rand.Uint64(), 18))
	for round := range fewer(6) {
		root := t.TempDir()
		l, err := createNamed(t.Context(), filepath.Join(t.TempDir(), "ledger"))
		require.NoError(t, err)
		defer l.Close()
		var want []map[string]weighed
		var all []ledger.Record
		for i := range 12 {
			edit(t, random, root, []int{80, 25, 3}[min(i, 2)])
			want = append(want, kernelWeights(t, root))
			all = append(all, record(t, l, []string{"a", "b"}[random.IntN(2)], root))
			if random.IntN(5) == 0 {
				require.NoError(t, upkeep.Compact(t.Context(), l))
			}
		}
		var chosen []ledger.Record
		var wanted []map[string]weighed
		for i := range all { // any of them, in any order
			if random.IntN(3) > 0 {
				chosen, wanted = append(chosen, all[i]), append(wanted, want[i])
			}
		}
		random.Shuffle(len(chosen), func(i, j int) { chosen[i], chosen[j] = chosen[j], chosen[i] })
		seen := 0
		require.NoError(t, replay.EachWeights(context.Background(), l, chosen, func(r ledger.Record, w *replay.Weights) error {
			for path, one := range wanted[seen] {
				sum, state := w.Of(path)
				require.Equal(t, replay.There, state, "%q at record %d", path, r.Number)
				require.Equal(t, one, weighed{sum.Size, sum.Disk, sum.Files}, "%q at record %d of round %d", path, r.Number, round)
			}
			for _, other := range want {
				for path := range other {
					if _, is := wanted[seen][path]; !is {
						_, state := w.Of(path)
						require.Equal(t, replay.Absent, state, "%q was no folder at record %d", path, r.Number)
					}
				}
			}
			seen++
			return nil
		}))
		assert.Equal(t, len(chosen), seen)
	}
}

// A path has a size at each record that tells, also if it is a file; those of other places and
// labels stand apart.
func TestSizesOf(t *testing.T) {
	root := t.TempDir()
	l, err := createNamed(t.Context(), filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	write := func(size int) {
		require.NoError(t, writeFile(filepath.Join(root, "maps", "tide"), size))
	}
	write(10)
	record(t, l, "a", root)
	write(30)
	record(t, l, "b", root)
	record(t, l, "a", filepath.Join(root, "maps"))
	write(0)
	record(t, l, "a", root)
	type told struct {
		label string
		sizes []int64
		there bool
	}
	sizes := func(path string) (got []told) {
		all, err := replay.SizesOf(t.Context(), l, "tern-point", path)
		require.NoError(t, err)
		for _, one := range all {
			g := told{label: strings.TrimPrefix(one.Place, root) + "@" + one.Label, there: true}
			for _, s := range one.Sizes {
				g.sizes, g.there = append(g.sizes, s.Sum.Size), g.there && s.There && s.Sum.HasSize()
			}
			got = append(got, g)
		}
		return got
	}
	want := []told{{"@a", []int64{10, 0}, true}, {"@b", []int64{30}, true}, {"/maps@a", []int64{30}, true}}
	assert.ElementsMatch(t, want, sizes(filepath.Join(root, "maps", "tide")))
	assert.ElementsMatch(t, want, sizes(filepath.Join(root, "maps")))
	assert.ElementsMatch(t, want[:2], sizes(root))
	assert.Empty(t, sizes(filepath.Join(root, "charts")))
	assert.Empty(t, sizes(filepath.Dir(root)))
}

func writeFile(path string, size int) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	return os.WriteFile(path, make([]byte, size), 0o644)
}
