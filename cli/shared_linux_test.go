package cli_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// fileSystem makes a file system in a file, and mounts it.
func fileSystem(t *testing.T, kind, options string) string {
	image, on := filepath.Join(t.TempDir(), "image"), t.TempDir()
	require.NoError(t, os.WriteFile(image, nil, 0o600))
	require.NoError(t, os.Truncate(image, 400<<20))
	for _, words := range [][]string{{"mkfs." + kind, "-q", image}, {"mount", "-o", options, image, on}} {
		if out, err := exec.Command(words[0], words[1:]...).CombinedOutput(); err != nil {
			t.Skip("no such file system here: ", err, string(out))
		}
	}
	t.Cleanup(func() { unix.Unmount(on, unix.MNT_DETACH) })
	return on
}

// clone makes a file that shares all blocks of another.
func clone(t *testing.T, from, to string) {
	in, err := os.Open(from)
	require.NoError(t, err)
	defer in.Close()
	out, err := os.Create(to)
	require.NoError(t, err)
	defer out.Close()
	require.NoError(t, unix.IoctlFileClone(int(out.Fd()), int(in.Fd())))
	require.NoError(t, out.Sync())
}

// What removing spares frees is what the file system then has more; where it does
// not tell all before, that is said.
func TestReclaimableOnSharingDisks(t *testing.T) {
	random := make([]byte, 4<<20)
	for i := range random {
		random[i] = byte(i * i >> 7)
	}
	for name, c := range map[string]struct {
		kind, options string
		make          func(t *testing.T, in func(string) string)
		want          int64
		upTo          bool
	}{
		"XFS, spares share with the one that stays": {"xfs", "loop", func(t *testing.T, in func(string) string) {
			require.NoError(t, os.WriteFile(in("a"), random, 0o644))
			clone(t, in("a"), in("b"))
		}, 0, false},
		"XFS, spares share with one another": {"xfs", "loop", func(t *testing.T, in func(string) string) {
			require.NoError(t, os.WriteFile(in("a"), random, 0o644))
			require.NoError(t, os.WriteFile(in("b"), random, 0o644))
			clone(t, in("b"), in("c"))
		}, 4 << 20, true},
		"XFS, each for itself": {"xfs", "loop", func(t *testing.T, in func(string) string) {
			require.NoError(t, os.WriteFile(in("a"), random, 0o644))
			require.NoError(t, os.WriteFile(in("b"), random, 0o644))
		}, 4 << 20, false},
		"btrfs, compressed": {"btrfs", "loop,compress-force=zlib", func(t *testing.T, in func(string) string) {
			text := []byte(strings.Repeat("the same line again and again\n", 150_000))
			require.NoError(t, os.WriteFile(in("a"), text, 0o644))
			require.NoError(t, os.WriteFile(in("b"), text, 0o644))
		}, -1, true},
	} {
		t.Run(name, func(t *testing.T) {
			disk := fileSystem(t, c.kind, c.options)
			in := func(name string) string { return filepath.Join(disk, "files", name) }
			require.NoError(t, os.Mkdir(filepath.Join(disk, "files"), 0o755))
			c.make(t, in)
			unix.Sync()
			r := run(t, disk, "duplicates", "files", "--as", "jsonl")
			var set struct {
				Reclaimable int64
				UpTo        bool `json:"up_to"`
			}
			require.NoError(t, json.Unmarshal([]byte(r.out), &set), r.out+r.err)
			assert.Equal(t, c.upTo, set.UpTo)
			if c.want >= 0 {
				assert.Equal(t, c.want, set.Reclaimable)
			}
			assert.Equal(t, c.upTo, strings.Contains(run(t, disk, "duplicates", "files").out, "would free up to "))
			free := func() int64 {
				unix.Sync()
				var fs unix.Statfs_t
				require.NoError(t, unix.Statfs(disk, &fs))
				return int64(fs.Bfree) * fs.Bsize
			}
			before := free()
			for _, spare := range []string{"b", "c"} {
				os.Remove(in(spare))
			}
			if c.kind == "xfs" { // which frees blocks when it gets round to it
				assert.Eventually(t, func() bool { return max(set.Reclaimable-(free()-before), free()-before-set.Reclaimable) < 128<<10 }, 20*time.Second, 20*time.Millisecond)
			} else {
				assert.LessOrEqual(t, free()-before, set.Reclaimable)
			}
		})
	}
}
