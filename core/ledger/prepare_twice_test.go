package ledger_test

import (
	"os"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/ledger"
	"frankledger/internal/testpg"
)

// Two that upgrade the same ledger at once are not in each other's way.
func TestUpgradedTwiceAtOnce(t *testing.T) {
	if os.Getenv(onPostgres) != "" {
		t.Skip("it makes databases of its own")
	}
	database := testpg.Database(t)
	_, _, err := ledger.Prepare(t.Context(), database)
	require.NoError(t, err)
	query(t, database, "UPDATE frank.about SET version = 4; DROP INDEX frank.record_newest; DROP TABLE frank.label; ALTER TABLE frank.record DROP COLUMN stored")
	var group sync.WaitGroup
	for range 3 {
		group.Go(func() {
			_, _, err := ledger.Prepare(t.Context(), database)
			assert.NoError(t, err)
		})
	}
	group.Wait()
	query(t, database, "DO $$ BEGIN ASSERT (SELECT version FROM frank.about) = 5 AND (SELECT indisvalid FROM pg_index WHERE indexrelid = 'frank.record_newest'::regclass); END $$")
}
