package cli_test

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// weighed runs weigh and returns its rows by path, those of rests aside.
func weighed(t *testing.T, dir string, args ...string) (rows map[string]map[string]any, rests []map[string]any) {
	r := run(t, dir, append([]string{"weigh", "--as", "jsonl"}, args...)...)
	require.Zero(t, r.status, r.err)
	return weights(t, r.out)
}

func weights(t *testing.T, out string) (rows map[string]map[string]any, rests []map[string]any) {
	rows = map[string]map[string]any{}
	decoder := json.NewDecoder(strings.NewReader(out))
	for decoder.More() {
		var row map[string]any
		require.NoError(t, decoder.Decode(&row))
		if row["rest"] == true {
			rests = append(rests, row)
			continue
		}
		rows[exact(t, row, "path")] = row
	}
	return rows, rests
}

// kernelWeights adds up for every folder below root what the kernel says lies in
// it. A file with several names counts where the first of them is. What shut
// folders hold is not counted: those that only their owner may enter.
func kernelWeights(t *testing.T, root string, shut bool) map[string][5]int64 {
	type file struct{ device, inode uint64 }
	first := map[file]string{}
	stats := map[string]unix.Stat_t{}
	require.NoError(t, filepath.WalkDir(root, func(path string, _ fs.DirEntry, err error) error {
		require.NoError(t, err)
		var st unix.Stat_t
		require.NoError(t, unix.Lstat(path, &st))
		stats[path] = st
		id := file{uint64(st.Dev), st.Ino}
		if old, seen := first[id]; !seen || path < old {
			first[id] = path
		}
		if shut && st.Mode&unix.S_IFMT == unix.S_IFDIR && st.Mode&0o007 == 0 {
			return fs.SkipDir
		}
		return nil
	}))
	sums := map[string][5]int64{}
	for path, st := range stats {
		if st.Mode&unix.S_IFMT == unix.S_IFDIR {
			sum := sums[path]
			sums[path] = sum
		}
		if path == root {
			continue
		}
		counted := first[file{uint64(st.Dev), st.Ino}] == path
		isFile, isFolder := st.Mode&unix.S_IFMT == unix.S_IFREG, st.Mode&unix.S_IFMT == unix.S_IFDIR
		for at := filepath.Dir(path); len(at) >= len(root); at = filepath.Dir(at) {
			sum := sums[at]
			if counted {
				sum[1] += st.Blocks * 512
			}
			if counted && isFile {
				sum[0] += st.Size
			}
			if isFile {
				sum[2]++
			}
			if isFolder {
				sum[3]++
			} else {
				sum[4] = max(sum[4], st.Mtim.Sec)
			}
			sums[at] = sum
			if at == "/" {
				break
			}
		}
	}
	return sums
}

