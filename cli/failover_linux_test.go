package cli_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/internal/long"
	"frankledger/internal/testpg"
)

var recordedAs = regexp.MustCompile(`recorded as @srv, number (\d+)`)

// The server that leads is killed while twelve machines record and others ask. No record is lost that was told to be
// written, none is there in part, and questions are answered again.
func TestFleetSurvivesItsLeaderLong(t *testing.T) {
	long.Test(t)
	t.Parallel() // most of the time it waits
	cluster := testpg.StartCluster(t)
	database := cluster.Database(t)
	r := run(t, "/", "ledger", "prepare", database)
	require.Zero(t, r.status, r.err)
	var names []string
	for i := range 12 {
		names = append(names, fmt.Sprintf("m%02d", i+1))
	}
	fleet := fleetOn(t, database, names...)

	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	var group sync.WaitGroup
	var mu sync.Mutex
	told := map[int64]map[string]string{} // what was there, by the numbers of records that were told to be written
	attempts, failed := 0, 0
	for i, m := range fleet {
		group.Go(func() {
			random := rand.New(rand.NewPCG(uint64(i), 3))
			for ctx.Err() == nil {
				m.change(t, random)
				r := finish(t, m.command(t, "record", m.root, "--label", "srv", "--checksum", "sha256"))
				mu.Lock()
				attempts++
				if r.status == 0 {
					match := recordedAs.FindStringSubmatch(r.out)
					if assert.NotNil(t, match, r.out) {
						number, _ := strconv.ParseInt(match[1], 10, 64)
						was := map[string]string{}
						for path, content := range m.files {
							was[path] = content
						}
						assert.NotContains(t, told, number)
						told[number] = was
					}
				} else if failed++; !assert.Contains(t, r.err, "server") {
					t.Log(r.err)
				}
				mu.Unlock()
			}
		})
	}
	var answers []time.Time
	group.Go(func() {
		for ctx.Err() == nil {
			cmd := command(t, "/", "tally", "@srv", "--host", "all", "--by", "host")
			cmd.Env = append(cmd.Env, "FRANK_LEDGER="+database)
			if r := finish(t, cmd); r.status == 0 {
				mu.Lock()
				answers = append(answers, time.Now())
				mu.Unlock()
			}
		}
	})
	count := func() int {
		mu.Lock()
		defer mu.Unlock()
		return len(told)
	}
	require.Eventually(t, func() bool { return count() >= 60 }, time.Minute, 50*time.Millisecond)
	before, killed := count(), time.Now()
	cluster.KillLeader(t)
	answered := func() (again time.Duration) {
		mu.Lock()
		defer mu.Unlock()
		for _, at := range answers {
			if d := at.Sub(killed); d > 3*time.Second { // what was asked before can be answered until then
				return d
			}
		}
		return 0
	}
	require.Eventually(t, func() bool { return answered() > 0 && count() >= before+60 }, 2*time.Minute, 50*time.Millisecond)
	stop()
	group.Wait()
	t.Logf("%d records told in %d attempts, %d failed; answered again after %.1f s", len(told), attempts, failed, answered().Seconds())

	rows, _ := answeredOf(t, database, "ledger", "entries", "--host", "all")
	there := map[int64]bool{}
	for _, row := range rows {
		there[int64(row["number"].(float64))] = true
	}
	for number, was := range told {
		if !assert.True(t, there[number], "record %d was told to be written", number) {
			continue
		}
		var want, got []string
		for path, content := range was {
			want = append(want, fmt.Sprint(path, " ", len(content)))
		}
		rows, _ := answeredOf(t, database, "search", fmt.Sprint("@", number), "--columns", "path,size", "where", "kind", "is", "file")
		for _, row := range rows {
			got = append(got, fmt.Sprint(strings.TrimPrefix(row["path"].(string), fmt.Sprint("@", number, "/")), " ", row["size"]))
		}
		assert.ElementsMatch(t, want, got, "record %d", number)
	}
	cmd := command(t, "/", "ledger", "check", "--host", "all")
	cmd.Env = append(cmd.Env, "FRANK_LEDGER="+database)
	r = finish(t, cmd)
	assert.Zero(t, r.status, r.err)

	// And all that is asked of a fleet is answered, as everywhere.
	for _, m := range fleet {
		require.NoError(t, os.WriteFile(filepath.Join(m.root, "last"), []byte(m.name), 0o644))
		m.files["last"] = m.name
	}
	away, local := fleet[3], filepath.Join(t.TempDir(), "ledger")
	recordAll(t, slices.DeleteFunc(slices.Clone(fleet), func(m *machine) bool { return m == away }))
	for range 7 { // a week
		away.change(t, rand.New(rand.NewPCG(5, 6)))
		require.Zero(t, finish(t, away.command(t, "record", away.root, "--label", "srv", "--checksum", "sha256", "--ledger", local)).status)
	}
	r = finish(t, away.command(t, "ledger", "send", "--ledger", local, "--to", away.ledger))
	require.Zero(t, r.status, r.err)
	asked(t, database, fleet, 0)
	hostile(t, database, fleet)
}

func answeredOf(t *testing.T, database string, args ...string) (rows []map[string]any, told string) {
	return answered(t, database, 0, args...)
}
