package cli_test

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/internal/testpg"
)

// machine is one of a fleet: a name, a login of its own, and a tree whose files the test made.
type machine struct {
	name, root, ledger string
	files              map[string]string // content, by path
}

// named has a command run on a machine of that name.
func (m *machine) command(t *testing.T, args ...string) *exec.Cmd {
	cmd := command(t, m.root, args...)
	cmd.Args = append([]string{"unshare", "--uts", "sh", "-c", `echo "$0" >/proc/sys/kernel/hostname && exec "$@"`, m.name, frank}, args...)
	var err error
	cmd.Path, err = exec.LookPath("unshare")
	require.NoError(t, err)
	cmd.Env = append(cmd.Env, "FRANK_LEDGER="+m.ledger)
	return cmd
}

// change adds, alters and removes some files.
func (m *machine) change(t *testing.T, random *rand.Rand) {
	for range 12 {
		path := fmt.Sprintf("d%d/f%d.%s", random.IntN(4), random.IntN(9), []string{"conf", "log"}[random.IntN(2)])
		if random.IntN(4) == 0 {
			delete(m.files, path)
			os.Remove(filepath.Join(m.root, path))
			continue
		}
		m.files[path] = strings.Repeat(string(rune('a'+random.IntN(3))), 1+random.IntN(40))
		require.NoError(t, os.MkdirAll(filepath.Join(m.root, filepath.Dir(path)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(m.root, path), []byte(m.files[path]), 0o644))
	}
}

// fleetOn makes machines that may record into a database.
func fleetOn(t *testing.T, database string, names ...string) (fleet []*machine) {
	if os.Geteuid() != 0 {
		t.Skip("machines with names of their own take root")
	}
	u, err := url.Parse(database)
	require.NoError(t, err)
	for _, name := range names {
		statement(t, database, "DO $$ BEGIN CREATE ROLE "+name+" LOGIN; EXCEPTION WHEN duplicate_object THEN END $$")
		r := run(t, "/", "ledger", "admit", name, "--as", name, "--ledger", database)
		require.Zero(t, r.status, r.err)
		own := *u
		own.User = url.User(name)
		m := &machine{name: name, root: filepath.Join(t.TempDir(), "srv"), ledger: own.String(), files: map[string]string{}}
		require.NoError(t, os.Mkdir(m.root, 0o755))
		fleet = append(fleet, m)
	}
	return fleet
}

func statement(t *testing.T, database, text string) {
	conn, err := pgconn.Connect(t.Context(), database)
	require.NoError(t, err)
	defer conn.Close(context.Background())
	require.NoError(t, conn.Exec(t.Context(), text).Close(), text)
}

// record has all machines record at once.
func recordAll(t *testing.T, fleet []*machine) {
	var group sync.WaitGroup
	for _, m := range fleet {
		cmd := m.command(t, "record", m.root, "--label", "srv", "--checksum", "sha256")
		group.Go(func() {
			out, err := cmd.CombinedOutput()
			assert.NoError(t, err, string(out))
		})
	}
	group.Wait()
}

// answered asks on one machine about all, and returns the rows of the answer.
func answered(t *testing.T, database string, wantStatus int, args ...string) (rows []map[string]any, told string) {
	cmd := command(t, "/", append(args, "--as", "json")...)
	cmd.Env = append(cmd.Env, "FRANK_LEDGER="+database)
	r := finish(t, cmd)
	require.Equal(t, wantStatus, r.status, "%v: %s", args, r.err)
	var answer struct{ Entries []map[string]any }
	require.NoError(t, json.Unmarshal([]byte(r.out), &answer), r.out)
	return answer.Entries, r.err
}

// asked checks answers about a fleet against what the test knows of each tree.
func asked(t *testing.T, database string, fleet []*machine, status int) (told string) {
	// Which machines have which files?
	var want, got []string
	for _, m := range fleet {
		for path, content := range m.files {
			want = append(want, fmt.Sprint(m.name, " ", path, " ", len(content)))
		}
	}
	rows, told := answered(t, database, status, "search", "@srv", "--host", "all", "--columns", "host,path,size", "where", "kind", "is", "file")
	for _, row := range rows {
		path := strings.TrimPrefix(row["path"].(string), "@srv@"+row["host"].(string)+"/")
		got = append(got, fmt.Sprint(row["host"], " ", path, " ", row["size"]))
	}
	assert.ElementsMatch(t, want, got)
	// The same with few matches, which are found by summaries.
	want, got = nil, nil
	for _, m := range fleet {
		if content, has := m.files["d1/f3.conf"]; has {
			want = append(want, fmt.Sprint(m.name, len(content)))
		}
	}
	rows, _ = answered(t, database, status, "search", "@srv", "--host", "all", "--columns", "host,size", "where", "path", "is", "d1/f3.conf")
	for _, row := range rows {
		got = append(got, fmt.Sprint(row["host"], row["size"]))
	}
	assert.ElementsMatch(t, want, got)
	// Which have which version of a file?
	versions := map[string]int{}
	for _, m := range fleet {
		if content, has := m.files["d2/f2.log"]; has {
			sum := sha256.Sum256([]byte(content))
			versions[hex.EncodeToString(sum[:])]++
		}
	}
	rows, _ = answered(t, database, status, "tally", "@srv", "--host", "all", "--by", "sha256", "where", "path", "is", "d2/f2.log")
	counted := map[string]int{}
	for _, row := range rows {
		counted[row["key"].(string)] = int(row["count"].(float64))
	}
	assert.Equal(t, versions, counted)
	// What is there more than once?
	contents := map[string]int{}
	for _, m := range fleet {
		for _, content := range m.files {
			contents[content]++
		}
	}
	spares := 0
	for _, n := range contents {
		spares += n - 1
	}
	rows, _ = answered(t, database, status, "duplicates", "@srv", "--host", "all", "--folders", "omit")
	for _, row := range rows {
		spares -= len(row["copies"].([]any)) - 1
	}
	assert.Zero(t, spares)
	// What differs between two?
	a, b := fleet[0], fleet[1]
	want, got = nil, nil
	for path, content := range a.files {
		switch other, has := b.files[path]; {
		case !has:
			want = append(want, "removed "+path)
		case other != content:
			want = append(want, "altered "+path)
		}
	}
	for path := range b.files {
		if _, had := a.files[path]; !had {
			want = append(want, "added "+path)
		}
	}
	rows, _ = answered(t, database, min(1, len(want)), "compare", "@srv", "--host", a.name+","+b.name, "where", "kind", "is", "file")
	for _, row := range rows {
		if row["change"] == "moved" { // the same content has gone from one path and come to another
			for _, one := range []string{"removed " + strings.TrimPrefix(row["from"].(string), "@srv@"+a.name+"/"), "added " + row["way"].(string)} {
				assert.Contains(t, want, one)
				want = slices.DeleteFunc(want, func(other string) bool { return other == one })
			}
			continue
		}
		rel := row["way"]
		if rel == nil { // it is only in the first
			rel = strings.TrimPrefix(row["from"].(string), "@srv@"+a.name+"/")
		}
		if row["change"] == "details" { // of the same content
			assert.Equal(t, a.files[rel.(string)], b.files[rel.(string)])
			continue
		}
		got = append(got, fmt.Sprint(row["change"], " ", rel))
	}
	assert.ElementsMatch(t, want, got)
	return told
}

// fleetGrew checks how much each machine's files grew since before, by what the test knows of each tree: files
// that are longer than 20 bytes, before or now.
func fleetGrew(t *testing.T, database string, fleet []*machine, before map[string]map[string]string) {
	var want, got []string
	for _, m := range fleet {
		was, is := 0, 0
		paths := maps.Clone(before[m.name])
		maps.Copy(paths, m.files)
		for path := range paths {
			if a, b := len(before[m.name][path]), len(m.files[path]); a > 20 || b > 20 {
				was, is = was+a, is+b
			}
		}
		want = append(want, fmt.Sprint(m.name, " ", was, " ", is))
	}
	rows, _ := answered(t, database, 0, "tally", "@srv", "--since", "@srv:1", "--host", "all", "--by", "host", "where", "size", "over", "20", "B")
	for _, row := range rows {
		got = append(got, fmt.Sprint(row["key"], " ", row["before"], " ", row["now"]))
	}
	assert.ElementsMatch(t, want, got)
}

// Twelve machines record into one ledger at once, and what is asked about all of them is answered as the test saw
// their trees. One was away for a week, and sends what it recorded then.
func TestFleet(t *testing.T) {
	t.Parallel()
	takesLong(t)
	database := testpg.Database(t)
	require.Zero(t, run(t, "/", "ledger", "prepare", database).status)
	var names []string
	for i := range 12 {
		names = append(names, fmt.Sprintf("m%02d", i+1))
	}
	fleet := fleetOn(t, database, names...)
	random := rand.New(rand.NewPCG(1, 2))
	away, local := fleet[3], filepath.Join(t.TempDir(), "ledger")
	before := map[string]map[string]string{}
	for round := range 3 {
		for _, m := range fleet {
			before[m.name] = maps.Clone(m.files)
			m.change(t, random)
		}
		cmd := away.command(t, "record", away.root, "--label", "srv", "--checksum", "sha256", "--ledger", local)
		require.Zero(t, finish(t, cmd).status, round)
		recordAll(t, slices.DeleteFunc(slices.Clone(fleet), func(m *machine) bool { return m == away }))
	}
	sent := finish(t, away.command(t, "ledger", "send", "--ledger", local, "--to", away.ledger))
	require.Zero(t, sent.status, sent.err)
	assert.Contains(t, sent.out, "3 records sent")
	asked(t, database, fleet, 0)
	fleetGrew(t, database, fleet, before)

	// A machine sees itself alone, and no more than it is admitted to.
	r := finish(t, fleet[5].command(t, "search", "@srv", "--host", "all", "where", "kind", "is", "file", "--as", "paths"))
	require.Zero(t, r.status, r.err)
	assert.Equal(t, len(fleet[5].files), strings.Count(r.out, "\n"))
	assert.NotContains(t, r.out, "@srv@m01")
	r = finish(t, fleet[5].command(t, "list", "@srv@m01"))
	assert.Equal(t, 2, r.status)

	hostile(t, database, fleet)
}

// hostile has one more machine write whatever it can, and holds that the answers about the others are
// right, and say whose record is damaged.
func hostile(t *testing.T, database string, fleet []*machine) {
	evil := fleetOn(t, database, "evil")[0]
	conn, err := pgconn.Connect(t.Context(), evil.ledger)
	require.NoError(t, err)
	defer conn.Close(context.Background())
	delta := func(entries ...encoding.Recorded) encoding.Delta {
		var p encoding.Packer
		for i := range entries {
			entries[i].Pack(&p)
		}
		return p.Delta().Clone()
	}
	named := func(kind entry.Kind, name string) encoding.Recorded {
		return encoding.Recorded{Entry: entry.Entry{Name: name, Kind: kind, Known: entry.FactStatus}, Entered: kind == entry.KindFolder}
	}
	segment := func(do func(w *encoding.SegmentWriter)) encoding.Segment {
		var made encoding.Segment
		w := &encoding.SegmentWriter{Write: func(_ context.Context, s encoding.Segment) error {
			made = encoding.Segment{Folders: slices.Clone(s.Folders), Names: slices.Clone(s.Names), Facts: slices.Clone(s.Facts)}
			return nil
		}}
		do(w)
		w.Flush(t.Context())
		return made
	}
	folder := func(w *encoding.SegmentWriter, number, parent uint64, name string, entries ...encoding.Recorded) {
		w.Add(t.Context(), &encoding.FolderVersion{Number: number, Fresh: true, Parent: parent, Name: name, HasDelta: true}, delta(entries...))
	}
	root := func(entries ...encoding.Recorded) encoding.Segment {
		return segment(func(w *encoding.SegmentWriter) { folder(w, 1, 0, "", entries...) })
	}
	// A million names of 4000 bytes each, which have all of them in common; see docs/ledger-format.md.
	bomb := encoding.Segment{Names: append([]byte{0, 0xa0, 0x1f}, strings.Repeat("n", 4000)+string(byte(entry.KindFile))...)}
	for len(bomb.Names) < 4_000_000 {
		bomb.Names = append(bomb.Names, 0xa0, 0x1f, 0, byte(entry.KindFile))
	}
	bomb.Folders = binary.AppendUvarint([]byte{3, 1, 0, 0}, uint64(len(bomb.Names)))
	bomb.Folders = append(append(bomb.Folders, 0), make([]byte, 2*len(encoding.Hash{}))...)
	text := func(s string) []byte { return []byte(s) }
	status, has := 3, false // of its newest record under this label; it has none yet
	for name, c := range map[string]struct {
		sheet encoding.Segment
		terms string
		count string
		label []byte
	}{
		"terms that are none":   {root(named(entry.KindLink, "a")), "{", "1", text("srv")},
		"bytes without meaning": {encoding.Segment{Folders: text("\x03\xff\xff\xff\xff\xff\xff\xff\xff\x7f"), Names: text("x"), Facts: text("y")}, "[]", "1", text("srv")},
		"a folder in itself": {segment(func(w *encoding.SegmentWriter) {
			folder(w, 1, 0, "", named(entry.KindFolder, "x"))
			folder(w, 1, 1, "x", named(entry.KindFolder, "x"))
		}), "[]", "1", text("srv")},
		"folders that are in several": {segment(func(w *encoding.SegmentWriter) {
			for i := range uint64(60) {
				folder(w, i+1, i, "a", named(entry.KindFolder, "a"), named(entry.KindFolder, "b"))
				w.Add(t.Context(), &encoding.FolderVersion{Number: i + 1, Fresh: true, Parent: i, Name: "b"}, encoding.Delta{})
			}
		}), "[]", "1", text("srv")},
		"a name that leads elsewhere": {root(named(entry.KindFile, "../../root/.profile")), "[]", "1", text("srv")},
		"very many entries, it says":  {root(named(entry.KindLink, "d1-f3.conf")), "[]", "1125899906842624", text("srv")},
		"names that fill the memory":  {bomb, "[]", "1", text("srv")},
		"a label to upset screens":    {root(named(entry.KindLink, "\x1b[2Jx")), "[]", "1", text("s\x1b[2J\n")},
	} {
		do := func(statement string, values ...[]byte) []byte {
			answer := conn.ExecParams(t.Context(), statement, values, nil, slices.Repeat([]int16{1}, len(values)), nil).Read()
			require.NoError(t, answer.Err, "%s: %s", name, statement)
			if len(answer.Rows) > 0 {
				return answer.Rows[0][0]
			}
			return nil
		}
		n := string(do("SELECT frank.take_number('evil', 0)"))
		do("BEGIN")
		do("SELECT frank.change('evil', NULL)")
		place := string(do("SELECT frank.begin_place('evil', convert_to('/srv/" + n + "', 'UTF8'))"))
		do("INSERT INTO frank.sheet (place, record, layer, n, folders, names, facts) VALUES ("+place+", "+n+", false, 0, $1, $2, $3)", c.sheet.Folders, c.sheet.Names, append([]byte{}, c.sheet.Facts...))
		do("INSERT INTO frank.record (place, number, token, label, taken, note, terms, algorithm, entries, bytes, unsized, problems, seal, self, turn) VALUES ("+place+", "+n+", '', $1, 0, '', $2, '', "+c.count+", 0, 0, 0, decode(repeat('00', "+fmt.Sprint(len(encoding.Hash{}))+"), 'hex'), '', "+n+")", c.label, text(c.terms))
		do("COMMIT")

		has = has || string(c.label) == "srv"
		switch {
		case string(c.label) != "srv":
		case strings.Contains(name, "it says"):
			status = 0
		default:
			status = 3
		}
		if told := asked(t, database, fleet, status); status != 0 && has {
			assert.Contains(t, told, "@srv@evil", name)
		}
		cmd := command(t, "/", "tally", "@*", "--host", "all", "--by", "host")
		cmd.Env = append(cmd.Env, "FRANK_LEDGER="+database)
		r := started(t, cmd)
		assert.NotContains(t, r.out+r.err, "\x1b[2J", name)
		assert.Less(t, cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss, int64(800<<10), name) // KiB
	}
	cmd := command(t, "/", "ledger", "check", "--host", "all")
	cmd.Env = append(cmd.Env, "FRANK_LEDGER="+database)
	r := finish(t, cmd)
	assert.Equal(t, 4, r.status)
	for line := range strings.SplitSeq(strings.TrimSpace(r.err), "\n") {
		if !strings.Contains(line, "is damaged: ") || strings.Contains(line, "record ") {
			assert.Contains(t, line, " of evil", "and nobody else")
		}
	}
}
