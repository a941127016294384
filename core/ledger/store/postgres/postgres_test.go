package postgres_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frankledger/core/ledger/store"
	"frankledger/core/ledger/store/postgres"
	"frankledger/core/ledger/store/storetest"
	"frankledger/internal/long"
	"frankledger/internal/testpg"
)

// open makes a store.
func open(t *testing.T) store.Store {
	name := testpg.Database(t)
	_, _, err := postgres.Prepare(t.Context(), name)
	require.NoError(t, err)
	s, err := postgres.Create(t.Context(), name)
	require.NoError(t, err)
	return s
}

func TestStore(t *testing.T) { storetest.Test(t, open, 1, 40) }

func TestStoreLong(t *testing.T) {
	long.Test(t)
	storetest.Test(t, open, uint64(time.Now().UnixNano()), 200)
}
