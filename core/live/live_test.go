package live_test

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
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
	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
)

// gather is a sink that keeps a copy of everything, by path.
type gather struct {
	mu      sync.Mutex
	entries map[string]entry.Entry
	twice   []string
}

func (g *gather) Visitor() source.Visitor {
	return func(entries []entry.Entry) error {
		g.mu.Lock()
		defer g.mu.Unlock()
		for _, e := range entries {
			path := e.Path()
			if _, there := g.entries[path]; there {
				g.twice = append(g.twice, path)
			}
			e.Name, e.More = strings.Clone(e.Name), e.More.Clone()
			g.entries[path] = e
		}
		return nil
	}
}

func (g *gather) paths() []string {
	var paths []string
	for path := range g.entries {
		paths = append(paths, path)
	}
	slices.Sort(paths)
	return paths
}

func read(t *testing.T, place string, request source.Request) (*gather, source.Report) {
	s, err := live.Open(place, 0)
	require.NoError(t, err)
	g := &gather{entries: map[string]entry.Entry{}}
	report, err := s.Read(context.Background(), request, g)
	require.NoError(t, err)
	require.Empty(t, g.twice)
	return g, report
}

// randomTree makes folders, files, links, pipes and hard links of random names.
func randomTree(t *testing.T, random *rand.Rand, count int) string {
	root := t.TempDir()
	folders, files := []string{root}, []string{}
	for i := range count {
		folder := folders[random.IntN(len(folders))]
		path := filepath.Join(folder, fmt.Sprintf("%s%d", []string{"n", ".h", "sp ace", "br[a]ck", "new\nline", "\xff\xfe", "ü干"}[random.IntN(7)], i))
		switch random.IntN(8) {
		case 0, 1:
			require.NoError(t, os.Mkdir(path, 0o755))
			folders = append(folders, path)
		case 2:
			require.NoError(t, os.Symlink([]string{"..", "nowhere", "n1", "/"}[random.IntN(4)], path))
		case 3:
			require.NoError(t, unix.Mkfifo(path, 0o600))
		case 4:
			if len(files) > 0 {
				require.NoError(t, os.Link(files[random.IntN(len(files))], path))
			}
		default:
			require.NoError(t, os.WriteFile(path, make([]byte, random.IntN(9000)), 0o600))
			require.NoError(t, os.Chmod(path, os.FileMode(random.IntN(0o1000))))
			when := time.Unix(random.Int64N(4e9)-2e9, random.Int64N(1e9))
			require.NoError(t, os.Chtimes(path, when, when.Add(time.Hour)))
			files = append(files, path)
		}
	}
	return root
}

// agree holds every fact of an entry against what the kernel says of its path.
func agree(t *testing.T, path string, e entry.Entry) {
	var st unix.Stat_t
	require.NoError(t, unix.Lstat(path, &st), path)
	require.True(t, e.Known.Has(entry.FactStatus))
	require.Equal(t, entry.KindOfMode(uint32(st.Mode)), e.Kind, path)
	require.Equal(t, []any{uint64(st.Ino), uint64(st.Dev), st.Size, st.Blocks * 512, uint64(st.Nlink), st.Uid, st.Gid, uint32(st.Mode) & 0o7777},
		[]any{e.Inode, e.Device, e.Size, e.Disk, uint64(e.Links), e.UID, e.GID, uint32(e.Permissions)}, path)
	for _, pair := range [][2]any{{st.Mtim, e.Modified}, {st.Ctim, e.Changed}} {
		want := pair[0].(unix.Timespec)
		sec, nsec := want.Unix()
		require.Equal(t, entry.Time{Sec: sec, Nsec: uint32(nsec)}, pair[1], path)
	}
	if e.Kind == entry.KindLink {
		target, err := os.Readlink(path)
		require.NoError(t, err)
		require.Equal(t, target, e.More.Target)
		_, err = os.Stat(path)
		require.Equal(t, err == nil, e.Marks&entry.MarkReaches != 0, path)
	}
	require.Equal(t, unix.Access(path, unix.R_OK) == nil, e.Marks&entry.MarkReadable != 0, path)
	require.Equal(t, unix.Access(path, unix.W_OK) == nil, e.Marks&entry.MarkWritable != 0, path)
	if e.Kind == entry.KindFolder {
		names, err := os.ReadDir(path)
		require.NoError(t, err)
		require.Equal(t, len(names) == 0, e.Marks&entry.MarkVoid != 0, path)
	}
}

const allFacts = entry.FactStatus | entry.FactCreated | entry.FactTarget | entry.FactReach | entry.FactReadable |
	entry.FactWritable | entry.FactExecutable | entry.FactInside | entry.FactContent