func TestWeighAgreesWithKernel(t *testing.T) {
	random := rand.New(rand.NewPCG(77, 7))
	tree := t.TempDir()
	folders, files := []string{tree}, []string{}
	for i := range 500 {
		path := filepath.Join(folders[random.IntN(len(folders))], fmt.Sprint("n", i))
		switch random.IntN(6) {
		case 0:
			require.NoError(t, os.Mkdir(path, 0o755))
			folders = append(folders, path)
		case 1:
			if len(files) > 0 { // across sibling folders too
				require.NoError(t, os.Link(files[random.IntN(len(files))], path))
			}
		case 2:
			require.NoError(t, os.WriteFile(path, []byte("x"), 0o644))
			require.NoError(t, os.Truncate(path, random.Int64N(1<<33)))
		default:
			require.NoError(t, os.WriteFile(path, make([]byte, random.IntN(9000)), 0o644))
			files = append(files, path)
		}
	}
	agrees := func(place string, rows map[string]map[string]any, shut bool) {
		sums := kernelWeights(t, place, shut)
		require.Len(t, rows, len(sums))
		for path, want := range sums {
			row := rows[path]
			if shut && row["complete"] == false && want[2]+want[3] == 0 { // nothing is known of it
				require.Equal(t, []any{nil, nil, nil, nil}, []any{row["size"], row["disk"], row["files"], row["folders"]}, path)
				continue
			}
			if shut && row["complete"] == false && row["size"] == nil { // nor of what is in the folders in it
				require.Zero(t, want[2], path)
				continue
			}
			require.Equal(t, []any{float64(want[0]), float64(want[1]), float64(want[2]), float64(want[3])}, []any{row["size"], row["disk"], row["files"], row["folders"]}, path)
			if want[4] > 0 {
				require.NotNil(t, row["newest"], path)
			}
		}
	}
	for _, place := range []string{tree, ternPoint(t), "/etc"} {
		rows, _ := weighed(t, "/", place, "--depth", "all")
		agrees(place, rows, false)
		// Each folder is what lies directly in it and the folders in it.
		parts := map[string]float64{}
		for path, row := range rows {
			parts[path] += row["own_size"].(float64)
			if path != place {
				parts[filepath.Dir(path)] += row["size"].(float64)
			}
		}
		for path, row := range rows {
			require.Equal(t, row["size"], parts[path], path)
		}
		// What is left out is summed up, never dropped.
		rows, rests := weighed(t, "/", place, "--at-least", "20%")
		total := rows[place]["own_size"].(float64)
		for path, row := range rows {
			if path != place {
				total += row["size"].(float64)
				assert.GreaterOrEqual(t, row["share"], 0.2)
			}
		}
		for _, rest := range rests {
			total += rest["size"].(float64)
		}
		assert.Equal(t, rows[place]["size"], total)
	}
	// Folders that cannot be entered, and all above them, are marked; the rest
	// still adds up.
	for i, folder := range folders[1:] {
		if i%7 == 0 {
			require.NoError(t, os.Chmod(folder, 0o700))
		}
	}
	require.NoError(t, os.Chmod(filepath.Dir(tree), 0o755))
	r := finish(t, stranger(command(t, "/", "weigh", "--as", "jsonl", "--depth", "all", tree)))
	assert.Equal(t, 3, r.status)
	rows, _ := weights(t, r.out)
	if os.Geteuid() == 0 {
		agrees(tree, rows, true)
	}
	unread := map[string]bool{}
	for _, folder := range folders {
		if rows[folder] != nil && rows[folder]["own_size"] == nil && strings.Contains(r.err, folder+":") {
			for at := folder; len(at) >= len(tree); at = filepath.Dir(at) {
				unread[at] = true
			}
		}
	}
	for path, row := range rows {
		assert.Equal(t, !unread[path], row["complete"], path)
	}
}

func TestWeighTable(t *testing.T) {
	root := tree(t, "a/b/x", "a/y", "c/", "top")
	require.NoError(t, os.Truncate(filepath.Join(root, "a/b/x"), 3000))
	require.NoError(t, os.Truncate(filepath.Join(root, "a/y"), 500))
	require.NoError(t, os.Truncate(filepath.Join(root, "top"), 500))
	require.NoError(t, os.Link(filepath.Join(root, "a/b/x"), filepath.Join(root, "c/again")))
	out := run(t, root, "weigh", "--units", "bytes").out
	lines := strings.Split(out, "\n")
	require.Greater(t, len(lines), 8, out)
	for i, want := range []string{`^  001 +4 +3 +just now +4 000 B +100\.0 % +■{20}$`, `^  ─+$`, `^  a +2 +1 +just now +3 500 B +87\.5 % +■{17}▪·{2}$`, `^  in 001 itself +1 +2 +just now +500 B +12\.5 % +■■▪·{17}$`, `^  c +1 +0 +just now +0 B +0\.0 % +·{20}$`} {
		assert.Regexp(t, want, lines[3+i])
	}
	assert.Contains(t, out, "1 extra hard link (3 000 B) not counted again")

	explained := run(t, root, "weigh", "--explain", "a").out
	assert.Regexp(t, `a/y +500 B +500 B\n +a/b/x +3 000 B +3 500 B\n`, explained)
	assert.NotContains(t, explained, "already counted", "that is of another folder")
	assert.Regexp(t, `c/again +0 B +0 B +\./a/b/x\n`, run(t, root, "weigh", "--explain", root+"/c").out)

	// several places stand under one sum, the heaviest first, unless they overlap.
	several := run(t, root, "weigh", "c", "a", "--units", "bytes").out
	assert.Regexp(t, `(?m)^  all 2 places .* 3 500 B +100\.0 % .*\n  ─+\n    a .* 3 500 B +100\.0 % .*\n      b .* 3 000 B +85\.7 % .*\n      in a itself .* 500 B +14\.3 % .*\n    c .* 0 B +0\.0 % `, several)
	assert.NotContains(t, run(t, root, "weigh", "c", "a", "--as", "csv").out, "all", "programs add up themselves")
	overlapping := run(t, root, "weigh", "a", "a/b").out
	assert.NotContains(t, overlapping, "all 2 places")
	assert.Contains(t, overlapping, "counted in each")

	assert.Regexp(t, `(?m)^  file +modified +size .*\n  a/b/x +just now +2\.9 KiB .*\n  (a/y|top) +just now +500 B .*\n\n`, run(t, root, "weigh", "--heaviest", "2").out)
	assert.Equal(t, 2, run(t, root, "weigh", "--heaviest", "2", "--depth", "3").status)
	require.NoError(t, os.Truncate(filepath.Join(root, "a/y"), 50_000_000))
	assert.Contains(t, run(t, root, "weigh").out, "\non disk all of that takes ")
	require.NoError(t, os.Truncate(filepath.Join(root, "a/y"), 500))
	assert.Regexp(t, `(?m)^  folder +folders +newest +size +files +share\n(.*\n)*  a +1 .* 3 500 B +2 +50\.0 % `, run(t, root, "weigh", "--by", "files", "--units", "bytes").out)
	assert.Regexp(t, `(?m)^  folder +files +folders .*\n  001 +4 +3 (.*\n)+      a/b/x +– +– +just now +2.9 KiB`, run(t, root, "weigh", "--largest", "1").out)
	rows, _ := weighed(t, root, "where", "name", "is", "y")
	assert.Equal(t, 500.0, rows["."]["size"])
	assert.Len(t, rows, 2, "only folders that lead to matches")
	for _, words := range []string{"weigh", "tally --by ext", "outline"} {
		out := run(t, root, append(strings.Fields(words), "where", "name", "is", "y")...).out
		assert.Contains(t, out, map[bool]string{true: "1 of 6 entries: 1 file", false: "1 of 7 entries: 1 file"}[words == "outline"], words) // of two levels
	}
	assert.Equal(t, ".\n./a\n./c\n", run(t, root, "weigh", "--as", "paths").out)
}

