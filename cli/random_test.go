package cli_test

import (
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/internal/long"
)

// wish is a random set of options, and plain says what they mean in plain Go.
type wish struct {
	depth  int // 0: all
	hidden string
	skip   string
	order  string
	back   bool
	first  int
}

func randomWish(random *rand.Rand) wish {
	return wish{
		depth: random.IntN(4), hidden: []string{"show", "omit", "only"}[random.IntN(3)], skip: []string{"", "d1*", "top/d*", "D2"}[random.IntN(4)],
		order: []string{"size", "modified", "inode", "links"}[random.IntN(4)], back: random.IntN(2) == 0, first: random.IntN(3) * 7,
	}
}

func (w wish) args() []string {
	args := []string{"list", "--as", "paths", "--hidden", w.hidden, "--order", w.order}
	if w.back {
		args[len(args)-1] += "/reverse"
	}
	args = append(args, "--depth", "all")
	if w.depth > 0 {
		args[len(args)-1] = strconv.Itoa(w.depth)
	}
	if w.skip != "" {
		args = append(args, "--skip", w.skip)
	}
	if w.first > 0 {
		args = append(args, "--first", strconv.Itoa(w.first))
	}
	return args
}

// plain returns the values of the order key, in order, and all the paths.
func (w wish) plain(t *testing.T, root string) (values []int64, paths []string) {
	require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		require.NoError(t, err)
		if path == root {
			return nil
		}
		rel, _ := filepath.Rel(root, path)
		depth := 1 + strings.Count(rel, "/")
		hidden := strings.HasPrefix(d.Name(), ".")
		if w.hidden == "omit" && hidden {
			if d.IsDir() {
				return fs.SkipDir
			}
			return nil
		}
		if w.hidden != "only" || hidden {
			var st unix.Stat_t
			require.NoError(t, unix.Lstat(path, &st))
			value := map[string]int64{"size": st.Size, "modified": st.Mtim.Sec, "inode": int64(st.Ino), "links": int64(st.Nlink)}[w.order]
			if w.order != "size" || d.Type().IsRegular() {
				values = append(values, value)
			}
			paths = append(paths, "./"+rel)
		}
		skipped := w.skip == "d1*" && strings.HasPrefix(d.Name(), "d1") || w.skip == "D2" && d.Name() == "d2" ||
			w.skip == "top/d*" && strings.HasPrefix(rel, "top/d") && depth == 2
		if d.IsDir() && (skipped || depth == w.depth) {
			return fs.SkipDir
		}
		return nil
	}))
	slices.Sort(values)
	ascending := w.order == "inode"
	if ascending == w.back {
		slices.Reverse(values)
	}
	return values, paths
}

func TestRandomOptionsMeanWhatTheySay(t *testing.T) {
	t.Parallel()
	random := rand.New(rand.NewPCG(11, 4))
	root := t.TempDir()
	folders := []string{root, filepath.Join(root, "top")}
	require.NoError(t, os.Mkdir(folders[1], 0o755))
	for i := range 250 {
		folder := folders[random.IntN(len(folders))]
		switch random.IntN(4) {
		case 0:
			path := filepath.Join(folder, fmt.Sprint([]string{"d", ".d"}[random.IntN(2)], i%20))
			if os.Mkdir(path, 0o755) == nil {
				folders = append(folders, path)
			}
		default:
			path := filepath.Join(folder, fmt.Sprint([]string{"f", ".f"}[random.IntN(2)], i))
			require.NoError(t, os.WriteFile(path, make([]byte, random.IntN(300)), 0o644))
			if random.IntN(4) == 0 {
				require.NoError(t, os.Link(path, path+"-too"))
			}
		}
	}
	for range 80 {
		w := randomWish(random)
		values, paths := w.plain(t, root)
		r := run(t, root, w.args()...)
		require.Zero(t, r.status, r.err)
		got := strings.Split(strings.TrimSuffix(r.out, "\n"), "\n")
		if r.out == "" {
			got = nil
		}
		if w.first > 0 {
			require.Len(t, got, min(w.first, len(paths)), "%+v", w)
			require.Subset(t, paths, got, "%+v", w)
		} else {
			require.ElementsMatch(t, paths, got, "%+v", w)
		}
		for i, path := range got {
			if i >= len(values) { // those without a value come last
				break
			}
			var st unix.Stat_t
			require.NoError(t, unix.Lstat(filepath.Join(root, path), &st))
			value := map[string]int64{"size": st.Size, "modified": st.Mtim.Sec, "inode": int64(st.Ino), "links": int64(st.Nlink)}[w.order]
			require.Equal(t, values[i], value, "%+v: %s", w, path)
		}
	}
}

// Totals of every folder are the sums of what the kernel says lies in it.
func TestTotalsOfRealFolders(t *testing.T) {
	place := manyFiles(t)
	r := run(t, "/", "list", place, "--totals", "--hidden", "show", "--as", "json", "--columns", "path,size")
	require.Zero(t, r.status, r.err)
	seen, total := map[uint64]bool{}, int64(0)
	require.NoError(t, filepath.WalkDir(place, func(path string, d fs.DirEntry, err error) error {
		var st unix.Stat_t
		require.NoError(t, unix.Lstat(path, &st))
		if d.Type().IsRegular() && !seen[st.Ino] {
			seen[st.Ino] = true
			total += st.Size
		}
		return err
	}))
	assert.Contains(t, r.out, fmt.Sprintf(`"total_size":%d,`, total))
	parts := int64(0)
	for _, line := range strings.Split(r.out, "\n") {
		if _, size, found := strings.Cut(line, `"size":`); found && strings.HasPrefix(line, `{"path"`) {
			n, _ := strconv.ParseInt(strings.TrimRight(size, "},"), 10, 64)
			parts += n
		}
	}
	assert.Equal(t, total, parts, "the parts add up to the whole")
}

// A chain of folders far past the longest path of one system call.
func TestDeepChainLong(t *testing.T) {
	long.Test(t)
	t.Parallel()
	root := t.TempDir()
	fd, err := unix.Open(root, unix.O_DIRECTORY|unix.O_RDONLY, 0)
	require.NoError(t, err)
	for range 1500 {
		require.NoError(t, unix.Mkdirat(fd, "further down", 0o755))
		below, err := unix.Openat(fd, "further down", unix.O_DIRECTORY|unix.O_RDONLY, 0)
		require.NoError(t, err)
		unix.Close(fd)
		fd = below
	}
	unix.Close(fd)
	for _, format := range []string{"paths", "table", "jsonl"} {
		r := run(t, root, "list", "--depth", "all", "--as", format)
		assert.Zero(t, r.status, r.err)
		assert.Contains(t, r.out, strings.Repeat("further down/", 1499)+"further down")
	}
	r := run(t, root, "list", "--self", "--totals", "--as", "json")
	assert.Zero(t, r.status, r.err)
}
