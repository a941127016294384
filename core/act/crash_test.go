package act_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/act"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// errKilled is what stands in for a program that is killed.
var errKilled = errors.New("killed")

// crashing carries a plan out until just before a step, or just after it and
// before that is closed, and returns a copy of the journal as it was then.
func crashing(t *testing.T, c *act.Carrier, plan *act.Plan, step int, after bool) act.Journals {
	seen := 0
	c.Ask = func(*act.Step) act.Answer {
		if seen++; seen == step+1 && !after {
			panic(errKilled)
		}
		return act.Yes
	}
	c.Tell = func(o act.Outcome) {
		assert.NoError(t, o.Err)
		if seen == step+1 && after {
			panic(errKilled)
		}
	}
	func() {
		defer func() { require.Equal(t, errKilled, recover()) }()
		c.CarryOut(context.Background(), plan)
	}()
	c.Ask, c.Tell = nil, nil
	numbers, err := c.Journals.Numbers()
	require.NoError(t, err)
	require.Len(t, numbers, 1)
	name := fmt.Sprintf("%06d.jsonl", numbers[0])
	content, err := os.ReadFile(filepath.Join(c.Journals.Folder, name))
	require.NoError(t, err)
	copied := act.Journals{Folder: t.TempDir()} // the file itself is still locked
	require.NoError(t, os.WriteFile(filepath.Join(copied.Folder, name), content, 0o600))
	return copied
}

// Killed between any two steps, or within one, the journal, what is there and
// undo agree: all that was done is taken back, and nothing else is touched.
func TestCrashAtEveryStep(t *testing.T) {
	moment := exact.Time{Sec: 1_700_000_000}
	for _, action := range []act.Action{act.Hide, act.Move, act.Remove, act.Stamp, act.Permit} {
		for step := range 4 {
			for _, after := range []bool{false, true} {
				folder := t.TempDir()
				root := filepath.Join(folder, "tree")
				grow(t, rand.New(rand.NewPCG(9, 9)), root)
				before := state(t, root)
				planner := &act.Planner{Action: action, Host: "h", Options: act.Options{Into: exact.Text(filepath.Join(folder, "into")), Modified: &moment, Mode: "0444", Number: true}}
				plan, err := planner.Plan(context.Background(), found(t, root, func(e *entry.Entry) bool { return e.Kind == entry.KindFile && e.Depth() < 3 }))
				require.NoError(t, err)
				require.Greater(t, plan.Totals().Steps, 4)
				c := carrier(folder)
				c.Journals = crashing(t, c, plan, step, after)
				past, err := c.Journals.Read(1)
				require.NoError(t, err)
				assert.False(t, past.Ended)
				assert.Equal(t, "broken off", past.Word())
				undone, err := c.Undo(context.Background(), 1, "h")
				require.NoError(t, err)
				done := step
				if after {
					done++
				}
				assert.Equal(t, act.Undoing{Undone: done}, undone, "%s %d %v", action, step, after)
				now := state(t, root)
				for path, line := range before { // of folders, the times could not be noted
					if !isFolder(filepath.Join(root, path)) {
						assert.Equal(t, line, now[path], "%s %d %v %q", action, step, after, path)
					}
				}
				assert.Len(t, now, len(before))
			}
		}
	}
}

func isFolder(path string) bool {
	info, err := os.Lstat(path)
	return err == nil && info.IsDir()
}

// A journal that was cut short anywhere is read as far as it goes: before all
// steps are there nothing was done, and after that what is cut is looked at.
func TestJournalCutShort(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	require.NoError(t, os.MkdirAll(root, 0o755))
	for _, name := range []string{"a", "b\xff", "c"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), nil, 0o644))
	}
	planner := &act.Planner{Action: act.Hide, Host: "h"}
	plan, err := planner.Plan(context.Background(), found(t, root, func(*entry.Entry) bool { return true }))
	require.NoError(t, err)
	c := carrier(folder)
	_, err = c.CarryOut(context.Background(), plan)
	require.NoError(t, err)
	whole, err := os.ReadFile(filepath.Join(folder, "journal/000001.jsonl"))
	require.NoError(t, err)
	steps := strings.LastIndex(string(whole), `{"step"`)
	steps += strings.Index(string(whole[steps:]), "\n") + 1
	for length := range len(whole) {
		cut := act.Journals{Folder: t.TempDir()}
		require.NoError(t, os.WriteFile(filepath.Join(cut.Folder, "000001.jsonl"), whole[:length], 0o600))
		past, err := cut.Read(1)
		if length < steps {
			assert.Error(t, err, length)
			continue
		}
		require.NoError(t, err, length)
		require.Len(t, past.Steps, 3)
		if length%7 > 0 {
			continue
		}
		c.Journals = cut
		_, err = c.Undo(context.Background(), 1, "h")
		require.NoError(t, err)
		for _, name := range []string{"a", "b\xff", "c"} { // what the journal has not, undo does not do
			_, plain := os.Lstat(filepath.Join(root, name))
			_, hidden := os.Lstat(filepath.Join(root, "."+name))
			assert.True(t, (plain == nil) != (hidden == nil), name)
			if plain == nil {
				require.NoError(t, os.Rename(filepath.Join(root, name), filepath.Join(root, "."+name)))
			}
		}
	}
	newer := act.Journals{Folder: t.TempDir()}
	require.NoError(t, os.WriteFile(filepath.Join(newer.Folder, "000001.jsonl"), []byte(strings.Replace(string(whole), `"version":1`, `"version":2`, 1)), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(newer.Folder, "000007.jsonl"), whole, 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(newer.Folder, "notes.txt"), nil, 0o600))
	_, err = newer.Read(1)
	assert.ErrorIs(t, err, act.ErrPlanNewer)
	numbers, err := newer.Numbers()
	require.NoError(t, err)
	assert.Equal(t, []int64{1, 7}, numbers)
	c.Journals = act.Journals{Folder: filepath.Join(folder, "none")}
	numbers, err = c.Journals.Numbers()
	require.NoError(t, err)
	assert.Empty(t, numbers)
	_, err = c.Undo(context.Background(), 5, "h")
	assert.ErrorIs(t, err, act.ErrNoJournal)
}

