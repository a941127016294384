package ledger_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/upkeep"
)

// In whatever order records are made, sent, dropped and thinned, and however the clock of the
// machine jumps: the newest is the one that it made last, thinning never takes that, and what was taken
// away does not come again.
func TestOrderIsThatOfTheMachine(t *testing.T) {
	seed := rand.Uint64()
	t.Logf("seed %d", seed)
	random := rand.New(rand.NewPCG(seed, 7))
	for range fewer(16) {
		root := t.TempDir()
		var ledgers []*ledger.Ledger // the machine's own, and two that it sends to, or records in
		for i := range 3 {
			l, err := createNamed(t.Context(), filepath.Join(t.TempDir(), fmt.Sprint("l", i)))
			require.NoError(t, err)
			defer l.Close()
			ledgers = append(ledgers, l)
		}
		clock := time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)
		var made []string                     // by their notes of trees, in the order in which the machine made them
		order := map[string]int{}             // likewise
		has := []map[string]bool{{}, {}, {}}  // of each ledger
		gone := []map[string]bool{{}, {}, {}} // what was taken away there
		key := func(r ledger.Record) string { return fmt.Sprint(r.Taken.UnixNano(), r.Entries) }
		last := int64(0)
		drop := func(at int, r ledger.Record) {
			require.NoError(t, upkeep.Drop(t.Context(), ledgers[at], r.Number))
			delete(has[at], key(r))
			gone[at][key(r)] = true
		}
		check := func() {
			for at, l := range ledgers {
				records, err := l.Records(t.Context())
				require.NoError(t, err)
				require.Len(t, records, len(has[at]), "seed %d", seed)
				require.True(t, slices.IsSortedFunc(records, func(a, b ledger.Record) int { return order[key(a)] - order[key(b)] }), "seed %d: %v", seed, made)
				for back := range len(records) {
					found, err := l.Find(t.Context(), ledger.Reference{Label: "l", Back: back})
					require.NoError(t, err)
					require.Equal(t, key(records[len(records)-1-back]), key(found))
				}
			}
		}
		for i := range 14 {
			switch random.IntN(6) {
			case 0: // by days, back or forth
				clock = clock.Add(time.Duration(random.IntN(21)-10) * 24 * time.Hour)
			default:
				clock = clock.Add(time.Duration(1+random.IntN(30)) * time.Hour)
			}
			switch k := random.IntN(8); {
			case k < 4 || i == 0:
				at := []int{0, 0, 0, 1, 2}[random.IntN(5)]
				require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprint("f", i)), nil, 0o644))
				r, _, err := recordAt(t, ledgers[at], "tern-point", "l", root, clock, recording.Options{MoveLabel: true, After: last})
				require.NoError(t, err)
				last = r.Turn
				order[key(r)] = len(made)
				made = append(made, key(r))
				has[at][key(r)] = true
			case k < 6:
				to := 1 + random.IntN(2)
				require.NoError(t, upkeep.Send(t.Context(), ledgers[0], ledgers[to], "tern-point", nil, func(s upkeep.Sent) {
					require.Equal(t, gone[to][key(s.Record)], s.Dropped, "seed %d", seed)
					if !s.Dropped {
						has[to][key(s.Record)] = true
					}
				}))
			case k == 6:
				at := random.IntN(3)
				records, err := ledgers[at].Records(t.Context())
				require.NoError(t, err)
				if len(records) > 0 {
					drop(at, records[random.IntN(len(records))])
				}
			default:
				at := random.IntN(3)
				records, err := ledgers[at].Records(t.Context())
				require.NoError(t, err)
				for _, r := range (upkeep.Keep{Days: 2, Weeks: 1}).Spare(records, clock, time.UTC) {
					require.NotEqual(t, key(records[len(records)-1]), key(r), "seed %d: the newest stays", seed)
					drop(at, r)
				}
			}
			check()
		}
		for at, l := range ledgers {
			faults, err := upkeep.Check(t.Context(), l)
			require.NoError(t, err)
			assert.Empty(t, faults)
			// By an export, too.
			var out bytes.Buffer
			_, err = upkeep.Export(t.Context(), l, &out)
			require.NoError(t, err)
			again, err := createNamed(t.Context(), filepath.Join(t.TempDir(), "again"))
			require.NoError(t, err)
			_, err = upkeep.Import(t.Context(), again, &out)
			require.NoError(t, err)
			records, err := again.Records(t.Context())
			require.NoError(t, err)
			assert.Len(t, records, len(has[at]))
			assert.True(t, slices.IsSortedFunc(records, func(a, b ledger.Record) int { return order[key(a)] - order[key(b)] }), "seed %d", seed)
			again.Close()
		}
	}
}

// A record that chooses the last number there can be leaves room for those after it.
func TestNumbersAreBounded(t *testing.T) {
	root := t.TempDir()
	l, err := createNamed(t.Context(), filepath.Join(t.TempDir(), "l"))
	require.NoError(t, err)
	defer l.Close()
	record(t, l, "l", root)
	var out bytes.Buffer
	_, err = upkeep.Export(t.Context(), l, &out)
	require.NoError(t, err)
	for _, number := range []string{"9223372036854775807", "137438953471"} {
		lines := bytes.Replace(out.Bytes(), []byte(`"number":1,`), []byte(`"number":`+number+`,`), 1)
		require.NotEqual(t, out.Bytes(), lines)
		again, err := createNamed(t.Context(), filepath.Join(t.TempDir(), "again"))
		require.NoError(t, err)
		done, err := upkeep.Import(t.Context(), again, bytes.NewReader(lines))
		require.NoError(t, err)
		assert.Less(t, done.Records[0].Number, int64(1<<32))
		record(t, again, "l", root)
		again.Close()
	}
}
