package inventory_test

import (
	"cmp"
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/account"
	"frankledger/core/digest"
	"frankledger/core/duplicates"
	"frankledger/core/entry"
	"frankledger/core/inventory"
	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/replay"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/core/weigh"
)

// scatter makes some of all that stock is taken of.
func scatter(t *testing.T, random *rand.Rand, root string, count int) {
	folders := []string{root}
	names := []string{"note", "song.wav", "map.png", "-dash", " lead", "trail ", "it's", "two\nlines", "\xff", "cost$", "star*", "ünder.wav", "joined\u200d", "turned\u202e"}
	for i := range count {
		in := folders[random.IntN(len(folders))]
		path := filepath.Join(in, fmt.Sprint(names[random.IntN(len(names))], i, []string{"", ".wav", " "}[random.IntN(3)]))
		if random.IntN(4) == 0 {
			path = filepath.Join(in, names[random.IntN(len(names))])
		}
		if _, err := os.Lstat(path); err == nil {
			continue
		}
		switch random.IntN(8) {
		case 0, 1:
			require.NoError(t, os.Mkdir(path, 0o755))
			folders = append(folders, path)
		case 2:
			require.NoError(t, os.Symlink([]string{"nowhere", ".", root}[random.IntN(3)], path))
		default:
			require.NoError(t, os.WriteFile(path, make([]byte, max(0, random.IntN(4000)-800)), 0o644))
			if random.IntN(6) == 0 {
				require.NoError(t, os.Link(path, path+"again"))
			}
			moment := time.Unix(int64(1_600_000_000+i*1000), 0)
			require.NoError(t, os.Chtimes(path, moment, moment))
		}
		info, err := os.Lstat(path)
		require.NoError(t, err)
		if random.IntN(5) == 0 && info.Mode()&fs.ModeSymlink == 0 {
			require.NoError(t, os.Chmod(path, []os.FileMode{0o777, 0o777 | os.ModeSticky, 0o602, 0o640}[random.IntN(4)]|0o700))
		}
		if random.IntN(6) == 0 {
			require.NoError(t, os.Lchown(path, 1<<30+random.IntN(3), 0))
		}
	}
}

