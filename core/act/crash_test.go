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
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// errKilled is what stands in for a program that is killed.
var errKilled = errors.New("killed")

// crashing carries a plan out until just before a step, or just after it and
// before that is closed, and returns a copy of the journal as it was then.
func crashing(t *testing.T, c *doing.Carrier, plan *plans.Plan, step int, after bool) journals.Journals {
	seen := 0
	c.Ask = func(*plans.Step) doing.Answer {
		if seen++; seen == step+1 && !after {
			panic(errKilled)
		}
		return doing.Yes
	}
	c.Tell = func(o doing.Outcome) {
		assert.NoError(t, o.Err)
		if seen == step+1 && after {
			panic(errKilled)
		}
	}
	func() {
		defer func() { require.Equal(t, errKilled, recover()) }()
		act.CarryOut(context.Background(), c, plan)
	}()
	c.Ask, c.Tell = nil, nil
	numbers, err := c.Journals.Numbers()
	require.NoError(t, err)
	require.Len(t, numbers, 1)
	name := fmt.Sprintf("%06d.jsonl", numbers[0])
	content, err := os.ReadFile(filepath.Join(c.Journals.Folder, name))
	require.NoError(t, err)
	copied := journals.Journals{Folder: t.TempDir()} // the file itself is still locked
	require.NoError(t, os.WriteFile(filepath.Join(copied.Folder, name), content, 0o600))
	return copied
}

