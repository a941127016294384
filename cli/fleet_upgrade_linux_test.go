package cli_test

import (
	"context"
	"encoding/json"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/internal/long"
	"frankledger/internal/testpg"
)

// beforeNewest is the last revision whose program makes ledgers of version 4.
const beforeNewest = "0e67ae181f5211ba754b521eb5475fc513a8b09c"

// builtAt builds the program of an earlier revision.
func builtAt(t *testing.T, revision string) string {
	folder := t.TempDir()
	if out, err := exec.Command("sh", "-c", "cd .. && git archive "+revision+" | tar x -C '"+folder+"'").CombinedOutput(); err != nil || exec.Command("test", "-e", folder+"/go.mod").Run() != nil {
		t.Skipf("the history of the project is not here: %s", out)
	}
	program := filepath.Join(t.TempDir(), "frank")
	build := exec.Command("go", "build", "-o", program, "./cmd/frank")
	build.Dir, build.Env = folder, append(os.Environ(), "CGO_ENABLED=0")
	out, err := build.CombinedOutput()
	require.NoError(t, err, string(out))
	return program
}

// by has another program carry out a command.
func by(program string, cmd *exec.Cmd) *exec.Cmd {
	cmd.Args[slices.Index(cmd.Args, frank)] = program
	if cmd.Path == frank {
		cmd.Path = program
	}
	return cmd
}

// Twelve machines record, half of them with the program of before, and others ask, while the ledger is
// upgraded. That is broken off a few times. Nothing fails, and nothing is lost.
func TestUpgradeMeanwhileLong(t *testing.T) {
	long.Test(t)
	old := builtAt(t, beforeNewest)
	database := testpg.Database(t)
	r := finish(t, by(old, command(t, "/", "ledger", "prepare", database)))
	require.Zero(t, r.status, r.err)
	var names []string
	for i := range 12 {
		names = append(names, "u"+string(rune('a'+i)))
	}
	fleet := fleetOn(t, database, names...)
	recorded := make([]int, len(fleet))
	record := func(i int, random *rand.Rand) bool {
		m := fleet[i]
		m.change(t, random)
		cmd := m.command(t, "record", m.root, "--label", "srv", "--checksum", "sha256")
		if i%2 == 0 {
			cmd = by(old, cmd)
		}
		out, err := cmd.CombinedOutput()
		recorded[i]++
		return assert.NoError(t, err, string(out))
	}
	for i := range fleet {
		random := rand.New(rand.NewPCG(1, uint64(i)))
		for range 2 {
			require.True(t, record(i, random))
		}
	}
	var stop atomic.Bool
	var group sync.WaitGroup
	for i := range fleet {
		group.Go(func() {
			random := rand.New(rand.NewPCG(2, uint64(i)))
			for !stop.Load() && record(i, random) {
			}
		})
	}
	for _, program := range []string{old, frank} {
		group.Go(func() {
			for ok := true; ok && !stop.Load(); {
				for _, args := range [][]string{{"search", "@srv", "--host", "all", "where", "name", "has", "f3"}, {"ledger", "--host", "all"}, {"tally", "@srv", "--since", "@srv:1", "--host", "all", "--by", "host"}} {
					cmd := by(program, command(t, "/", args...))
					cmd.Env = append(cmd.Env, "FRANK_LEDGER="+database)
					out, err := cmd.CombinedOutput()
					ok = assert.NoError(t, err, string(out))
				}
			}
		})
	}
	time.Sleep(2 * time.Second)
	for range 4 { // killed at any moment, it is done again
		ctx, kill := context.WithTimeout(t.Context(), time.Duration(20+rand.IntN(200))*time.Millisecond)
		exec.CommandContext(ctx, frank, "ledger", "prepare", database).Run()
		kill()
	}
	r = run(t, "/", "ledger", "prepare", database)
	assert.Zero(t, r.status, r.err)
	time.Sleep(2 * time.Second)
	stop.Store(true)
	group.Wait()
	if t.Failed() {
		return
	}
	asked(t, database, fleet, 0)
	counted := map[string]int{}
	var lists []string
	for _, program := range []string{old, frank} {
		cmd := by(program, command(t, "/", "ledger", "--host", "all", "--as", "json"))
		cmd.Env = append(cmd.Env, "FRANK_LEDGER="+database)
		r := finish(t, cmd)
		require.Zero(t, r.status, r.err)
		var answer struct {
			Entries []struct{ Host string }
		}
		require.NoError(t, json.Unmarshal([]byte(r.out), &answer))
		for _, one := range answer.Entries {
			counted[one.Host]++
		}
		rows, err := json.Marshal(answer.Entries)
		require.NoError(t, err)
		lists = append(lists, string(rows))
	}
	assert.Equal(t, lists[0], lists[1])
	for i, m := range fleet {
		assert.Equal(t, 2*recorded[i], counted[m.name], m.name)
	}
	r = run(t, "/", "ledger", "check", "--host", "all", "--ledger", database)
	assert.Zero(t, r.status, r.err)
	statement(t, database, `DO $$ BEGIN
		ASSERT (SELECT version FROM frank.about) = 5;
		ASSERT NOT EXISTS (SELECT 1 FROM frank.record WHERE stored IS DISTINCT FROM frank.stored_of(place, number));
		ASSERT NOT EXISTS (SELECT 1 FROM frank.record r WHERE NOT EXISTS (SELECT 1 FROM frank.label l WHERE l.place = r.place AND l.label = r.label));
		ASSERT (SELECT indisvalid FROM pg_index WHERE indexrelid = 'frank.record_newest'::regclass);
	END $$`)
}