func TestAgreesWithKernel(t *testing.T) {
	for seed := range uint64(4) {
		root := randomTree(t, rand.New(rand.NewPCG(seed, 1)), 900)
		want := map[string]bool{}
		require.NoError(t, filepath.WalkDir(root, func(path string, _ fs.DirEntry, err error) error {
			want[path] = true
			return err
		}))
		delete(want, root)
		g, report := read(t, root, source.Request{Facts: allFacts, Depth: source.AllDepths})
		assert.Empty(t, report.Problems)
		require.Len(t, g.entries, len(want))
		for path, e := range g.entries {
			require.True(t, want[path], path)
			agree(t, path, e)
		}
		names, _ := read(t, root, source.Request{Depth: source.AllDepths})
		require.Equal(t, g.paths(), names.paths())
		for path, e := range names.entries {
			require.Equal(t, g.entries[path].Kind, e.Kind)
			require.Zero(t, e.Known)
		}
	}
}

// A folder of many entries is shared out among workers and still whole, also
// where it holds very many folders.
func TestLargeFolder(t *testing.T) {
	root := t.TempDir()
	for i := range 9_000 {
		path := filepath.Join(root, fmt.Sprintf("entry-%d", i))
		if i%3 == 0 {
			require.NoError(t, os.Mkdir(path, 0o755))
			continue
		}
		require.NoError(t, os.WriteFile(path, nil, 0o644))
	}
	for _, facts := range []entry.Facts{0, entry.FactStatus} {
		g, report := read(t, root, source.Request{Facts: facts, Depth: source.AllDepths})
		assert.Len(t, g.entries, 9_000)
		assert.EqualValues(t, 3_001, report.Folders)
	}
}

// chain makes so many folders in one another, with a file beside each, far past
// the longest path that the system takes in one call.
func chain(t *testing.T, levels int) string {
	root := t.TempDir()
	fd, err := unix.Open(root, unix.O_DIRECTORY|unix.O_RDONLY, 0)
	require.NoError(t, err)
	for range levels {
		require.NoError(t, unix.Mkdirat(fd, "nested", 0o755))
		require.NoError(t, unix.Mkdirat(fd, "beside", 0o755))
		below, err := unix.Openat(fd, "nested", unix.O_DIRECTORY|unix.O_RDONLY, 0)
		require.NoError(t, err)
		unix.Close(fd)
		fd = below
	}
	unix.Close(fd)
	return root
}

func TestDeepFolders(t *testing.T) {
	const levels = 3000
	root := chain(t, levels)
	var limit unix.Rlimit
	require.NoError(t, unix.Getrlimit(unix.RLIMIT_NOFILE, &limit))
	for _, few := range []bool{false, true} {
		low := limit
		if few {
			low.Cur = 64
		}
		require.NoError(t, unix.Setrlimit(unix.RLIMIT_NOFILE, &low))
		g, report := read(t, root, source.Request{Facts: entry.FactStatus, Depth: source.AllDepths})
		require.NoError(t, unix.Setrlimit(unix.RLIMIT_NOFILE, &limit))
		assert.Empty(t, report.Problems)
		assert.Len(t, g.entries, 2*levels)
		assert.Contains(t, g.entries, root+strings.Repeat("/nested", levels-1)+"/beside")
	}
}

// With few handles, wide and deep folders are reached by their paths again.
func TestFewHandles(t *testing.T) {
	root := t.TempDir()
	var grow func(path string, depth int)
	grow = func(path string, depth int) {
		for i := range 4 {
			below := filepath.Join(path, fmt.Sprint("d", i))
			require.NoError(t, os.Mkdir(below, 0o755))
			if depth > 0 && i < 2 {
				grow(below, depth-1)
			}
		}
	}
	grow(root, 8)
	var limit unix.Rlimit
	require.NoError(t, unix.Getrlimit(unix.RLIMIT_NOFILE, &limit))
	all, _ := read(t, root, source.Request{Depth: source.AllDepths})
	low := limit
	low.Cur = 40
	require.NoError(t, unix.Setrlimit(unix.RLIMIT_NOFILE, &low))
	few, report := read(t, root, source.Request{Depth: source.AllDepths})
	require.NoError(t, unix.Setrlimit(unix.RLIMIT_NOFILE, &limit))
	assert.Empty(t, report.Problems)
	assert.Equal(t, all.paths(), few.paths())
}

func TestFollow(t *testing.T) {
	root, elsewhere := t.TempDir(), t.TempDir()
	folders := func(paths ...string) {
		for _, path := range paths {
			require.NoError(t, os.MkdirAll(filepath.Join(root, path), 0o755))
		}
	}
	link := func(target, path string) { require.NoError(t, os.Symlink(target, filepath.Join(root, path))) }
	folders("a/deep", "b")
	require.NoError(t, os.WriteFile(filepath.Join(elsewhere, "far"), nil, 0o644))
	link("..", "a/up")           // a loop
	link("../b", "a/over")       // to what is read anyway
	link("../a", "b/back")       // and back
	link(elsewhere, "out-1")     // outside, twice
	link(elsewhere, "out-2")     // the first in order of paths wins
	link("self", "self")         // to itself
	link("nowhere", "broken")    //
	link("a/deep/../x", "odd")   //
	link(root+"/out-1", "chain") // a link to a link comes before both
	g, report := read(t, root, source.Request{Depth: source.AllDepths, Follow: true})
	assert.Contains(t, g.entries, root+"/chain/far")
	assert.NotContains(t, g.entries, root+"/out-1/far")
	assert.NotContains(t, g.entries, root+"/out-2/far")
	assert.NotContains(t, g.entries, root+"/a/up/a")
	assert.EqualValues(t, 5, report.Repeated)
	assert.Empty(t, report.Problems)
	assert.Len(t, g.entries, 13)
	without, _ := read(t, root, source.Request{Depth: source.AllDepths})
	assert.Len(t, without.entries, 12)
}