func TestWeighTrouble(t *testing.T) {
	root := tree(t, "open/x", "shut/y", "file")
	for line, says := range map[string]string{
		"weigh --by weight":              "size, disk or files",
		"weigh --at-least 101%":          "a percentage from 0% to 100%",
		"weigh --at-least -1%":           "a percentage from 0% to 100%",
		"weigh --at-least 10q":           "there is no unit q",
		"weigh --largest 0":              "from 1 on",
		"weigh --explain nowhere":        "nothing was added up in nowhere",
		"weigh --explain open --depth 2": "contradict",
		"weigh nosuch":                   "no such file",
	} {
		r := run(t, root, strings.Fields(line)...)
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, says, line)
	}
	require.NoError(t, os.Chmod(filepath.Join(root, "shut"), 0))
	defer os.Chmod(filepath.Join(root, "shut"), 0o755)
	r := finish(t, stranger(command(t, root, "weigh")))
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.out, "shut (not all read)")
	assert.Contains(t, r.out, "001 (not all read)")
	assert.NotContains(t, r.out, "open (not all read)")
}

// Sums that are more than 64 bits can count.
func TestWeighTooMuch(t *testing.T) {
	root, err := os.MkdirTemp("/dev/shm", "frank-test-") // in memory, where files can be that large
	if err != nil {
		t.Skipf("no file system in memory: %v", err)
	}
	defer os.RemoveAll(root)
	for i := range 3 {
		path := filepath.Join(root, fmt.Sprint("huge", i))
		require.NoError(t, os.WriteFile(path, nil, 0o644))
		if err := os.Truncate(path, 1<<63-1); err != nil {
			t.Skipf("no such large files here: %v", err)
		}
	}
	for _, words := range []string{"weigh", "outline", "tally --by ext", "list --totals", "weigh --explain ."} {
		r := run(t, root, strings.Fields(words)...)
		assert.Zero(t, r.status)
		assert.Contains(t, r.out, "larger than this program can count", words)
		assert.NotContains(t, strings.ReplaceAll(r.out, " ", ""), "-9223", words)
	}
	rows, _ := weighed(t, root)
	assert.Equal(t, float64(1<<63-1), rows["."]["size"])
}