// While a journal is being written, nobody else undoes it.
func TestJournalBusy(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	require.NoError(t, os.MkdirAll(root, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(root, "a"), nil, 0o644))
	planner := &act.Planner{Action: act.Hide, Host: "h"}
	plan, err := planner.Plan(context.Background(), found(t, root, func(*entry.Entry) bool { return true }))
	require.NoError(t, err)
	c := carrier(folder)
	c.Ask = func(*act.Step) act.Answer {
		_, err := carrier(folder).Undo(context.Background(), 1, "h")
		assert.ErrorIs(t, err, act.ErrBusy)
		return act.Stop
	}
	result, err := c.CarryOut(context.Background(), plan)
	require.NoError(t, err)
	assert.Equal(t, act.Result{Journal: 1, Stopped: true}, result)
}

// A plan says the same when it was written and read, whatever names there are,
// and is checked before it is carried out.
func TestPlanAsJSON(t *testing.T) {
	step := &act.Step{Path: "/a\xff \"b\"\n", Kind: "folder", Inode: 1 << 63, Device: 7, Size: -1, Modified: exact.Time{Sec: -5, Nsec: 7}, Accessed: exact.Time{Sec: 1 << 40, Nsec: 999_999_999},
		Mode: "0755", Holds: &act.Holds{Entries: 3, Size: 9, Newest: exact.Time{Sec: 4}}, To: "/é", NewMode: "0644", Refused: "why"}
	plan := &act.Plan{Version: 1, Action: act.Move, Host: "h\xff", Options: act.Options{Into: "/\xfe"}, Steps: []*act.Step{step, {Path: "/x"}}}
	var text bytes.Buffer
	require.NoError(t, plan.WriteJSON(&text))
	back, err := act.ReadPlan(text.Bytes())
	require.NoError(t, err)
	assert.Equal(t, plan, back)
	var document struct{ Steps []map[string]any }
	require.NoError(t, json.Unmarshal(text.Bytes(), &document), "others can read it too")
	assert.Equal(t, "/a\ufffd \"b\"\n", document.Steps[0]["path"])
	assert.Equal(t, "4.000000000", document.Steps[0]["holds"].(map[string]any)["newest"])
	assert.NotContains(t, document.Steps[1], "holds")

	good := func() *act.Plan {
		return &act.Plan{Version: 1, Action: act.Hide, Host: "h", Steps: []*act.Step{{Path: "/a", To: "/.a"}}}
	}
	require.NoError(t, good().Check("h"))
	for name, spoil := range map[string]func(p *act.Plan){
		"another host":   func(p *act.Plan) { p.Host = "other" },
		"newer":          func(p *act.Plan) { p.Version = 2 },
		"none":           func(p *act.Plan) { p.Version = 0 },
		"no path":        func(p *act.Plan) { p.Steps[0].Path = "a" },
		"no step":        func(p *act.Plan) { p.Steps[0] = nil },
		"nowhere":        func(p *act.Plan) { p.Steps[0].To = "a" },
		"a command":      func(p *act.Plan) { p.Action = act.Run },
		"another action": func(p *act.Plan) { p.Action = "burn" },
	} {
		p := good()
		spoil(p)
		assert.Error(t, p.Check("h"), name)
	}
	// A step that was edited to lead elsewhere is refused where it would overwrite.
	folder := t.TempDir()
	for _, name := range []string{"a", "b"} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(name), 0o644))
	}
	planner := &act.Planner{Action: act.Hide, Host: "h"}
	plan, err = planner.Plan(context.Background(), found(t, folder, func(e *entry.Entry) bool { return e.Name == "a" }))
	require.NoError(t, err)
	plan.Steps[0].To = exact.Text(filepath.Join(folder, "b"))
	result, err := carrier(t.TempDir()).CarryOut(context.Background(), plan)
	require.NoError(t, err)
	assert.Equal(t, 1, result.Failed)
	content, err := os.ReadFile(filepath.Join(folder, "b"))
	require.NoError(t, err)
	assert.Equal(t, "b", string(content))
}

// A plan is one document, however many cores wrote it, with the steps in order.
func TestPlanInOneDocument(t *testing.T) {
	for _, count := range []int{0, 1, 3, 4096, 20_000} {
		plan := &act.Plan{Version: 1, Action: act.Move, Host: "tern-point", Options: act.Options{Into: "/in<to>"}}
		for i := range count {
			plan.Steps = append(plan.Steps, &act.Step{Path: exact.Text(fmt.Sprint("/", i)), Kind: "file"})
		}
		var out bytes.Buffer
		require.NoError(t, plan.WriteJSON(&out))
		var back act.Plan
		require.NoError(t, json.Unmarshal(out.Bytes(), &back), count)
		require.Len(t, back.Steps, count)
		for i, s := range back.Steps {
			require.Equal(t, plan.Steps[i], s)
		}
		assert.Equal(t, plan.Options, back.Options)
		assert.Equal(t, count+2, strings.Count(out.String(), "\n"), "a step a line")
		assert.Contains(t, out.String(), "/in<to>")
	}
}
