package act_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/namepattern"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/internal/long"
)

func TestPattern(t *testing.T) {
	e := &entry.Entry{Kind: entry.KindFile, Name: "Dawn 3.WAV", Modified: entry.TimeOf(time.Date(2026, 11, 25, 23, 30, 0, 0, time.UTC)),
		Known: entry.FactStatus | entry.FactContent, Marks: entry.MarkMislabelled, More: &entry.More{Type: "image/png"}}
	zone := time.FixedZone("east", 3600)
	for pattern, want := range map[string]string{
		"@name": "Dawn 3.WAV", "@stem.@ext:lower": "Dawn 3.wav", "@stem:upper.@ext": "DAWN 3.WAV", "@date @n:3.@ext": "2026-11-26 007.WAV",
		"@n-@name": "7-Dawn 3.WAV", "@folder_@stem": "card 12_Dawn 3", "@stem.@type": "Dawn 3.png", "a@@b @n": "a@b 7", "@stem.wav": "Dawn 3.wav", "@name:lower": "dawn 3.wav",
	} {
		p, err := namepattern.Parse(pattern, zone)
		require.NoError(t, err, pattern)
		got, err := p.Name(e, "/x/card 12/Dawn 3.WAV", 7)
		require.NoError(t, err)
		assert.Equal(t, want, got, pattern)
		if strings.HasPrefix(pattern, "@stem.@") {
			plain := *e
			plain.Marks, plain.More = 0, &entry.More{}
			got, err = p.Name(&plain, "/x/.notes", 7)
			assert.NoError(t, err)
			assert.Equal(t, ".notes", got, "no extension, no dot")
		}
	}
	for pattern, says := range map[string]string{
		"": "empty", "@size": "@stem @ext", "@n:x": "digits", "@n:0": "digits", "@stem:title": "lower or upper", "@folder/@name": "no slash", "@": "@stem",
	} {
		_, err := namepattern.Parse(pattern, zone)
		require.ErrorIs(t, err, namepattern.Err, pattern)
		assert.ErrorContains(t, err, says, pattern)
	}
}

func TestPlainPattern(t *testing.T) {
	for pattern, plain := range map[string]bool{"x": true, "@date.txt": true, "@n.txt": false, "@stem": false} {
		p, err := namepattern.Parse(pattern, time.UTC)
		require.NoError(t, err)
		assert.Equal(t, plain, p.Plain(), pattern)
	}
}

func FuzzPattern(f *testing.F) {
	f.Add("@stem.@ext:lower", "a.B")
	f.Fuzz(func(t *testing.T, pattern, name string) {
		p, err := namepattern.Parse(pattern, time.UTC)
		if err != nil || strings.ContainsAny(name, "/\x00") || name == "" {
			return
		}
		if made, err := p.Name(&entry.Entry{Name: name}, "/f/"+name, 1); err == nil {
			assert.NotContains(t, made, "/")
			assert.NotEmpty(t, made)
		}
	})
}

// However names go round, with whatever failing or the program being killed, each content
// is there by exactly one name, and undo gives all names back.
func TestRenameRoundAndRound(t *testing.T) {
	swaps, broken := 0, 0
	seeds := uint64(60)
	if long.Wanted() {
		seeds = 600
	}
	for seed := range seeds {
		random := rand.New(rand.NewPCG(seed, 3))
		folder := t.TempDir()
		root := filepath.Join(folder, "tree")
		write(t, filepath.Join(root, "d0/stranger"), "stranger")
		to := map[string]string{} // full paths
		names := random.Perm(8)
		for i, n := range names {
			dir := filepath.Join(root, fmt.Sprint("d", i%2))
			path := filepath.Join(dir, fmt.Sprint("n", i/2))
			switch {
			case i >= 2 && i < 7 && seed%2 == 1 && random.IntN(3) > 0: // another name of what is beside it
				require.NoError(t, os.Link(filepath.Join(dir, fmt.Sprint("n", i/2-1)), path))
			case i == 7:
				require.NoError(t, os.MkdirAll(path, 0o755))
				write(t, filepath.Join(path, "deep"), "deep")
				to[filepath.Join(path, "deep")] = filepath.Join(path, "deeper")
			default:
				write(t, path, fmt.Sprint("content ", seed, i))
			}
			to[path] = filepath.Join(dir, []string{fmt.Sprint("n", n/2), fmt.Sprint("new", n), "stranger"}[random.IntN(11)/5])
		}
		before := state(t, root)
		c := carrier(folder)
		c.Calls = &sys.Calls{}
		plan := planOf(t, c, root, plans.Rename, plans.Options{Pattern: "@name"}, func(e *entry.Entry) bool { return false })
		// Steps as the planner makes them, to names that no pattern would give.
		whole := planOf(t, c, root, plans.Rename, plans.Options{Pattern: "@name@n@n@n"}, func(e *entry.Entry) bool { return to[e.FullPath()] != "" })
		plan.Volumes = whole.Volumes
		for _, s := range whole.Steps {
			if s.To = exact.Text(to[string(s.Path)]); s.To == s.Path {
				continue
			}
			s.Refused, s.Swaps = "", false
			if _, err := os.Lstat(string(s.To)); err == nil {
				s.Refused = "that name is taken already"
			}
			plan.Steps = append(plan.Steps, s)
		}
		act.SettleNames(plan)
		calls, at := 0, random.IntN(300)
		kill := seed%3 == 0
		if seed%3 < 2 {
			c.Calls.Before = func(call sys.Call) error {
				if calls++; calls == at && (kill || call.Name == "Rename") {
					if kill {
						panic(errKilled)
					}
					return os.ErrPermission
				}
				return nil
			}
		}
		r := &torture{T: t}
		var result doing.Result
		killed := r.killable(c, func() { result, _ = act.CarryOut(context.Background(), c, plan) })
		want := map[string]string{}
		refused := map[string]bool{}
		for _, s := range plan.Steps {
			if s.Swaps {
				swaps++
			}
			refused[string(s.Path)] = s.Refused != ""
		}
		after := state(t, root)
		assert.Len(t, after, len(before))
		if killed || result.Failed+result.Partly > 0 {
			broken++
		} else {
			for path, what := range before {
				full := root + path
				if name := to[full]; name != "" && !refused[full] {
					full = name
				}
				dir := filepath.Dir(full) // may be called otherwise now
				if name := to[dir]; name != "" && !refused[dir] {
					full = filepath.Join(name, filepath.Base(full))
				}
				want[strings.TrimPrefix(full, root)] = what
			}
			for path, what := range want {
				if !isFolder(root + path) {
					assert.Equal(t, what, after[path], "seed %d: %s", seed, path)
				}
			}
		}
		if numbers, _ := c.Journals.Numbers(); len(numbers) == 0 {
			continue
		}
		if past, err := c.Journals.Read(1); err != nil || past == nil {
			continue
		}
		undone, err := act.Undo(context.Background(), c, 1, "h")
		require.NoError(t, err)
		assert.Zero(t, undone.Stays, "seed %d", seed)
		now := state(t, root)
		for path, what := range before {
			if !isFolder(root + path) {
				assert.Equal(t, what, now[path], "seed %d: %s", seed, path)
			}
		}
	}
	assert.Greater(t, swaps, 50)
	assert.Greater(t, broken, 5)
}
