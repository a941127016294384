package cli_test

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// Groups are what the kernel's facts come to when grouped in plain Go.
func TestTallyAgreesWithKernel(t *testing.T) {
	asOf, err := time.Parse(time.RFC3339, moment)
	require.NoError(t, err)
	for _, place := range []string{ternPoint(t), "/etc"} {
		type sum struct{ count, size, disk float64 }
		keyOf := map[string]func(path string, st *unix.Stat_t) any{
			"ext": func(path string, _ *unix.Stat_t) any {
				name := filepath.Base(path)
				if ext := filepath.Ext(name); len(ext) > 1 && strings.Trim(strings.TrimSuffix(name, ext), ".") != "" {
					return strings.ToValidUTF8(strings.ToLower(ext[1:]), "�")
				}
				return nil
			},
			"mode": func(_ string, st *unix.Stat_t) any { return fmt.Sprintf("%04o", st.Mode&0o7777) },
			"depth": func(path string, _ *unix.Stat_t) any {
				return float64(strings.Count(strings.TrimPrefix(path, place), "/"))
			},
			"hidden":      func(path string, _ *unix.Stat_t) any { return filepath.Base(path)[0] == '.' },
			"month":       func(_ string, st *unix.Stat_t) any { return time.Unix(st.Mtim.Unix()).UTC().Format("2006-01") },
			"changed/day": func(_ string, st *unix.Stat_t) any { return time.Unix(st.Ctim.Unix()).UTC().Format("2006-01-02") },
			"age": func(_ string, st *unix.Stat_t) any {
				age := asOf.Unix() - st.Mtim.Sec
				for _, band := range []struct {
					from int64
					name string
				}{{5 * 365 * 86400, "older"}, {2 * 365 * 86400, "within 5 years"}, {365 * 86400, "within 2 years"}, {90 * 86400, "within a year"}, {30 * 86400, "within 90 days"},
					{7 * 86400, "within 30 days"}, {86400, "within a week"}, {3600, "within a day"}, {0, "within the hour"}} {
					if age >= band.from {
						return band.name
					}
				}
				return "in the future"
			},
		}
		first := map[uint64]string{}
		stats := map[string]*unix.Stat_t{}
		require.NoError(t, filepath.WalkDir(place, func(path string, _ fs.DirEntry, err error) error {
			var st unix.Stat_t
			require.NoError(t, unix.Lstat(path, &st))
			if old, seen := first[st.Ino]; path != place && (!seen || path < old) {
				first[st.Ino] = path
			}
			if path != place {
				stats[path] = &st
			}
			return err
		}))
		for by, key := range keyOf {
			want := map[any]sum{}
			for path, st := range stats {
				s := want[key(path, st)]
				s.count++
				if first[st.Ino] == path {
					s.disk += float64(st.Blocks * 512)
					if st.Mode&unix.S_IFMT == unix.S_IFREG {
						s.size += float64(st.Size)
					}
				}
				want[key(path, st)] = s
			}
			r := run(t, "/", "tally", place, "--by", by, "--as", "jsonl", "--as-of", moment)
			require.Zero(t, r.status, r.err)
			got := map[any]sum{}
			share := 0.0
			for decoder := json.NewDecoder(strings.NewReader(r.out)); decoder.More(); {
				var row map[string]any
				require.NoError(t, decoder.Decode(&row))
				got[row["key"]] = sum{row["count"].(float64), row["size"].(float64), row["disk"].(float64)}
				share += row["share"].(float64)
			}
			require.Equal(t, want, got, by)
			assert.InDelta(t, 1, share, 0.001, by)
		}
	}
}

func TestTallyTables(t *testing.T) {
	root := tree(t, "a.wav", "b.wav", "c.csv", "d", ".e.csv")
	require.NoError(t, os.Truncate(filepath.Join(root, "a.wav"), 4000))
	out := run(t, root, "tally", "--by", "ext", "--units", "bytes").out
	assert.Regexp(t, `ext +count +size +share +largest +oldest +newest\n  wav +2 +4 005 B +99\.\d % +■+`, out)
	assert.Contains(t, out, "5 entries: 5 files")
	first := run(t, root, "tally", "--by", "ext", "--first", "1", "--as", "csv").out
	assert.Regexp(t, `^key,count,size,disk,share,oldest,newest,largest,rest\r\nwav,2,4005,.*,false\r\n2 more,3,12,.*,true\r\n$`, first)
	cross := run(t, root, "tally", "--by", "ext,hidden", "--cross").out
	assert.Regexp(t, `ext by hidden +false +true\n  csv +1 +1\n +5 B +6 B\n  wav +2\n +3.9 KiB\n  – +1\n`, cross)
	both := run(t, root, "tally", "--by", "kind,hidden", "--as", "json").out
	assert.Contains(t, both, `{"key":{"kind":"file","hidden":true},"count":1,`)
	where := run(t, root, "tally", "--by", "ext", "--as", "jsonl", "where", "hidden").out
	assert.Equal(t, 1, strings.Count(where, "\n"))
	for line, says := range map[string]string{
		"tally --by sizz":                     "cannot group by \"sizz\"; did you mean size?",
		"tally --by ext,ext":                  "twice",
		"tally --by ext,kind,age":             "more than two",
		"tally --by ext --cross":              "needs two fields",
		"tally --by ext --as paths":           "a group has no path",
		"tally --by ext --as tabel":           "did you mean table?",
		"tally --by ext,age --cross --as csv": "makes a table",
		"outline --as csv":                    "table, json, markdown or html",
		"outline --order none":                "does not work here",
	} {
		r := run(t, root, strings.Fields(line)...)
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, says, line)
	}
}

