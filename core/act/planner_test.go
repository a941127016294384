package act_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/live"
	"frankledger/core/source"
)

// A step is refused for its name if, and only if, there is something of that name
// or another step gives it, however many entries a folder has and on however many
// cores it is planned.
func TestNamesAreFree(t *testing.T) {
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(4))
	random := rand.New(rand.NewPCG(4, 4))
	root := t.TempDir()
	for i := range 40 {
		folder := filepath.Join(root, fmt.Sprint("f", i%7, "/g", i))
		require.NoError(t, os.MkdirAll(folder, 0o755))
		for range random.IntN(30) {
			name := strings.Repeat(".", random.IntN(3)) + fmt.Sprint("n", random.IntN(25))
			require.NoError(t, os.WriteFile(filepath.Join(folder, name), nil, 0o644))
		}
	}
	file := func(e *entry.Entry) bool { return e.Kind == entry.KindFile }
	for i, action := range []plans.Action{plans.Hide, plans.Reveal, plans.Hide} {
		planner := &doing.Planner{Action: action, Host: "h"}
		plan, err := act.MakePlan(context.Background(), planner, found(t, root, file))
		if i == 2 { // with what was met while looking, no folder is read again
			s, failed := live.Open(root, 0)
			require.NoError(t, failed)
			var planned *act.Planned
			planned, err = act.PlanRequest(context.Background(), planner, &source.Set{Sources: []source.Source{s}},
				act.Request{Request: source.Request{Depth: source.AllDepths, Condition: fileCondition{}}, Below: true})
			plan = planned.Plan
		}
		require.NoError(t, err)
		given := map[exact.Text]bool{}
		refused := map[string]int{}
		for _, s := range plan.Steps {
			name := filepath.Base(string(s.Path))
			want := ""
			plain := strings.TrimLeft(name, ".")
			to := exact.Text(filepath.Join(filepath.Dir(string(s.Path)), map[plans.Action]string{plans.Hide: "." + name, plans.Reveal: plain}[action]))
			_, err := os.Lstat(string(to))
			switch {
			case action == plans.Hide && name != plain:
				want = "it is hidden already"
			case action == plans.Reveal && name == plain:
				want = "it is not hidden"
			case given[to]:
				want = "another match would get the same name"
			case err == nil:
				want = "that name is taken already"
			default:
				given[to] = true
				require.Equal(t, to, s.To)
			}
			require.Equal(t, want, string(s.Refused), "%s %s", action, s.Path)
			refused[want]++
		}
		assert.GreaterOrEqual(t, len(refused), 2, "%v", refused)
	}
}

// fileCondition chooses files.
type fileCondition struct{}

func (fileCondition) Needs() entry.Facts { return 0 }
func (fileCondition) Test() source.Test {
	return func(e *entry.Entry, _ entry.Facts) source.Verdict {
		if e.Kind == entry.KindFile {
			return source.Yes
		}
		return source.No
	}
}

// What moves keeps the folders on the way only if that is asked for; a folder
// goes as a whole and once; and what a plan holds is what the kernel says.
func TestPlanOfMoves(t *testing.T) {
	root := t.TempDir()
	for name, size := range map[string]int{"a/b/one": 10, "a/b/c/two": 20, "d/one": 30} {
		path := filepath.Join(root, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, make([]byte, size), 0o644))
	}
	in := func(name string) exact.Text { return exact.Text(filepath.Join(root, name)) }
	plan := func(o plans.Options, chosen func(e *entry.Entry) bool) *plans.Plan {
		o.Into = in("new/place")
		p, err := act.MakePlan(context.Background(), (&doing.Planner{Action: plans.Move, Host: "h", Options: o}), found(t, root, chosen))
		require.NoError(t, err)
		return p
	}
	one := func(e *entry.Entry) bool { return e.Name == "one" }
	p := plan(plans.Options{}, one)
	assert.Equal(t, in("new/place/one"), p.Steps[0].To)
	assert.Equal(t, "another match would get the same name", string(p.Steps[1].Refused))
	p = plan(plans.Options{Number: true}, one)
	assert.Equal(t, in("new/place/one-2"), p.Steps[1].To)
	p = plan(plans.Options{KeepFolders: true}, one)
	assert.Equal(t, []exact.Text{in("new/place/a/b/one"), in("new/place/d/one")}, []exact.Text{p.Steps[0].To, p.Steps[1].To})
	p = plan(plans.Options{}, func(e *entry.Entry) bool { return e.Name != "d" && e.Name != "a" })
	require.Len(t, p.Steps, 2, "b, and what is in d")
	assert.Equal(t, 3, p.Covered)
	assert.Equal(t, plans.Totals{Steps: 2, Files: 1, Folders: 1, Bytes: 60, Within: 3}, p.Totals())

	// Folders on the way are made, and taken back with the rest.
	before := state(t, root)
	c := carrier(t.TempDir())
	result, err := act.CarryOut(context.Background(), c, plan(plans.Options{KeepFolders: true}, one))
	require.NoError(t, err)
	assert.FileExists(t, string(in("new/place/a/b/one")))
	_, err = act.Undo(context.Background(), c, result.Journal, "h")
	require.NoError(t, err)
	assert.Equal(t, before, state(t, root))

	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = act.MakePlan(ctx, (&doing.Planner{Action: plans.Hide, Host: "h"}), found(t, root, one))
	assert.ErrorIs(t, err, context.Canceled)
	_, err = act.CarryOut(ctx, c, plan(plans.Options{}, one))
	assert.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, before, state(t, root), "nothing was begun")
	_, err = act.MakePlan(context.Background(), (&doing.Planner{Action: plans.Permit, Host: "h", Options: plans.Options{Mode: "nonsense"}}), nil)
	assert.ErrorIs(t, err, verbs.ErrMode)
}

// What was altered after it was stamped or permitted stays as it was made.
func TestUndoLeavesWhatWasAltered(t *testing.T) {
	root := t.TempDir()
	path := filepath.Join(root, "a")
	require.NoError(t, os.WriteFile(path, nil, 0o644))
	moment := exact.Time{Sec: 1_600_000_000, Nsec: 7}
	everything := func(*entry.Entry) bool { return true }
	c := carrier(t.TempDir())
	said := ""
	undo := func(number int64) act.UndoResult {
		c.Tell = func(o doing.Outcome) { said = fmt.Sprint(o.Err) }
		undone, err := act.Undo(context.Background(), c, number, "h")
		require.NoError(t, err)
		return undone
	}
	stamped, _ := all(t, c, root, plans.Stamp, plans.Options{Modified: &moment, Accessed: &moment}, everything)
	require.NoError(t, os.WriteFile(path, []byte("new"), 0o644))
	assert.Equal(t, act.UndoResult{Stays: 1}, undo(stamped.Journal))
	assert.Equal(t, "it has changed since", said)
	permitted, _ := all(t, c, root, plans.Permit, plans.Options{Mode: "0600"}, everything)
	require.NoError(t, os.Chmod(path, 0o640))
	assert.Equal(t, act.UndoResult{Stays: 1}, undo(permitted.Journal))
	require.NoError(t, os.Chmod(path, 0o644)) // as it was before
	assert.Equal(t, act.UndoResult{}, undo(permitted.Journal))
	hidden, _ := all(t, c, root, plans.Hide, plans.Options{}, everything)
	require.NoError(t, os.Rename(filepath.Join(root, ".a"), filepath.Join(root, "elsewhere")))
	assert.Equal(t, act.UndoResult{Stays: 1}, undo(hidden.Journal))
	assert.Equal(t, "it is no longer where frank put it, or something else is there now", said)
}