// What is told is what the system says, found out there one by one.
func TestRun(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("only root can give files away")
	}
	random := rand.New(rand.NewPCG(rand.Uint64(), 5))
	for range 10 {
		root := t.TempDir()
		scatter(t, random, root, 150)
		want := map[string][]string{}
		found := func(concern, path string) { want[concern] = append(want[concern], path) }
		files, folders, links, size := int64(0), int64(0), int64(0), int64(0)
		sizes, modified, exts := map[string]int64{}, map[string]time.Time{}, map[string]int64{}
		met := map[any]bool{}
		require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err != nil || path == root {
				return err
			}
			info, err := os.Lstat(path)
			require.NoError(t, err)
			switch {
			case info.IsDir():
				folders++
				if in, _ := os.ReadDir(path); len(in) == 0 {
					found("kind is folder and empty", path)
				}
			case info.Mode()&fs.ModeSymlink != 0:
				links++
				if _, err := os.Stat(path); err != nil {
					found("broken", path)
				}
			default:
				files++
				modified[path] = info.ModTime()
				key := fmt.Sprint(inode(info))
				if !met[key] {
					size, sizes[path] = size+info.Size(), info.Size()
				}
				met[key] = true
				exts[strings.ToLower(strings.TrimPrefix(filepath.Ext(strings.TrimLeft(d.Name(), ".")), "."))]++
				if info.Size() == 0 {
					found("kind is file and empty", path)
				}
			}
			if info.Mode()&fs.ModeSymlink == 0 && info.Mode().Perm()&2 != 0 && info.Mode()&fs.ModeSticky == 0 {
				found("kind is file,folder and mode has o+w and not sticky", path)
			}
			if owner(info) >= 1<<30 {
				found("owner is unknown", path)
			}
			if name := d.Name(); strings.TrimSpace(name) != name || name[0] == '-' || strings.ContainsAny(name, "'\"`\\$!*?\n\u202e") || !utf8.ValidString(name) {
				found("awkward", path)
			}
			return nil
		}))
		place, err := live.Open(root, 0)
		require.NoError(t, err)
		a, err := inventory.Run(t.Context(), &source.Set{Sources: []source.Source{place}}, inventory.Options{Context: &entry.Context{AsOf: time.Now(), Accounts: account.New()}, First: 7, Folders: 5})
		require.NoError(t, err)
		assert.Equal(t, []int64{files, folders, links, size}, []int64{a.Sum.Files, a.Sum.Folders, a.Sum.Links, a.Sum.Size})
		for _, c := range a.Concerns {
			if c.Untold {
				assert.Equal(t, "mislabelled", c.Where)
				continue
			}
			assert.Equal(t, int64(len(want[c.Where])), c.Count, c.Where)
			assert.Zero(t, c.Unknown, c.Where)
			for _, e := range c.Some {
				assert.Contains(t, want[c.Where], e.Path())
			}
			assert.Len(t, c.Some, min(5, len(want[c.Where])))
		}
		greatest := slices.SortedFunc(valuesOf(sizes), func(a, b int64) int { return cmp.Compare(b, a) })
		for i, r := range a.Largest {
			assert.Equal(t, greatest[i], r.Sum.Size)
		}
		newest := slices.SortedFunc(valuesOf(modified), func(a, b time.Time) int { return b.Compare(a) })
		for i, e := range a.Newest {
			assert.True(t, newest[i].Equal(e.Modified.Std()))
		}
		assert.Len(t, a.Newest, min(7, len(newest)))
		for _, g := range a.Exts.Most(0, true) {
			assert.Equal(t, exts[g.Keys[0].Text], g.Sum.Files, g.Keys[0].Text)
		}
		total := int64(0)
		for _, g := range a.Sizes.InBands() {
			total += g.Sum.Files
		}
		assert.Equal(t, files, total)
		// Below each folder of the map, what is in it adds up to it.
		below := map[*entry.Folder]int64{}
		for _, r := range a.Map[1:] {
			if r.Kind == weigh.FolderRow {
				below[r.Folder.Parent] += r.Sum.Size
			} else {
				below[r.Folder] += r.Sum.Size
			}
		}
		for _, r := range a.Map {
			if sum, has := below[r.Folder]; has && r.Kind == weigh.FolderRow {
				assert.Equal(t, r.Sum.Size, sum)
			}
		}
	}
}

// With its content, it also tells what there is twice, and what is not what its name says.
func TestContent(t *testing.T) {
	root := t.TempDir()
	png := "\x89PNG\r\n\x1a\n\x00\x00\x00\x0dIHDR"
	for name, content := range map[string]string{"a/tide.png": png, "b/tide.png": png, "b/tide.pdf": png, "c": "else"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(root, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(content), 0o644))
	}
	place, err := live.Open(root, 0)
	require.NoError(t, err)
	a, err := inventory.Run(t.Context(), &source.Set{Sources: []source.Source{place}}, inventory.Options{Context: &entry.Context{AsOf: time.Now(), Accounts: account.New()}, First: 5,
		Content: true, Copies: duplicates.Options{Algorithm: entry.Algorithms[0]}, Pool: digest.NewPool(live.Files{}, &source.Progress{})})
	require.NoError(t, err)
	assert.Equal(t, int64(1), a.Concerns[3].Count)
	assert.Equal(t, "mislabelled", a.Concerns[3].Where)
	assert.Equal(t, 2, a.Copies.Spares)
}

