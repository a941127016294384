package cli_test

import (
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"encoding/json"
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

var factsFor = flag.Duration("facts", time.Second, "how long TestFacts goes on")

// TestFacts makes random trees of entries in every state of knowledge: in folders that
// may be listed and not entered, entered and not listed, or neither; on other file
// systems; made up as they are read; with sizes, times and owners at the ends of what
// can be; and has another user ask every command about them. Each fact is what the
// kernel says, or told not to be known, in every format.
func TestFacts(t *testing.T) {
	t.Parallel()
	if os.Geteuid() != 0 {
		t.Skip("needs files of several owners")
	}
	seed := uint64(1)
	if *factsFor > 2*time.Second {
		seed = uint64(time.Now().UnixNano())
	}
	runs := 0
	for begun := time.Now(); time.Since(begun) < *factsFor && !t.Failed(); seed++ {
		t.Run(fmt.Sprint(seed), func(t *testing.T) { tryFacts(t, rand.New(rand.NewPCG(seed, 5))) })
		runs++
	}
	t.Log(runs, "trees")
}

// fact is an entry as the kernel has it for root, and what the other user may know.
type fact struct {
	path  string
	st    unix.Stat_t
	known bool // more than its name and kind
	made  bool // as it is read
	open  bool // its content may be read, or what is in it listed
}

func (f *fact) kind() string {
	return map[uint32]string{unix.S_IFREG: "file", unix.S_IFDIR: "folder", unix.S_IFLNK: "link", unix.S_IFIFO: "pipe", unix.S_IFSOCK: "socket"}[f.st.Mode&unix.S_IFMT]
}

func (f *fact) sized() bool { return f.known && f.kind() == "file" && !f.made }

type factory struct {
	*testing.T
	random *rand.Rand
	root   string
	home   string
	facts  []*fact
	byPath map[string]*fact
}

func tryFacts(t *testing.T, random *rand.Rand) {
	f := &factory{T: t, random: random, root: t.TempDir(), home: t.TempDir(), byPath: map[string]*fact{}}
	for _, dir := range []string{f.home, f.root} {
		require.NoError(t, os.Chmod(filepath.Dir(dir), 0o755))
	}
	require.NoError(t, os.Chown(f.home, 48230, 48230))
	if unix.Mount("tmpfs", f.root, "tmpfs", 0, "size=16m,mode=755") == nil { // which takes any size and time
		t.Cleanup(func() { unix.Unmount(f.root, unix.MNT_DETACH) })
	}
	f.grow()
	f.collect(f.root, ".", true)
	f.ask("")
	r := f.run("record . --label l --ledger " + f.home + "/ledger")
	assert.Contains(t, []int{0, 3}, r.status, r.err)
	f.ask("@l")
	f.content()
}

// grow makes the tree.
func (f *factory) grow() {
	dirs := []string{f.root}
	pick := func(of []string) string { return of[f.random.IntN(len(of))] }
	var files []string
	for i := range 12 + f.random.IntN(30) {
		path := filepath.Join(pick(dirs), fmt.Sprint("n", i, []string{"", " x", ".txt", "\xff", "\n"}[f.random.IntN(5)]))
		switch f.random.IntN(9) {
		case 0, 1, 2:
			if os.Mkdir(path, 0o755) == nil {
				dirs = append(dirs, path)
			}
		case 3:
			os.Symlink(pick([]string{"nowhere", ".", "n1", "/proc"}), path)
		case 4:
			unix.Mkfifo(path, 0o644)
		case 5:
			if len(files) > 0 {
				os.Link(pick(files), path)
			}
		default:
			files = append(files, path)
			os.WriteFile(path, []byte(strings.Repeat("x", f.random.IntN(3)*f.random.IntN(3000))), 0o644)
			if f.random.IntN(6) == 0 {
				os.Truncate(path, []int64{1 << 20, 1 << 40, math.MaxInt64 - 1, math.MaxInt64}[f.random.IntN(4)])
			}
		}
		if f.random.IntN(4) == 0 {
			os.Lchown(path, f.random.IntN(3), []int{0, 77, math.MaxUint32 - 1}[f.random.IntN(3)])
		}
		if f.random.IntN(2) == 0 {
			os.Chtimes(path, time.Time{}, time.Unix([]int64{0, -1, 1 << 31, 1 << 40, -1 << 40, 253402300800, 1e9, math.MaxInt64, math.MinInt64 + 62135596800}[f.random.IntN(9)], 0))
		}
	}
	if f.random.IntN(2) == 0 {
		dir := filepath.Join(f.root, "other")
		require.NoError(f, os.Mkdir(dir, 0o755))
		what := pick([]string{"/proc/sys/fs/inotify", "/proc/sys/kernel/random"})
		if unix.Mount(what, dir, "", unix.MS_BIND, "") == nil {
			f.Cleanup(func() { unix.Unmount(dir, unix.MNT_DETACH) })
		}
	}
	for _, path := range files {
		os.Chmod(path, []os.FileMode{0o644, 0o600, 0, 0o4755}[f.random.IntN(4)])
	}
	for _, dir := range dirs[1:] {
		os.Chmod(dir, []os.FileMode{0o755, 0o755, 0o744, 0o711, 0o700}[f.random.IntN(5)])
	}
}

// collect notes what is in a folder that may be listed, and may be entered or not.
func (f *factory) collect(dir, as string, enter bool) {
	list, err := os.ReadDir(dir)
	require.NoError(f, err)
	for _, d := range list {
		one := &fact{path: as + "/" + d.Name(), known: enter}
		path := filepath.Join(dir, d.Name())
		require.NoError(f, unix.Lstat(path, &one.st))
		var fs unix.Statfs_t
		require.NoError(f, unix.Statfs(dir, &fs))
		one.made, one.open = fs.Type == unix.PROC_SUPER_MAGIC && one.kind() == "file", enter && one.st.Mode&4 != 0
		f.facts = append(f.facts, one)
		f.byPath[one.path] = one
		if one.open && one.kind() == "folder" {
			f.collect(path, one.path, one.st.Mode&1 != 0)
		}
	}
}

// run has the other user run the program.
func (f *factory) run(line string, more ...string) result {
	cmd := command(f.T, f.root, append(strings.Fields(line), more...)...)
	cmd.Env = append(cmd.Env, "HOME="+f.home, "FRANK_LEDGER="+f.home+"/ledger")
	r := finish(f.T, stranger(cmd))
	require.Contains(f, []int{0, 1, 3}, r.status, "%s: %s", line, r.err)
	require.NotContains(f, r.err, "goroutine", line)
	return r
}

// rows reads JSON lines by the path in them, from the place on.
func (f *factory) rows(line, place string) map[string]map[string]any {
	rows := map[string]map[string]any{}
	for text := range strings.Lines(f.run(line).out) {
		rows[strings.Replace(f.path(text), place, ".", 1)] = f.object(text)
	}
	return rows
}

// object reads a JSON object, with numbers in full.
func (f *factory) object(text string) (row map[string]any) {
	decoder := json.NewDecoder(strings.NewReader(text))
	decoder.UseNumber()
	require.NoError(f, decoder.Decode(&row), text)
	return row
}

func (f *factory) path(text string) string {
	var row struct {
		Path string
		Raw  []byte `json:"path_base64"`
	}
	require.NoError(f, json.Unmarshal([]byte(text), &row), text)
	if row.Raw != nil {
		return string(row.Raw)
	}
	return row.Path
}

// when is a moment as frank writes it, without the standard library's limits.
func when(ts unix.Timespec) string {
	t := time.Unix(ts.Sec, ts.Nsec).UTC()
	text := t.Format("01-02T15:04:05.000000000Z")
	switch year := t.Year(); {
	case year > 9999:
		return fmt.Sprintf("+%d-%s", year, text)
	case year < 0:
		return fmt.Sprintf("%d-%s", year, text)
	default:
		return fmt.Sprintf("%04d-%s", year, text)
	}
}

// up is the path of the folder that a path lies in; "" above the place.
func up(path string) string { return path[:max(0, strings.LastIndexByte(path, '/'))] }

// saturated adds sizes as far as a number goes.
func saturated(a, b int64) int64 {
	if a > math.MaxInt64-b {
		return math.MaxInt64
	}
	return a + b
}

// ask asks about the folder, or its record.
func (f *factory) ask(record string) {
	place := "."
	if record != "" {
		place = record
	}
	f.askList(place, record != "")
	f.askSums(place)
	f.askConditions(place)
	r := f.run("list " + place + " --depth all --columns path,size,modified --units bytes")
	for _, one := range f.facts {
		if strings.ContainsAny(one.path, "\n ") || !utf8.ValidString(one.path) {
			continue
		}
		row := ""
		for line := range strings.Lines(r.out) {
			if fields := strings.Fields(line); len(fields) > 0 && strings.HasSuffix(one.path, "/"+filepath.Base(fields[0])) {
				row = line
			}
		}
		require.NotEmpty(f, row, one.path)
		if !one.known {
			assert.Regexp(f, `–.*–`, row)
			assert.NotRegexp(f, `ago|\b0 B|\b0\b`, row)
		}
	}
}

// askList compares what list says of each entry.
func (f *factory) askList(place string, recorded bool) {
	rows := f.rows("list "+place+" --depth all --as jsonl --columns all", place)
	wanted := []string{}
	for _, one := range f.facts {
		wanted = append(wanted, one.path)
	}
	got := []string{}
	for path := range rows {
		got = append(got, path)
	}
	require.ElementsMatch(f, wanted, got)
	for path, row := range rows {
		one := f.byPath[path]
		assert.Equal(f, one.kind(), row["kind"], path)
		facts := map[string]any{
			"inode": one.st.Ino, "device": one.st.Dev, "links": one.st.Nlink, "uid": one.st.Uid, "gid": one.st.Gid, "disk": one.st.Blocks * 512,
			"mode": fmt.Sprintf("%04o", one.st.Mode&0o7777), "modified": when(one.st.Mtim), "changed": when(one.st.Ctim),
			"size": nil, "accessed": nil, "permissions": nil, "age": nil,
		}
		if one.sized() {
			facts["size"] = one.st.Size
		}
		for key, want := range facts {
			value, has := row[key]
			switch {
			case recorded && key == "device": // told apart by what lasts
			case !one.known:
				assert.Nil(f, value, "%s of %q, %s", key, path, place)
			case key == "accessed" || key == "permissions" || key == "age":
				assert.True(f, has && value != nil, "%s of %q", key, path)
			case one.made && (key == "modified" || key == "changed" || key == "inode"): // it is made anew each time
			default:
				assert.Equal(f, fmt.Sprint(want), fmt.Sprint(value), "%s of %q, %s", key, path, place)
			}
		}
	}
	table, err := csv.NewReader(strings.NewReader(f.run("list " + place + " --depth all --as csv --columns inode,size,modified,uid").out)).ReadAll()
	require.NoError(f, err)
	unknown := 0
	for _, line := range table[1:] {
		if line[0] == "" {
			unknown++
			assert.Equal(f, []string{"", "", "", ""}, line)
		}
	}
	for _, one := range f.facts {
		if !one.known {
			unknown--
		}
	}
	assert.Zero(f, unknown, "entries of which nothing is known, in CSV")
}

// askSums compares sums: of folders, of groups, and of all.
func (f *factory) askSums(place string) {
	type sum struct {
		size, files, entries int64
		several              bool // files of several names
		sized, unread        bool
		whole                bool
		names                map[[2]uint64]bool
	}
	sums := map[string]*sum{}
	of := func(path string) *sum {
		if sums[path] == nil {
			sums[path] = &sum{whole: true, names: map[[2]uint64]bool{}}
		}
		return sums[path]
	}
	of(".")
	for _, one := range f.facts {
		path := one.path
		if one.kind() != "folder" {
			path = up(path)
		}
		for ; path != ""; path = up(path) {
			s := of(path)
			if path != one.path {
				s.entries++
			}
			s.whole = s.whole && one.known && !one.made && (one.kind() != "folder" || one.open)
			s.unread = s.unread || one.kind() == "folder" && !one.open
			if one.kind() != "file" {
				continue
			}
			s.files++
			s.several = s.several || one.st.Nlink > 1
			if node := [2]uint64{one.st.Dev, one.st.Ino}; one.sized() && !s.names[node] {
				s.sized, s.names[node] = true, true
				s.size = saturated(s.size, one.st.Size)
			}
		}
	}
	weighed := f.rows("weigh "+place+" --depth all --as jsonl", place)
	for path, want := range sums {
		row := weighed[path]
		require.NotNil(f, row, "%q", path)
		assert.Equal(f, want.whole, row["complete"], "complete of %q, %s", path, place)
		if want.entries > 0 || !want.unread {
			assert.Equal(f, fmt.Sprint(want.files), fmt.Sprint(row["files"]), "files of %q", path)
		} else {
			assert.Nil(f, row["files"], "files of %q", path)
		}
		if want.sized || want.files == 0 && !want.unread {
			size, err := row["size"].(json.Number).Int64()
			require.NoError(f, err)
			if want.several && path != "." { // counted where another name of it lies
				assert.LessOrEqual(f, size, want.size, "size of %q, %s", path, place)
			} else {
				assert.Equal(f, want.size, size, "size of %q, %s", path, place)
			}
		} else {
			assert.Nil(f, row["size"], "size of %q, %s", path, place)
		}
	}
	for _, by := range []string{"kind", "day", "month", "year", "owner", "mode", "size", "age", "ext", "folder"} {
		names, groups := 0, 0
		for text := range strings.Lines(f.run("tally " + place + " --as jsonl --by " + by).out) {
			row := f.object(text)
			n, err := row["count"].(json.Number).Int64()
			require.NoError(f, err)
			names += int(n)
			if by == "owner" && row["key"] == nil {
				groups = int(n)
				assert.Nil(f, row["oldest"])
				assert.Contains(f, []any{nil, json.Number("0")}, row["size"]) // of no files at all it is 0
			}
		}
		unknown, others := 0, 0
		for _, one := range f.facts {
			switch {
			case one.kind() == "folder":
				others++
			case !one.known:
				unknown++
			}
		}
		assert.Contains(f, []int{len(f.facts) - others, len(f.facts)}, names, "tally by %s of %s", by, place)
		if by == "owner" && names == len(f.facts)-others {
			assert.Equal(f, unknown, groups, "of unknown owners")
		}
	}
}

// askConditions compares which entries conditions choose: never one of which the fact
// is not known, whichever way round it is asked.
func (f *factory) askConditions(place string) {
	now := time.Now().Unix()
	for condition, holds := range map[string]func(*fact) bool{
		"size is 0B":                           func(one *fact) bool { return one.sized() && one.st.Size == 0 },
		"size under 1KiB":                      func(one *fact) bool { return one.sized() && one.st.Size < 1024 },
		"size over 1TiB":                       func(one *fact) bool { return one.sized() && one.st.Size > 1<<40 },
		"uid is 0":                             func(one *fact) bool { return one.known && one.st.Uid == 0 },
		"gid over 4294967293":                  func(one *fact) bool { return one.known && one.st.Gid > math.MaxUint32-2 },
		"mode is 0000":                         func(one *fact) bool { return one.known && one.st.Mode&0o7777 == 0 && one.kind() != "link" },
		"modified before 1970-01-01T00:00:00Z": func(one *fact) bool { return one.known && !one.made && one.st.Mtim.Sec < 0 },
		"modified after 2300":                  func(one *fact) bool { return one.known && !one.made && one.st.Mtim.Sec >= 10_445_068_800 },
		"age over 1000 years":                  func(one *fact) bool { return one.known && !one.made && one.st.Mtim.Sec < now-1000*31_556_952-86400*400 },
		"links over 1 and kind is file":        func(one *fact) bool { return one.known && one.kind() == "file" && one.st.Nlink > 1 },
		"disk is 0B and kind is file":          func(one *fact) bool { return one.known && one.kind() == "file" && one.st.Blocks == 0 },
		"kind is folder":                       func(one *fact) bool { return one.kind() == "folder" },
		"setuid":                               func(one *fact) bool { return one.known && one.st.Mode&unix.S_ISUID != 0 && one.kind() != "folder" },
	} {
		want := []string{}
		for _, one := range f.facts {
			if holds(one) && !(one.made && strings.Contains(condition, "disk")) {
				want = append(want, one.path)
			}
		}
		r := f.run("search " + place + " --as paths0 where " + condition)
		got := []string{}
		for path := range strings.SplitSeq(strings.TrimSuffix(r.out, "\x00"), "\x00") {
			path = strings.Replace(path, place, ".", 1)
			if one := f.byPath[path]; one != nil && !(one.made && (strings.Contains(condition, "disk") || strings.Contains(condition, "modified"))) {
				got = append(got, path)
			}
		}
		slices.Sort(want)
		slices.Sort(got)
		assert.Equal(f, want, got, "%s in %s: %s", condition, place, strconv.Quote(r.err))
	}
}

// content compares what is said of the content of files, which are made short first.
func (f *factory) content() {
	for _, one := range f.facts {
		path := filepath.Join(f.root, one.path)
		if one.kind() == "file" && !one.made && one.st.Size > 1<<20 {
			require.NoError(f, os.Truncate(path, 1<<20))
		}
	}
	rows := f.rows("checksum . --as jsonl", ".")
	empty := map[string]bool{}
	for _, one := range f.facts {
		if one.kind() != "file" || one.made {
			continue
		}
		row := rows[one.path]
		content, err := os.ReadFile(filepath.Join(f.root, one.path))
		require.NoError(f, err)
		if one.open {
			sum := sha256.Sum256(content)
			assert.Equal(f, hex.EncodeToString(sum[:]), row["digest"], one.path)
		} else if row != nil {
			assert.Nil(f, row["digest"], one.path)
		}
		if one.sized() && len(content) == 0 {
			empty[one.path] = true
		}
	}
	if len(empty) > 1 {
		r := f.run("duplicates . --empty --as jsonl")
		for text := range strings.Lines(r.out) {
			row := f.object(text)
			if row["size"] != json.Number("0") {
				continue
			}
			for _, one := range row["copies"].([]any) {
				line, err := json.Marshal(one)
				require.NoError(f, err)
				assert.True(f, empty[f.path(string(line))], "%s is not known to be empty", line)
			}
		}
	}
	r := f.run("outline . --as json")
	assert.True(f, json.Valid([]byte(r.out)))
	for _, line := range []string{"outline .", "duplicates . --as csv", "compare @l . --as json", "history n1", "list . --totals --as markdown", "inspect ."} {
		f.run(line)
	}
}