// node is an entry of an outline in JSON.
type node struct {
	Path, Kind        string
	Size, Disk, Files *int64
	Left              int
	Inside            []node
}

func outlined(t *testing.T, dir string, args ...string) node {
	r := run(t, dir, append([]string{"outline", "--as", "json"}, args...)...)
	require.Zero(t, r.status, r.err)
	var document struct{ Entries []node }
	require.NoError(t, json.Unmarshal([]byte(r.out), &document), r.out)
	return document.Entries[0]
}

// The outline of everything is what the kernel says is there, with the weights
// of its folders.
func TestOutlineAgreesWithKernel(t *testing.T) {
	for _, place := range []string{ternPoint(t), "/etc"} {
		sums := kernelWeights(t, place, false)
		count := -1
		require.NoError(t, filepath.WalkDir(place, func(string, fs.DirEntry, error) error { count++; return nil }))
		var check func(n node) int
		check = func(n node) int {
			seen := len(n.Inside)
			if n.Kind == "folder" {
				want, known := sums[n.Path]
				if known { // not where a name is not UTF-8
					require.Equal(t, []int64{want[0], want[1], want[2]}, []int64{*n.Size, *n.Disk, *n.Files}, n.Path)
				}
			}
			for _, below := range n.Inside {
				seen += check(below)
			}
			return seen
		}
		assert.Equal(t, count, check(outlined(t, "/", place, "--depth", "all")))
	}
}

func TestOutline(t *testing.T) {
	root := tree(t, "a/b/x.wav", "a/y.csv", "c/", "top", ".hid/den")
	require.NoError(t, os.Truncate(filepath.Join(root, "a/b/x.wav"), 2048))
	require.NoError(t, os.Symlink("a/y.csv", filepath.Join(root, "link")))
	require.NoError(t, unix.Mkfifo(filepath.Join(root, "pipe"), 0o600))
	assert.Equal(t, root+`

  .hid        8 B    1 file
     den      8 B
  a         2.0 KiB  2 files
     b      2.0 KiB  1 file
     y.csv    7 B
  c           0 B    0 files
  link leads to a/y.csv
  pipe               pipe
  top         3 B

10 entries: 4 folders, 4 files, 1 link, 1 other · 2.0 KiB in the files
`, run(t, root, "outline").out)
	assert.Equal(t, root+`

  a            2.0 KiB  2 files
     b         2.0 KiB  1 file
        x.wav  2.0 KiB

sizes of folders include everything in them (weigh adds up only matches)
1 of 10 entries: 1 file · 2.0 KiB in the files
`, run(t, root, "outline", "--depth", "all", "where", "ext", "is", "wav").out)
	short := run(t, root, "outline", "--order", "size", "--first", "1", "--hidden", "omit").out
	assert.Contains(t, short, "  a ")
	assert.Contains(t, short, "     and 1 more, 7 B\n  and 4 more, 3 B\n")
	assert.Contains(t, short, "1 hidden entry not shown")
	only := outlined(t, root, "--folders-only", "--depth", "all")
	assert.Len(t, only.Inside, 3)
	assert.EqualValues(t, 4, *only.Files)

	require.NoError(t, os.Chmod(filepath.Join(root, "a"), 0))
	defer os.Chmod(filepath.Join(root, "a"), 0o755)
	r := finish(t, stranger(command(t, root, "outline")))
	assert.Equal(t, 3, r.status)
	assert.Regexp(t, `  a +\? +not all read`, r.out)
	for _, width := range []uint16{30, 80, 160} {
		out := colour.ReplaceAllString(onTerminal(t, command(t, root, "outline", "--page", "never"), width, 40), "")
		for _, line := range strings.Split(out, "\n") {
			if strings.HasPrefix(line, "  ") && width >= 80 {
				assert.LessOrEqual(t, len([]rune(line)), int(width), line)
			}
		}
	}
}