// What grew is told of records made on the same terms, of the place or one above it, and the
// folders that grew most are those that the growth is in.
func TestGrowth(t *testing.T) {
	root := t.TempDir()
	l, err := ledger.Create(t.Context(), filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	write := func(path string, size int) {
		require.NoError(t, os.MkdirAll(filepath.Join(root, filepath.Dir(path)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(root, path), make([]byte, size), 0o644))
	}
	record := func(path string, terms ledger.Terms, day int) {
		s, err := live.Open(path, 0)
		require.NoError(t, err)
		r := ledger.Record{Label: "x" + filepath.Base(path), Host: "tern-point", Place: path, Taken: time.Unix(int64(day)*86400, 0), Terms: terms}
		taken, report, err := recording.Take(t.Context(), l, &source.Set{Sources: []source.Source{s}}, source.Request{Depth: source.AllDepths}, r)
		require.NoError(t, err)
		_, _, err = recording.Write(t.Context(), l, r, taken, report, recording.Options{})
		require.NoError(t, err)
	}
	take := func(s source.Source, terms ledger.Terms) *inventory.Growth {
		a, err := inventory.Run(t.Context(), &source.Set{Sources: []source.Source{s}}, inventory.Options{Context: &entry.Context{AsOf: time.Now(), Accounts: account.New()}, First: 1,
			Earlier: &inventory.Earlier{Ledger: l, Host: "tern-point", Terms: terms, Plan: weigh.Plan{Depth: 1}}})
		require.NoError(t, err)
		require.Len(t, a.Growth, 1)
		return a.Growth[0]
	}
	now := func(path string) source.Source {
		s, err := live.Open(filepath.Join(root, path), 0)
		require.NoError(t, err)
		return s
	}
	write("cards/seven/a", 1000)
	write("maps/old", 500)
	assert.Zero(t, take(now(""), ledger.Terms{}).Records)
	record(root, ledger.Terms{}, 1)
	record(root, ledger.Terms{Skip: []string{"maps"}}, 2) // other terms
	write("cards/seven/b", 3000)
	write("maps/new", 100)
	record(root, ledger.Terms{Quick: true}, 3)
	require.NoError(t, os.RemoveAll(filepath.Join(root, "maps", "old")))
	write("notes/today", 7)

	g := take(now(""), ledger.Terms{})
	assert.Equal(t, []int{2, 1}, []int{g.Records, g.Others})
	var whole []int64
	for _, p := range g.Points {
		whole = append(whole, p.Whole.Sum.Size)
	}
	assert.Equal(t, []int64{1500, 4600, 4107}, whole)
	var names []string
	for _, f := range g.Folders {
		names = append(names, f.Relative())
	}
	assert.Equal(t, []string{"cards/seven", "notes"}, names, "those that grew, where the growth is")
	assert.Equal(t, []int64{1000, 4000, 4000}, []int64{g.Points[0].Folders[0].Sum.Size, g.Points[1].Folders[0].Sum.Size, g.Points[2].Folders[0].Sum.Size})
	assert.Equal(t, replay.Absent, g.Points[0].Folders[1].State, "notes were not there")
	assert.Equal(t, int64(-493), g.Since.Rows[0].Change)
	assert.Equal(t, "@3", g.Before())

	g = take(now("maps"), ledger.Terms{})
	assert.Equal(t, "@3/maps", g.Before(), "a place in one that was recorded")
	assert.Equal(t, []int64{500, 600, 100}, []int64{g.Points[0].Whole.Sum.Size, g.Points[1].Whole.Sum.Size, g.Points[2].Whole.Sum.Size})

	records, err := l.Records(t.Context())
	require.NoError(t, err)
	s, err := replay.SourceOf(t.Context(), l, records[2], "", "@3", 0)
	require.NoError(t, err)
	g = take(s, ledger.Terms{})
	assert.Equal(t, []int64{1, 3}, []int64{g.Points[0].Record, g.Points[1].Record}, "of a record what was before it")
	assert.Equal(t, int64(3100), g.Since.Rows[0].Change)
}

func inode(info fs.FileInfo) uint64 { return info.Sys().(*syscall.Stat_t).Ino }

func owner(info fs.FileInfo) uint32 { return info.Sys().(*syscall.Stat_t).Uid }

func valuesOf[K comparable, V any](m map[K]V) func(yield func(V) bool) { return maps.Values(m) }