// Killed between any two steps, or within one, the journal, what is there and undo agree: all that was done is
// undone, and nothing else is touched.
func TestCrashAtEveryStep(t *testing.T) {
	moment := exact.Time{Sec: 1_700_000_000}
	for _, action := range []plans.Action{plans.Hide, plans.Move, plans.Remove, plans.Stamp, plans.Permit} {
		for step := range 4 {
			for _, after := range []bool{false, true} {
				folder := t.TempDir()
				root := filepath.Join(folder, "tree")
				grow(t, rand.New(rand.NewPCG(9, 9)), root)
				before := state(t, root)
				planner := &doing.Planner{Action: action, Host: "h", Options: plans.Options{Into: exact.Text(filepath.Join(folder, "into")), Modified: &moment, Mode: "0444", Number: true}}
				plan, err := act.MakePlan(context.Background(), planner, found(t, root, func(e *entry.Entry) bool { return e.Kind == entry.KindFile && e.Depth() < 3 }))
				require.NoError(t, err)
				require.Greater(t, plan.Totals().Steps, 4)
				c := carrier(folder)
				c.Journals = crashing(t, c, plan, step, after)
				past, err := c.Journals.Read(1)
				require.NoError(t, err)
				assert.False(t, past.Ended)
				assert.Equal(t, "broken off", past.Word())
				undone, err := act.Undo(context.Background(), c, 1, "h")
				require.NoError(t, err)
				done := step
				if after {
					done++
				}
				assert.Equal(t, act.UndoResult{Undone: done}, undone, "%s %d %v", action, step, after)
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
	planner := &doing.Planner{Action: plans.Hide, Host: "h"}
	plan, err := act.MakePlan(context.Background(), planner, found(t, root, func(*entry.Entry) bool { return true }))
	require.NoError(t, err)
	c := carrier(folder)
	_, err = act.CarryOut(context.Background(), c, plan)
	require.NoError(t, err)
	whole, err := os.ReadFile(filepath.Join(folder, "journal/000001.jsonl"))
	require.NoError(t, err)
	steps := strings.LastIndex(string(whole), `{"step"`)
	steps += strings.Index(string(whole[steps:]), "\n") + 1
	for length := range len(whole) {
		cut := journals.Journals{Folder: t.TempDir()}
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
		_, err = act.Undo(context.Background(), c, 1, "h")
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
	newer := journals.Journals{Folder: t.TempDir()}
	require.NoError(t, os.WriteFile(filepath.Join(newer.Folder, "000001.jsonl"), []byte(strings.Replace(string(whole), `"version":1`, `"version":2`, 1)), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(newer.Folder, "000007.jsonl"), whole, 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(newer.Folder, "notes.txt"), nil, 0o600))
	_, err = newer.Read(1)
	assert.ErrorIs(t, err, plans.ErrPlanNewer)
	numbers, err := newer.Numbers()
	require.NoError(t, err)
	assert.Equal(t, []int64{1, 7}, numbers)
	// So is one of an action that this program does not know.
	unknown := regexp.MustCompile(`"action":"\w+"`).ReplaceAllString(string(whole), `"action":"fly"`)
	require.NoError(t, os.WriteFile(filepath.Join(newer.Folder, "000001.jsonl"), []byte(unknown), 0o600))
	c.Journals = newer
	_, err = newer.Summary(1)
	assert.ErrorIs(t, err, plans.ErrPlanNewer)
	_, err = act.Undo(context.Background(), c, 1, "h")
	assert.ErrorIs(t, err, plans.ErrPlanNewer)
	c.Journals = journals.Journals{Folder: filepath.Join(folder, "none")}
	numbers, err = c.Journals.Numbers()
	require.NoError(t, err)
	assert.Empty(t, numbers)
	_, err = act.Undo(context.Background(), c, 5, "h")
	assert.ErrorIs(t, err, journals.ErrNoJournal)
}

// While a journal is being written, nobody else undoes it.
func TestJournalBusy(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	require.NoError(t, os.MkdirAll(root, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(root, "a"), nil, 0o644))
	planner := &doing.Planner{Action: plans.Hide, Host: "h"}
	plan, err := act.MakePlan(context.Background(), planner, found(t, root, func(*entry.Entry) bool { return true }))
	require.NoError(t, err)
	c := carrier(folder)
	c.Ask = func(*plans.Step) doing.Answer {
		_, err := act.Undo(context.Background(), carrier(folder), 1, "h")
		assert.ErrorIs(t, err, journals.ErrBusy)
		return doing.Stop
	}
	result, err := act.CarryOut(context.Background(), c, plan)
	require.NoError(t, err)
	assert.Equal(t, doing.Result{Journal: 1, Stopped: true}, result)
}

// A plan says the same when it was written and read, whatever names there are,
// and is checked before it is carried out.
func TestPlanAsJSON(t *testing.T) {
	step := &plans.Step{Path: "/a\xff \"b\"\n", Kind: "folder", Inode: 1 << 63, Device: 7, Size: -1, Modified: exact.Time{Sec: -5, Nsec: 7}, Accessed: exact.Time{Sec: 1 << 40, Nsec: 999_999_999},
		Mode: "0755", Holds: &plans.Holds{Entries: 3, Size: 9, Newest: exact.Time{Sec: 4}}, To: "/é", NewMode: "0644", Refused: "why"}
	plan := &plans.Plan{Version: 1, Action: plans.Move, Host: "h\xff", Options: plans.Options{Into: "/\xfe"}, Steps: []*plans.Step{step, {Path: "/x"}}}
	var text bytes.Buffer
	require.NoError(t, plan.WriteJSON(&text))
	back, err := plans.ReadPlan(text.Bytes())
	require.NoError(t, err)
	assert.Equal(t, plan, back)
	var document struct{ Steps []map[string]any }
	require.NoError(t, json.Unmarshal(text.Bytes(), &document), "others can read it too")
	assert.Equal(t, "/a\ufffd \"b\"\n", document.Steps[0]["path"])
	assert.Equal(t, "4.000000000", document.Steps[0]["holds"].(map[string]any)["newest"])
	assert.NotContains(t, document.Steps[1], "holds")

	good := func() *plans.Plan {
		return &plans.Plan{Version: 1, Action: plans.Hide, Host: "h", Steps: []*plans.Step{{Path: "/a", To: "/.a"}}}
	}
	require.NoError(t, good().Check("h"))
	for name, spoil := range map[string]func(p *plans.Plan){
		"another host":   func(p *plans.Plan) { p.Host = "other" },
		"newer":          func(p *plans.Plan) { p.Version = 2 },
		"none":           func(p *plans.Plan) { p.Version = 0 },
		"no path":        func(p *plans.Plan) { p.Steps[0].Path = "a" },
		"no step":        func(p *plans.Plan) { p.Steps[0] = nil },
		"nowhere":        func(p *plans.Plan) { p.Steps[0].To = "a" },
		"a command":      func(p *plans.Plan) { p.Action = plans.Run },
		"another action": func(p *plans.Plan) { p.Action = "burn" },
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
	planner := &doing.Planner{Action: plans.Hide, Host: "h"}
	plan, err = act.MakePlan(context.Background(), planner, found(t, folder, func(e *entry.Entry) bool { return e.Name == "a" }))
	require.NoError(t, err)
	plan.Steps[0].To = exact.Text(filepath.Join(folder, "b"))
	result, err := act.CarryOut(context.Background(), carrier(t.TempDir()), plan)
	require.NoError(t, err)
	assert.Equal(t, 1, result.Failed)
	content, err := os.ReadFile(filepath.Join(folder, "b"))
	require.NoError(t, err)
	assert.Equal(t, "b", string(content))
}

// A plan is one document, however many cores wrote it, with the steps in order.
func TestPlanInOneDocument(t *testing.T) {
	for _, count := range []int{0, 1, 3, 4096, 20_000} {
		plan := &plans.Plan{Version: 1, Action: plans.Move, Host: "tern-point", Options: plans.Options{Into: "/in<to>"}}
		for i := range count {
			plan.Steps = append(plan.Steps, &plans.Step{Path: exact.Text(fmt.Sprint("/", i)), Kind: "file"})
		}
		var out bytes.Buffer
		require.NoError(t, plan.WriteJSON(&out))
		var back plans.Plan
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