// Ctrl-C shows what was summed up so far, marked as incomplete.
func TestSumsInterrupted(t *testing.T) {
	root := tree(t, "a", "big", "huge")
	for _, name := range []string{"big", "huge"} {
		require.NoError(t, os.Truncate(filepath.Join(root, name), 40<<30)) // takes minutes
	}
	for _, words := range []string{"weigh", "outline", "tally --by ext"} {
		cmd := command(t, root, append(strings.Fields(words), "where", "sha512 is 00000000")...)
		var out strings.Builder
		cmd.Stdout = &out
		require.NoError(t, cmd.Start())
		untilReading(t, cmd)
		require.NoError(t, cmd.Process.Signal(os.Interrupt))
		cmd.Wait()
		assert.Equal(t, 130, cmd.ProcessState.ExitCode(), words)
		assert.Contains(t, out.String(), "stopped before everything was read", words)
	}
}

// What became heavier since a record, or lighter, adds up to the whole.
func TestWeighSince(t *testing.T) {
	root, file := tree(t, "a/x", "b/deep/y", "c/z"), filepath.Join(t.TempDir(), "ledger")
	frank := func(status int, line ...string) result {
		r := finish(t, withLedger(t, file, root, line...))
		require.Equal(t, status, r.status, "%s %s%s", line, r.out, r.err)
		return r
	}
	frank(0, "record", ".", "--label", "weekly")
	require.NoError(t, os.WriteFile(filepath.Join(root, "a/x"), make([]byte, 3000), 0o644))
	require.NoError(t, os.RemoveAll(filepath.Join(root, "b")))
	require.NoError(t, os.MkdirAll(filepath.Join(root, "new"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(root, "new/big"), make([]byte, 5000), 0o644))
	text := frank(0, "weigh", "--since", "@weekly").out
	assert.Contains(t, text, "B  "+root+"\n")
	for _, line := range []string{`new \(new\) +\+4\.9 KiB +4\.9 KiB +\+1\n`, `a +\+2\.9 KiB +3 B +2\.9 KiB +0\n`, `b \(gone\) +−8 B +8 B +−1\n`, `1 folder without change +0 B +3 B +3 B +0\n`, `\n7\.8 KiB more than before`} {
		assert.Regexp(t, line, text)
	}
	var rows []map[string]any
	decoder := json.NewDecoder(strings.NewReader(frank(0, "weigh", ".", "--since", "@weekly", "--as", "jsonl").out))
	for decoder.More() {
		var one map[string]any
		require.NoError(t, decoder.Decode(&one))
		rows = append(rows, one)
	}
	sum := 0.0
	for _, one := range rows[1:] {
		sum += one["change"].(float64)
	}
	assert.InDelta(t, 5000+2997-8, sum, 0)
	assert.InDelta(t, sum, rows[0]["change"], 0)
	// The same in groups, of which some have nothing to tell.
	require.NoError(t, os.WriteFile(filepath.Join(root, "new/more.wav"), make([]byte, 700), 0o644))
	groups := frank(0, "tally", "--by", "ext", "--since", "@weekly", "--as", "csv").out
	assert.Equal(t, "key,change,before,now,entries,count_before,count,rest\r\n,7989,14,8003,-1,7,6,false\r\nwav,700,,700,1,0,1,false\r\n", groups)
	text = frank(0, "tally", "--by", "kind", "--since", "@weekly", "--first", "1").out
	assert.Regexp(t, `file +\+8\.5 KiB +14 B +8\.5 KiB +\+1\n +1 more +0 B +0 B +0 B +−1\n\n8\.5 KiB more than before\n$`, text)
	assert.Contains(t, frank(0, "tally", "a", "--by", "depth", "--since", "a").out, "size unchanged\n1 group without change")
	frank(2, "tally", "--by", "ext,kind", "--cross", "--since", "@weekly")
	require.NoError(t, os.Remove(filepath.Join(root, "new/more.wav")))
	frank(0, "record", ".", "--label", "weekly")
	assert.Contains(t, frank(0, "weigh", "@weekly", "--since", "@weekly:1", "--by", "files").out, "size unchanged")
	assert.Contains(t, frank(0, "weigh", "a", "--since", "c").out, "2.9 KiB more than before")
	for _, line := range []string{"--since @nothing", "--since @weekly --heaviest 2", "--since @weekly --explain a", "--since @weekly --at-least 5%", "--since @weekly --as paths", "a c --since @weekly"} {
		frank(2, append([]string{"weigh"}, strings.Fields(line)...)...)
	}
}
