package ledger_test

import (
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/ledger"
	"frankledger/core/ledger/internal/tuning"
	"frankledger/core/ledger/upkeep"
)

// A place that is recorded again and again gets a layer whenever as much was recorded as it
// had, so that the ledger takes twice the room at most, and few records are laid over one another.
func TestLayersKeepPace(t *testing.T) {
	if testing.Short() {
		t.Skip("long, and of one goroutine")
	}
	root, file := t.TempDir(), filepath.Join(t.TempDir(), "ledger")
	for i := range 2000 {
		require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprint("note-", i)), nil, 0o644))
	}
	l, err := createNamed(t.Context(), file)
	require.NoError(t, err)
	defer l.Close()
	const records = 60
	var stored int64
	var last ledger.Record
	for i := range records {
		for j := range 100 {
			moment := time.Unix(int64(1_000_000*(i+1)+j), 0)
			require.NoError(t, os.Chtimes(filepath.Join(root, fmt.Sprint("note-", (100*i+j)%2000)), moment, moment))
		}
		last = record(t, l, "x", root)
	}
	list, err := l.Records(t.Context())
	require.NoError(t, err)
	for _, r := range list {
		stored += r.Stored
	}
	layers, err := l.Layers(t.Context(), last)
	require.NoError(t, err)
	assert.Greater(t, len(layers), 1)
	assert.LessOrEqual(t, len(layers), int(stored/list[0].Stored), "they take no more than the records")
	assert.Less(t, last.Number-layers[len(layers)-1], int64(records/len(layers)+2))
	assert.Equal(t, kernel(t, root), recorded(t, l, last))

	require.NoError(t, upkeep.Compact(t.Context(), l))
	compacted, err := l.Layers(t.Context(), last)
	require.NoError(t, err)
	assert.Equal(t, last.Number, compacted[len(compacted)-1], "the newest record is read at once")
	require.NoError(t, upkeep.Compact(t.Context(), l))
	again, err := l.Layers(t.Context(), last)
	require.NoError(t, err)
	assert.Equal(t, compacted, again, "nothing has changed")
	assert.Equal(t, kernel(t, root), recorded(t, l, last))
}

// A check finds a layer that is not what the records say.
func TestDamagedLayers(t *testing.T) {
	fileOnly(t)
	defer tuning.LayOften()()
	root, file := t.TempDir(), filepath.Join(t.TempDir(), "ledger")
	l, err := createNamed(t.Context(), file)
	require.NoError(t, err)
	for i := range 300 {
		require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprint("note-", i)), nil, 0o644))
		if i%100 == 0 {
			record(t, l, "x", root)
		}
	}
	require.NoError(t, l.Close())
	whole, err := os.ReadFile(file)
	require.NoError(t, err)
	for _, damage := range []string{"", "UPDATE sheet SET names = facts WHERE place < 0", "DELETE FROM sheet WHERE place < 0", "UPDATE sheet SET folders = x'00' WHERE place < 0",
		"UPDATE sheet SET folders = (SELECT folders FROM sheet WHERE place > 0 LIMIT 1) WHERE place < 0",
		"UPDATE band_part SET content = zeroblob(length(content)) WHERE id / 8192 IN (SELECT id FROM band WHERE place < 0)", "UPDATE band SET packed = x'' WHERE place < 0"} {
		require.NoError(t, os.WriteFile(file, whole, 0o600))
		db, err := sql.Open("sqlite", file)
		require.NoError(t, err)
		done, err := db.Exec(damage)
		require.NoError(t, err)
		if damage != "" {
			rows, _ := done.RowsAffected()
			require.Positive(t, rows, damage)
		}
		require.NoError(t, db.Close())
		l, err := openNamed(t.Context(), file)
		require.NoError(t, err)
		faults, err := upkeep.Check(t.Context(), l)
		assert.Equal(t, damage == "", err == nil && len(faults) == 0, "%s: %v", damage, faults)
		require.NoError(t, l.Close())
	}
}

// Ledgers of earlier programs read the same after they were compacted, and are counted.
func TestCompactOldLedgers(t *testing.T) {
	defer tuning.LayOften()()
	for _, name := range []string{"version1.sqlite.gz", "version2.sqlite.gz"} {
		l, err := ledger.Create(t.Context(), fixture(t, name))
		require.NoError(t, err)
		records, err := l.Records(t.Context())
		require.NoError(t, err)
		before := map[int64]map[string]string{}
		for _, r := range records {
			before[r.Number] = recorded(t, l, r)
		}
		require.NoError(t, upkeep.Compact(t.Context(), l))
		layers := 0
		records, err = l.Records(t.Context())
		require.NoError(t, err)
		for _, r := range records {
			assert.Equal(t, before[r.Number], recorded(t, l, r), "%s, record %d", name, r.Number)
			assert.True(t, r.Counted, "%s, record %d", name, r.Number)
			of, err := l.Layers(t.Context(), r)
			require.NoError(t, err)
			layers += len(of)
		}
		assert.Positive(t, layers)
		faults, err := upkeep.Check(t.Context(), l)
		require.NoError(t, err)
		assert.Empty(t, faults, name)
		require.NoError(t, l.Close())
	}
}