func TestRequestLimits(t *testing.T) {
	root := t.TempDir()
	for _, path := range []string{".h/inside", "skip/inside", "a/b/c", "a/.x"} {
		require.NoError(t, os.MkdirAll(filepath.Join(root, path), 0o755))
	}
	rels := func(request source.Request) []string {
		g, _ := read(t, root, request)
		var rels []string
		for _, path := range g.paths() {
			rels = append(rels, strings.TrimPrefix(path, root+"/"))
		}
		return rels
	}
	all := source.AllDepths
	assert.Equal(t, []string{".h", "a", "skip"}, rels(source.Request{Depth: 1}))
	assert.Equal(t, []string{"a", "a/b", "skip", "skip/inside"}, rels(source.Request{Depth: 2, Hidden: source.OmitHidden}))
	assert.Equal(t, []string{".h", "a/.x"}, rels(source.Request{Depth: all, Hidden: source.OnlyHidden}))
	skip := func(f *entry.Folder) bool { return f.Name == "skip" || f.Relative() == "a/b" }
	assert.Equal(t, []string{".h", ".h/inside", "a", "a/.x", "a/b", "skip"}, rels(source.Request{Depth: all, Skip: skip}))
	assert.Equal(t, []string{root}, rels(source.Request{Depth: 0}))
}

func TestSameDisk(t *testing.T) {
	root := t.TempDir()
	mounted := filepath.Join(root, "mounted")
	require.NoError(t, os.MkdirAll(filepath.Join(root, "here/below"), 0o755))
	require.NoError(t, os.Mkdir(mounted, 0o755))
	if err := mount(mounted); err != nil {
		t.Skipf("no file system can be mounted here: %v", err)
	}
	defer unix.Unmount(mounted, 0)
	require.NoError(t, os.WriteFile(filepath.Join(mounted, "file"), nil, 0o644))
	g, report := read(t, root, source.Request{Depth: source.AllDepths, SameDisk: true})
	assert.Equal(t, []string{root + "/here", root + "/here/below", mounted}, g.paths())
	assert.EqualValues(t, 1, report.OtherDisks)
	g, _ = read(t, root, source.Request{Depth: source.AllDepths, Facts: allFacts})
	assert.Len(t, g.entries, 4)
	agree(t, mounted, g.entries[mounted]) // the inode is that of what is mounted
}

func TestStops(t *testing.T) {
	root := randomTree(t, rand.New(rand.NewPCG(5, 5)), 400)
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	enough := errors.New("enough")
	_, err = s.Read(context.Background(), source.Request{Depth: source.AllDepths}, source.SinkFunc(func() source.Visitor {
		return func([]entry.Entry) error { return enough }
	}))
	assert.ErrorIs(t, err, enough)
	ctx, cancel := context.WithCancel(context.Background())
	_, err = s.Read(ctx, source.Request{Depth: source.AllDepths}, source.SinkFunc(func() source.Visitor {
		return func([]entry.Entry) error { cancel(); return nil }
	}))
	assert.ErrorIs(t, err, context.Canceled)
	before, err := os.ReadDir("/proc/self/fd")
	if err == nil {
		for range 20 {
			s.Read(ctx, source.Request{Depth: source.AllDepths}, &gather{entries: map[string]entry.Entry{}})
		}
		after, err := os.ReadDir("/proc/self/fd")
		require.NoError(t, err)
		assert.Len(t, after, len(before), "folders are left open")
	}
}

// Entries come and go while they are read: what is shown was there, and what
// vanished is said.
func TestVanishing(t *testing.T) {
	root := t.TempDir()
	stop := make(chan struct{})
	var group sync.WaitGroup
	group.Go(func() {
		for i := 0; ; i++ {
			select {
			case <-stop:
				return
			default:
			}
			path := filepath.Join(root, fmt.Sprint("here today ", i%500))
			os.WriteFile(path, []byte("x"), 0o644)
			os.Remove(filepath.Join(root, fmt.Sprint("here today ", (i+250)%500)))
		}
	})
	vanished := 0
	for begun := time.Now(); vanished == 0 && time.Since(begun) < 20*time.Second; {
		s, err := live.Open(root, 0)
		require.NoError(t, err)
		g := &gather{entries: map[string]entry.Entry{}} // a name that is made anew meanwhile may come twice
		report, err := s.Read(context.Background(), source.Request{Depth: source.AllDepths, Facts: entry.FactStatus}, g)
		require.NoError(t, err)
		for path, e := range g.entries {
			require.True(t, e.Known.Has(entry.FactStatus), path)
		}
		for _, p := range report.Problems {
			require.True(t, p.Vanished, "%v", p)
			vanished++
		}
	}
	close(stop)
	group.Wait()
	assert.NotZero(t, vanished)
}
