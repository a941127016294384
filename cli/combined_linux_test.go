package cli_test

import (
	"encoding/csv"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

var (
	combineFor  = flag.Duration("combine", time.Second, "how long TestCombined goes on")
	combineSeed = flag.Uint64("combine-seed", 0, "the one tree that TestCombined makes")
)

// asOf is the moment that ages are counted from, in seconds since 1970.
const asOf = 1_795_000_000

var asOfWord = time.Unix(asOf, 0).UTC().Format("2006-01-02T15:04:05Z")

// TestCombined makes random trees and has all commands asked about them, with random conditions over all
// fields: as they are, as they were recorded, whole or with a condition, exported and imported, in
// a kept list, and two of these against one another. A model in plain Go says what each answer must
// be, its numbers and whether it is complete.
func TestCombined(t *testing.T) {
	t.Parallel()
	if os.Geteuid() != 0 {
		t.Skip("needs files of several owners")
	}
	seed := uint64(1)
	if *combineFor > 3*time.Second {
		seed = uint64(time.Now().UnixNano())
	}
	if *combineSeed != 0 {
		seed, *combineFor = *combineSeed, 0
	}
	runs, asked := 0, 0
	for begun := time.Now(); runs == 0 || time.Since(begun) < *combineFor && !t.Failed(); seed++ {
		t.Run(fmt.Sprint(seed), func(t *testing.T) { asked += tryCombined(t, seed) })
		runs++
	}
	t.Log(runs, "trees", asked, "questions")
}

type combination struct {
	*testing.T
	*gen
	root, home    string
	reader        uint32 // who asks
	before, after []*thing
	asked         int
}

func tryCombined(t *testing.T, seed uint64) int {
	c := &combination{T: t, gen: &gen{Rand: rand.New(rand.NewPCG(seed, 9))}, root: t.TempDir(), home: t.TempDir()}
	for _, dir := range []string{c.home, c.root} {
		require.NoError(t, os.Chmod(filepath.Dir(dir), 0o755))
	}
	require.NoError(t, os.Chown(c.home, 48230, 48230))
	if unix.Mount("tmpfs", c.root, "tmpfs", unix.MS_NOATIME, "size=16m,mode=755") == nil {
		t.Cleanup(func() { unix.Unmount(c.root, unix.MNT_DETACH) })
	}
	if c.IntN(2) == 0 {
		c.reader = 48230
	}
	require.NoError(t, os.Mkdir(filepath.Join(c.root, "t"), 0o755))
	c.grow(20 + c.IntN(30))
	c.before = c.collect("")
	c.things = c.before
	whole, chosen := newPlace("@whole", c.before), newPlace("@chosen", nil)
	record := []string{"record", "t", "--label", "whole"}
	if whole.digests = c.IntN(2) == 0; whole.digests {
		record = append(record, "--checksum", "sha256")
	}
	c.run(record...)
	live := newPlace("t", c.before)
	for chosen.chosen = c.cond(1); slices.ContainsFunc(chosen.chosen.words, func(word string) bool { return word == "sha256" || word == "md5" }); { // whose digests would be kept
		chosen.chosen = c.cond(1)
	}
	c.alone(live, chosen.chosen)
	c.run(append([]string{"record", "t", "--label", "chosen", "--as-of", asOfWord, "--ledger", c.home + "/chosen", "where"}, chosen.chosen.words...)...)
	chosen.words = append(chosen.words, "--ledger", c.home+"/chosen")
	for _, x := range c.before {
		if x.kind() == "folder" || chosen.chosen.holds(live.within(), x) == yes {
			chosen.things = append(chosen.things, x)
			chosen.all = chosen.things
			chosen.byRelative[x.rel] = x
		}
	}
	some := newPlace("@some", nil)
	some.left = func(rel string) bool {
		return slices.ContainsFunc(everyFolder(&thing{rel: rel}), func(rel string) bool {
			return strings.HasPrefix(filepath.Base(rel), "1") || strings.HasPrefix(filepath.Base(rel), ".h")
		}) ||
			strings.HasPrefix(filepath.Base(rel), ".")
	}
	c.run("record", "t", "--label", "some", "--hidden", "omit", "--skip", "1*", "--ledger", c.home+"/some")
	some.things = slices.DeleteFunc(slices.Clone(c.before), func(x *thing) bool { return some.left(x.rel) })
	some.all, some.words = some.things, append(some.words, "--ledger", c.home+"/some")
	for _, x := range some.things {
		some.byRelative[x.rel] = x
	}
	imported := newPlace("@whole", c.before)
	imported.digests = whole.digests
	imported.words = append(imported.words, "--ledger", c.home+"/imported")
	c.run("ledger", "export", "--to", c.home+"/exported")
	c.run("ledger", "import", c.home+"/exported", "--ledger", c.home+"/imported")
	for _, p := range []*place{whole, chosen, some, imported} {
		p.record = true
	}
	t.Cleanup(func() { // what is needed to understand it
		if t.Failed() {
			t.Logf("seed %d, asked as %d; @chosen where %s; digests %v", seed, c.reader, chosen.chosen.words, whole.digests)
			for i, things := range [][]*thing{c.before, c.after} {
				for _, x := range things {
					t.Logf("%d %-30q %-6s mode %04o size %d links %d inode %d modified %d known %v open %v", i, x.rel, x.kind(), x.st.Mode&0o7777, x.st.Size, x.st.Nlink, x.st.Ino, x.st.Mtim.Sec, x.known, x.open)
				}
			}
		}
	})
	c.grow(c.IntN(12))
	c.after = c.collect("")
	live = newPlace("t", c.after)
	places := []*place{live, whole, chosen, some, imported, c.list()}
	for range 40 {
		p := places[c.IntN(len(places))]
		if c.things = p.things; len(p.things) == 0 {
			continue
		}
		q := c.cond(c.IntN(3))
		c.alone(p, q)
		switch c.IntN(8) {
		case 6:
			c.checksum(p, q)
		case 7:
			c.holds(p)
		case 0, 1:
			c.search(p, q)
		case 2:
			c.totals(p, q)
		case 3:
			c.tally(p, q)
		case 4:
			c.weigh(p, q)
		case 5:
			c.twoSides([]*place{whole, chosen, some, imported, live}[c.IntN(5)], live)
		}
		if t.Failed() {
			break
		}
	}
	c.recordAgain(record)
	return c.asked
}

// recordAgain records what is there now, and holds what that tells against what compare does.
func (c *combination) recordAgain(record []string) {
	told := c.run(record...).out
	a := &reply{}
	out := c.run("compare", "@whole:1", "@whole", "--as", "json").out
	decoder := json.NewDecoder(strings.NewReader(out))
	decoder.UseNumber()
	require.NoError(c, decoder.Decode(a), out)
	var parts []string
	for _, key := range []string{"added", "removed", "moved", "altered", "details", "unclear"} {
		if n := a.number(key); n > 0 {
			parts = append(parts, fmt.Sprint(n, " ", strings.Replace(key, "details", "with other details", 1)))
		}
	}
	want := "since the record before: " + strings.Join(parts, ", ") + "\n"
	if parts == nil {
		want = "nothing has changed since the record before\n"
	}
	assert.Contains(c, told, want)
}

// grow adds to the tree and alters it.
func (c *combination) grow(steps int) {
	dirs, files := []string{filepath.Join(c.root, "t")}, []string{}
	for _, x := range c.after {
		c.note(filepath.Join(c.root, "t", x.rel), &dirs, &files)
	}
	for _, x := range c.before {
		c.note(filepath.Join(c.root, "t", x.rel), &dirs, &files)
	}
	pick := func(of []string) string { return of[c.IntN(len(of))] }
	for range steps {
		name := one(c.gen, "a", "B.txt", "c d.TXT", "é.md", "Ü b.md", "f[1].png", ".h", ".hid.txt", "x-y", "q'u.gz", "semi;", "n\nl", "t\tb", "A.tar.gz", "rota.md", "\xffbad", "node", "-dash", " lead", "x*")
		if c.IntN(2) == 0 {
			name = fmt.Sprint(c.IntN(20), name)
		}
		path := filepath.Join(pick(dirs), name)
		switch c.IntN(12) {
		case 0, 1, 2:
			if os.Mkdir(path, one(c.gen, os.FileMode(0o755), 0o755, 0o755, 0o744, 0o711, 0o700)) == nil {
				dirs = append(dirs, path)
			}
		case 3:
			os.Symlink(pick([]string{"nowhere", ".", "..", "a"}), path)
		case 4:
			unix.Mkfifo(path, 0o644)
		case 5:
			if len(files) > 0 {
				os.Link(pick(files), path)
			}
		case 6:
			if len(files) > 0 {
				os.Rename(pick(files), path)
			}
		case 7:
			if len(files) > 0 {
				os.Remove(pick(files))
			}
		default:
			content := []byte(strings.Repeat(pick([]string{"x", "tern ", "1"}), c.IntN(3)*c.IntN(250)) + "\n")
			if strings.HasSuffix(path, ".png") {
				content = []byte("\x89PNG\r\n\x1a\n" + string(content))
			}
			if info, err := os.Lstat(path); err == nil && !info.Mode().IsRegular() || os.WriteFile(path, content, 0o644) != nil {
				break
			}
			files = append(files, path)
			if c.IntN(8) == 0 {
				os.Truncate(path, 0)
			}
			if c.IntN(8) == 0 {
				os.Truncate(path, 1<<18)
			}
			os.Chmod(path, one(c.gen, os.FileMode(0o644), 0o644, 0o600, 0o755, 0o020|os.ModeSetuid, 0))
		}
		if c.IntN(4) == 0 {
			os.Lchown(path, 71001+c.IntN(2), 71001)
		}
		if c.IntN(2) == 0 {
			os.Chtimes(path, time.Time{}, time.Unix(one(c.gen, int64(asOf-3600), asOf-86400*7, asOf-400*86400, asOf+100, 1_000_000_000, 0), int64(c.IntN(2))*5e8))
		}
		if c.IntN(20) == 0 {
			unix.Lsetxattr(path, "user.note", []byte("x"), 0)
		}
	}
}

func (c *combination) note(path string, dirs, files *[]string) {
	switch info, err := os.Lstat(path); {
	case err != nil:
	case info.IsDir():
		*dirs = append(*dirs, path)
	case info.Mode().IsRegular():
		*files = append(*files, path)
	}
}

// may reports whether the one who asks has a right, by the permissions.
func (c *combination) may(st *unix.Stat_t, right uint32) bool {
	return c.reader == 0 || st.Mode&right != 0
}

// collect returns what is in a folder of the tree, at any depth, as far as it may be listed.
func (c *combination) collect(rel string) (things []*thing) {
	dir := filepath.Join(c.root, "t", rel)
	var in unix.Stat_t
	require.NoError(c, unix.Stat(dir, &in))
	list, err := os.ReadDir(dir)
	require.NoError(c, err)
	for _, d := range list {
		x := &thing{rel: strings.TrimPrefix(rel+"/"+d.Name(), "/"), known: c.may(&in, 1)}
		full := filepath.Join(dir, d.Name())
		require.NoError(c, unix.Lstat(full, &x.st))
		var more unix.Statx_t
		require.NoError(c, unix.Statx(unix.AT_FDCWD, full, unix.AT_SYMLINK_NOFOLLOW, unix.STATX_BTIME, &more))
		x.born = more.Btime
		x.open = x.known && c.may(&x.st, 4)
		x.enter = x.open && c.may(&x.st, 1)
		switch x.kind() {
		case "link":
			x.target, _ = os.Readlink(full)
			_, err := os.Stat(full)
			x.leads = err == nil
		case "file":
			x.content, err = os.ReadFile(full)
			require.NoError(c, err)
		case "folder":
			if x.open {
				things = append(things, c.collect(x.rel)...)
			}
		}
		things = append(things, x)
	}
	return things
}

// list keeps some paths in a list, some of them twice.
func (c *combination) list() *place {
	var things []*thing
	lines := ""
	for _, x := range c.after {
		if x.known && !strings.Contains(x.rel, "\n") && c.IntN(2) == 0 {
			things = append(things, x)
			lines += strings.Repeat("t/"+x.rel+"\n", 1+c.IntN(2))
		}
	}
	require.NoError(c, os.WriteFile(filepath.Join(c.home, "kept"), []byte(lines), 0o644))
	p := newPlace("t", things)
	p.words, p.list = []string{"@@" + c.home + "/kept"}, true
	p.all = c.after
	return p
}

// run runs the program as the one who asks.
func (c *combination) run(args ...string) result {
	c.asked++
	cmd := command(c.T, c.root, args...)
	cmd.Env = append(cmd.Env, "HOME="+c.home, "FRANK_LEDGER="+c.home+"/ledger", "TZ=UTC")
	if c.reader != 0 {
		cmd = stranger(cmd)
	}
	r := finish(c.T, cmd)
	require.Contains(c, []int{0, 1, 3}, r.status, "%q: %s", args, r.err)
	require.NotContains(c, r.err, "goroutine", args)
	return r
}

// reply is an answer in JSON.
type reply struct {
	Entries []map[string]any
	Summary map[string]any
	status  int
	line    string
}

func (r *reply) number(key string) int64 {
	n, is := r.Summary[key].(json.Number)
	if !is {
		return -1
	}
	value, _ := n.Int64()
	return value
}

// ask asks a command about a place, with a condition if there is one.
func (c *combination) ask(command []string, p *place, q *cond) *reply {
	args := slices.Concat(command[:1], p.words, command[1:], []string{"--as", "json", "--as-of", asOfWord})
	if !p.list {
		args = append(args, "--hidden", "show")
	}
	if q != nil {
		args = slices.Concat(args, []string{"where"}, q.words)
	}
	r := c.run(args...)
	a := &reply{status: r.status, line: fmt.Sprintf("%q", args)}
	decoder := json.NewDecoder(strings.NewReader(r.out))
	decoder.UseNumber()
	require.NoError(c, decoder.Decode(a), "%s: %s%s", a.line, r.out, r.err)
	return a
}

// rel is the path of a row from the place.
func (p *place) rel(row map[string]any) string {
	given, _ := row["path"].(string)
	if raw := row["path_base64"]; raw != nil {
		var bytes []byte
		json.Unmarshal([]byte(strconv.Quote(raw.(string))), &bytes)
		given = string(bytes)
	}
	return strings.TrimPrefix(strings.TrimPrefix(given, p.given), "/")
}

func (p *place) rels(rows []map[string]any) (rels []string) {
	for _, row := range rows {
		rels = append(rels, p.rel(row))
	}
	return rels
}

// alone asks about each test without a model by itself, and by its opposite.
func (c *combination) alone(p *place, q *cond) {
	for _, words := range q.opaque {
		key := strings.Join(words, " ") + "\x00"
		if len(p.things) == 0 {
			continue
		}
		if _, asked := p.alone[key+p.things[0].rel]; asked {
			continue
		}
		for _, x := range p.things {
			p.alone[key+x.rel] = unsure
		}
		so := c.ask([]string{"search", "--columns", "path"}, p, &cond{words: words})
		not := c.ask([]string{"search", "--columns", "path"}, p, &cond{words: slices.Concat([]string{"not", "("}, words, []string{")"})})
		for _, rel := range p.rels(so.Entries) {
			p.alone[key+rel] = yes
		}
		for _, rel := range p.rels(not.Entries) {
			require.NotEqual(c, yes, p.alone[key+rel], "%s meets %s and its opposite", rel, words)
			p.alone[key+rel] = no
		}
		left := int64(len(p.things) - len(so.Entries) - len(not.Entries))
		require.Equal(c, []int64{left, left}, []int64{so.number("unknown"), not.number("unknown")}, so.line)
	}
}

// choose returns what meets a condition, and of how much that is not known.
func (p *place) choose(q *cond) (chosen []*thing, unknown int64) {
	for _, x := range p.things {
		switch {
		case q == nil || q.holds(p, x) == yes:
			chosen = append(chosen, x)
		case q.holds(p, x) == unsure:
			unknown++
		}
	}
	return chosen, unknown
}

func rels(things []*thing) (list []string) {
	for _, x := range things {
		list = append(list, x.rel)
	}
	return list
}

// completeness holds what an answer says of itself against what it can be.
func (c *combination) completeness(a *reply, p *place, unknown int64) {
	assert.Equal(c, unknown, a.number("unknown"), a.line)
	assert.Equal(c, a.status == 3, a.Summary["complete"] == false, a.line)
	shut := slices.ContainsFunc(p.things, func(x *thing) bool { return x.kind() == "folder" && !x.open && !p.leaves(x) })
	things := p.things
	if p.chosen != nil || p.left != nil { // nor could it be known what is not in it
		things = c.before
	}
	blind := slices.ContainsFunc(things, func(x *thing) bool { return !x.known || !x.open })
	switch {
	case unknown > 0 || shut && !p.list:
		assert.Equal(c, 3, a.status, a.line)
	case !blind:
		assert.Zero(c, a.status, a.line)
	}
}

// sum holds sums in the summary against what they must be.
func (c *combination) sum(a *reply, p *place, chosen []*thing) {
	all := sums(chosen, p, func(*thing) []string { return []string{""} })[""]
	if all == nil {
		all = &sum{}
	}
	assert.Equal(c, all.entries, a.number("entries"), a.line)
	assert.Equal(c, all.files, a.number("files"), a.line)
	if all.sized || all.files == 0 {
		assert.Contains(c, []int64{all.size, -1}, a.number("size"), a.line) // where the sizes were asked for
	} else {
		assert.EqualValues(c, -1, a.number("size"), a.line)
	}
}

func (c *combination) search(p *place, q *cond) {
	chosen, unknown := p.choose(q)
	command := []string{"search", "--columns", "path,size,kind"}
	if c.IntN(2) == 0 {
		command = []string{"list", "--columns", "path,size,kind"}
		if !p.list {
			command = append(command, "--depth", "all")
		}
	}
	if c.IntN(2) == 0 {
		command = append(command, "--order", one(c.gen, "size", "modified", "name", "kind,size", "depth/reverse"))
	}
	a := c.ask(command, p, q)
	require.ElementsMatch(c, rels(chosen), p.rels(a.Entries), a.line)
	for _, row := range a.Entries {
		x := p.byRelative[p.rel(row)]
		if x.sized() {
			assert.Equal(c, fmt.Sprint(x.st.Size), fmt.Sprint(row["size"]), a.line)
		} else {
			assert.Nil(c, row["size"], a.line)
		}
	}
	c.completeness(a, p, unknown)
	c.sum(a, p, chosen)
	if form := one(c.gen, "csv", "jsonl", "markdown", ""); form != "" { // as many rows in every form
		args := slices.Concat([]string{"search"}, p.words, []string{"--as", form, "--columns", one(c.gen, "path", "path,size,owner", "inode,path,type"), "--as-of", asOfWord, "where"}, q.words)
		if !p.list {
			args = slices.Insert(args, 1, "--hidden", "show")
		}
		out := c.run(args...).out
		rows := strings.Count(out, "\n")
		switch form {
		case "csv":
			table, err := csv.NewReader(strings.NewReader(out)).ReadAll()
			require.NoError(c, err, "%q", args)
			rows = len(table) - 1
		case "markdown":
			rows = strings.Count(out, "\n| ") - 2 // the heading, and the line below it
		}
		assert.Equal(c, len(chosen), rows, "%q: %s", args, out)
	}
	if c.IntN(3) == 0 { // the same, said otherwise
		args := slices.Concat([]string{"search"}, p.words, []string{"--as", "paths0", "--as-of", asOfWord, "where"}, q.words)
		if !p.list {
			args = slices.Insert(args, 1, "--hidden", "show")
		}
		r := c.run(args...)
		var want []string
		for _, x := range chosen {
			want = append(want, p.path(x))
		}
		got := strings.Split(r.out, "\x00")
		require.ElementsMatch(c, want, got[:len(got)-1], "%q", args)
	}
}

// totals asks what is in folders, whatever is chosen.
func (c *combination) totals(p *place, q *cond) {
	if p.list {
		return
	}
	chosen, unknown := p.choose(q)
	a := c.ask([]string{"list", "--totals", "--depth", "all", "--columns", "path,size,kind"}, p, q)
	require.ElementsMatch(c, rels(chosen), p.rels(a.Entries), a.line)
	assert.Equal(c, unknown, a.number("unknown"), a.line)
	shown := map[string]bool{}
	for _, x := range chosen {
		shown[x.rel] = true
	}
	within := slices.DeleteFunc(slices.Clone(p.things), func(x *thing) bool {
		return !shown[x.rel] && !slices.ContainsFunc(everyFolder(x), func(rel string) bool { return shown[rel] })
	})
	all := sums(within, p, everyFolder)
	for _, row := range a.Entries {
		x := p.byRelative[p.rel(row)]
		if x.kind() != "folder" || !x.enter || p.leaves(x) {
			continue
		}
		s := all[x.rel]
		if s == nil {
			s = &sum{}
		}
		if s.sized || s.files == 0 {
			if !shutBelow(p, x) || s.sized {
				assert.Equal(c, fmt.Sprint(s.size), fmt.Sprint(row["size"]), "%s: %q", a.line, x.rel)
			}
		} else {
			assert.Nil(c, row["size"], "%s: %q", a.line, x.rel)
		}
	}
	if s := sums(within, p, func(*thing) []string { return []string{""} })[""]; s != nil && s.sized {
		assert.Equal(c, s.size, a.number("total_size"), a.line)
	}
	if len(chosen) > 0 {
		o := c.ask([]string{"outline", "--depth", "all"}, p, q)
		every := sums(p.things, p, everyFolder)[""]
		if every.sized {
			assert.Equal(c, fmt.Sprint(every.size), fmt.Sprint(o.Entries[0]["size"]), o.line)
		}
	}
}

// leaves reports whether what is in a folder was not looked at when it was recorded.
func (p *place) leaves(x *thing) bool { return p.left != nil && p.left(x.rel+"/x") }

// shutBelow reports whether something in a folder could not be read.
func shutBelow(p *place, folder *thing) bool {
	return slices.ContainsFunc(p.things, func(x *thing) bool {
		return x.kind() == "folder" && !x.open && strings.HasPrefix(x.rel+"/", folder.rel+"/")
	})
}

func (c *combination) tally(p *place, q *cond) {
	chosen, unknown := p.choose(q)
	by := one(c.gen, "kind", "ext", "folder", "depth", "owner", "hidden")
	if p.list && by == "depth" {
		by = "kind"
	}
	a := c.ask([]string{"tally", "--by", by}, p, q)
	want := sums(chosen, p, func(x *thing) []string {
		value, is := valueOf(p, x, by)
		if is != known {
			return []string{"none"}
		}
		return []string{fmt.Sprint("=", value)}
	})
	got := map[string]string{}
	for _, row := range a.Entries {
		key := "none"
		if row["key"] != nil {
			key = fmt.Sprint("=", row["key"])
			key = map[string]string{"=yes": "=true", "=no": "=false"}[key] + map[bool]string{true: "", false: key}[key == "=yes" || key == "=no"]
		}
		if raw, has := row["key_base64"]; has {
			var bytes []byte
			json.Unmarshal([]byte(strconv.Quote(raw.(string))), &bytes)
			key = "=" + string(bytes)
		}
		got[key] = fmt.Sprint(row["count"], " ", row["size"])
	}
	model := map[string]string{}
	for key, s := range want {
		size := fmt.Sprint(s.size)
		if s.files > 0 && !s.sized {
			size = "<nil>"
		}
		model[key] = fmt.Sprint(s.entries, " ", size)
	}
	require.Equal(c, model, got, a.line)
	assert.Equal(c, unknown, a.number("unknown"), a.line)
	c.sum(a, p, chosen)
}

func (c *combination) weigh(p *place, q *cond) {
	if p.list {
		c.weighListed(p, q)
		return
	}
	chosen, unknown := p.choose(q)
	a := c.ask([]string{"weigh", "--depth", "all"}, p, q)
	want := sums(chosen, p, everyFolder)
	for _, row := range a.Entries {
		if row["row"] == "rest" || row["row"] == "direct" {
			continue
		}
		rel := p.rel(row)
		s := want[rel]
		if s == nil {
			s = &sum{}
		}
		if s.sized {
			assert.Equal(c, fmt.Sprint(s.size), fmt.Sprint(row["size"]), "%s: %q", a.line, rel)
		} else if s.files > 0 {
			assert.Nil(c, row["size"], "%s: %q", a.line, rel)
		}
		if s.files > 0 {
			assert.Equal(c, fmt.Sprint(s.files), fmt.Sprint(row["files"]), "%s: %q", a.line, rel)
		}
		delete(want, rel)
	}
	for rel, s := range want {
		assert.Zero(c, s.files, "%s: %q is missing", a.line, rel)
	}
	c.completeness(a, p, unknown)
	c.sum(a, p, chosen)
}

// checksum asks for the digests of files.
func (c *combination) checksum(p *place, q *cond) {
	if p.list && slices.ContainsFunc(p.things, func(x *thing) bool { return x.kind() == "link" }) { // a link that is named is read for what it leads to
		return
	}
	chosen, undecided := p.choose(q)
	a := c.ask([]string{"checksum", "--algorithm", "sha256"}, p, q)
	want, missing := map[string]string{}, 0
	for _, x := range chosen {
		digest, is := valueOf(p, x, "sha256")
		switch {
		case is == known:
			want[x.rel] = digest.(string)
		case is == unknown:
			missing++
		}
	}
	got := map[string]string{}
	for _, row := range a.Entries {
		if row["digest"] != nil {
			got[p.rel(row)] = row["digest"].(string)
		}
	}
	require.Equal(c, want, got, a.line)
	assert.Equal(c, undecided, a.number("unknown"), a.line)
	if missing > 0 || undecided > 0 {
		assert.Equal(c, 3, a.status, a.line)
	}
}

// holds asks what one folder holds, by all commands that tell it.
func (c *combination) holds(p *place) {
	x := c.thing()
	if p.list || x.kind() != "folder" || !x.enter || p.leaves(x) || shutBelow(p, x) || p.chosen != nil {
		return
	}
	in := *p
	in.things = slices.DeleteFunc(slices.Clone(p.things), func(one *thing) bool { return !strings.HasPrefix(one.rel, x.rel+"/") })
	all := sums(in.things, p, func(*thing) []string { return []string{""} })[""]
	if all == nil {
		all = &sum{}
	}
	if all.files > 0 && !all.sized {
		return
	}
	in.words = append([]string{p.words[0] + "/" + x.rel}, p.words[1:]...)
	ask := func(words, where []string) *reply {
		args := slices.Concat(words[:1], in.words, words[1:], []string{"--as", "json"}, where)
		r := c.run(args...)
		a := &reply{line: fmt.Sprintf("%q", args)}
		decoder := json.NewDecoder(strings.NewReader(r.out))
		decoder.UseNumber()
		require.NoError(c, decoder.Decode(a), "%s: %s%s", a.line, r.out, r.err)
		return a
	}
	inspected := ask([]string{"inspect"}, nil)
	holds := inspected.Entries[0]["holds"].(map[string]any)
	assert.Equal(c, fmt.Sprint(all.entries, " ", all.files, " ", all.size), fmt.Sprint(holds["entries"], " ", holds["files"], " ", holds["size"]), inspected.line)
	for _, words := range [][]string{{"list", "--totals", "--depth", "all"}, {"outline"}, {"weigh"}, {"tally"}, {"search"}} {
		var where []string
		if words[0] == "search" {
			where = []string{"where", "depth", "at", "least", "0"}
		}
		a := ask(append(words, "--hidden", "show"), where)
		assert.Equal(c, fmt.Sprint(all.entries, " ", all.files), fmt.Sprint(a.number("entries"), " ", a.number("files")), a.line)
		assert.Contains(c, []int64{all.size, -1}, a.number("size"), a.line)
	}
}

// weighListed asks what all comes to that is on a list and in the folders on it.
func (c *combination) weighListed(p *place, q *cond) {
	if slices.ContainsFunc(q.words, func(word string) bool { return slices.Contains([]string{"path", "folder", "depth"}, word) }) { // which are from each place
		return
	}
	all := newPlace(p.given, nil)
	all.words, all.all, all.alone = p.words, c.after, p.alone
	for _, x := range c.after {
		in := slices.ContainsFunc(everyFolder(x), func(rel string) bool { return p.byRelative[rel] != nil && rel != "" })
		if in || p.byRelative[x.rel] != nil && x.kind() != "folder" {
			all.things = append(all.things, x)
		}
	}
	if len(q.opaque) > 0 { // they were asked of what is on the list alone
		return
	}
	chosen, unknown := all.choose(q)
	a := c.ask([]string{"weigh", "--depth", "all"}, p, q)
	assert.Equal(c, unknown, a.number("unknown"), a.line)
	c.sum(a, all, chosen)
}

// twoSides holds what was recorded against what is there now.
func (c *combination) twoSides(a, b *place) {
	c.things = append(slices.Clone(a.things), b.things...)
	if len(a.things) == 0 || len(b.things) == 0 || a.chosen != nil && len(a.chosen.opaque) > 0 {
		return
	}
	var q *cond
	if c.IntN(4) > 0 {
		for q = c.cond(c.IntN(3)); len(q.opaque) > 0; {
			q = c.cond(c.IntN(3))
		}
	}
	meets := func(p *place, x *thing) verdict {
		switch {
		case x == nil:
			return no
		case q == nil:
			return yes
		}
		return q.holds(p.within(), x)
	}
	shut := func(p *place, rel string) bool { // not known what is there
		return slices.ContainsFunc(everyFolder(&thing{rel: rel}), func(up string) bool { return up != "" && p.byRelative[up] != nil && !p.byRelative[up].open })
	}
	var differ []string
	unread := map[string]bool{}
	sides := [2][]*thing{}
	undecided, unclear := int64(0), int64(0)
	for rel := range union(a.byRelative, b.byRelative) {
		x, y := a.byRelative[rel], b.byRelative[rel]
		m, n := meets(a, x), meets(b, y)
		switch {
		case x == nil && a.left != nil && a.left(rel):
			continue
		case x != nil && y == nil && shut(b, rel), y != nil && x == nil && shut(a, rel):
			continue
		case x == nil && a.chosen != nil && y.kind() != "folder":
			held := a.chosen.holds(b.within(), y)
			switch {
			case held == no || n == no:
			case n == unsure:
				undecided++
			case held == unsure || !lasting(a.chosen):
				unclear++
				differ = append(differ, rel)
			default:
				differ = append(differ, rel)
				sides[1] = append(sides[1], y)
			}
			continue
		case m != yes && n != yes:
			if (m == unsure || n == unsure) && !(x != nil && y != nil && m != n && alike(x, y)) {
				undecided++
			}
			continue
		}
		if x != nil {
			sides[0] = append(sides[0], x)
		}
		if y != nil {
			sides[1] = append(sides[1], y)
		}
		switch {
		case x != nil && y != nil && a.digests && x.kind() == "file" && y.kind() == "file" && x.open && !y.open && x.st.Size == y.st.Size: // its content may have to be read to tell
			unread[rel] = true
		case x == nil || y == nil || x.known && y.known && differs(x, y, a):
			differ = append(differ, rel)
		}
	}
	answer := c.ask(slices.Concat([]string{"compare"}, b.words), &place{words: a.words}, q)
	got := []string{}
	for _, row := range answer.Entries {
		got = append(got, (&place{}).rel(map[string]any{"path": row["way"], "path_base64": row["way_base64"]}))
		if row["change"] == "moved" {
			from := (&place{given: a.given}).rel(map[string]any{"path": row["from"], "path_base64": row["from_base64"]})
			got = append(got, from)
		}
	}
	slices.Sort(got)
	got = slices.DeleteFunc(slices.Compact(got), func(rel string) bool { return unread[rel] })
	slices.Sort(differ)
	moved := answer.number("moved") > 0
	if !moved {
		require.ElementsMatch(c, differ, got, answer.line)
	} else {
		require.Subset(c, got, differ, answer.line)
	}
	renamed := slices.ContainsFunc(a.things, func(x *thing) bool {
		return b.byRelative[x.rel] == nil && slices.ContainsFunc(b.things, func(y *thing) bool { return a.byRelative[y.rel] == nil && x.st.Ino == y.st.Ino })
	})
	if q != nil && !moved && !renamed {
		assert.Equal(c, undecided > 0 || unclear > 0, answer.Summary["complete"] == false && (undecided > 0 || unclear > 0), answer.line)
	}
	for _, command := range [][]string{{"weigh", "--since", a.words[0]}, {"tally", "--by", "kind", "--since", a.words[0]}} {
		if len(a.words) > 1 {
			command = append(command, a.words[1:]...)
		}
		answer := c.ask(command, b, q)
		for i, key := range []string{"before", "now"} {
			s := sums(sides[i], []*place{a, b}[i], func(*thing) []string { return []string{""} })[""]
			if s == nil {
				s = &sum{}
			}
			if s.sized && s.whole {
				assert.Contains(c, []int64{s.size, -1}, answer.number(key), "%s: %s", answer.line, key)
			}
		}
		if q != nil {
			assert.Equal(c, undecided, answer.number("unknown"), answer.line)
		}
	}
}

func union(a, b map[string]*thing) map[string]bool {
	all := map[string]bool{}
	for rel := range a {
		all[rel] = true
	}
	for rel := range b {
		all[rel] = true
	}
	return all
}

// lasting reports whether it is settled by name and kind whether something meets a condition.
func lasting(q *cond) bool {
	for i, word := range q.words {
		if slices.Contains([]string{"target", "type", "size", "disk", "links", "inode", "uid", "gid", "owner", "mode", "modified", "changed", "created", "age", "empty", "hidden", "broken", "sparse", "sha256", "md5"}, word) && (i == 0 || slices.Contains([]string{"and", "or", "not", "("}, q.words[i-1])) {
			return false
		}
	}
	return true
}

// alike reports whether nothing tells that an entry has changed.
func alike(x, y *thing) bool {
	return x.known && y.known && x.kind() == y.kind() && x.st.Mtim == y.st.Mtim && (x.kind() != "file" || x.st.Size == y.st.Size)
}

// differs reports whether compare has to tell of a pair.
func differs(x, y *thing, a *place) bool {
	file := x.kind() == "file" && y.kind() == "file"
	return x.kind() != y.kind() || file && (x.st.Size != y.st.Size || x.st.Mtim != y.st.Mtim) || x.kind() == "link" && x.target != y.target ||
		x.kind() != "link" && x.st.Mode&0o7777 != y.st.Mode&0o7777 || x.st.Uid != y.st.Uid || x.st.Gid != y.st.Gid || file && a.record && string(x.content) != string(y.content) && x.open && y.open && a.digests
}
