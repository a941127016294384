package postgres_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"frankledger/core/ledger/store"
	"frankledger/core/ledger/store/postgres"
	"frankledger/core/ledger/store/storetest"
	"frankledger/internal/testpg"
)

func TestStore(t *testing.T) {
	storetest.Test(t, func(t *testing.T) store.Store {
		name := testpg.Database(t)
		_, _, err := postgres.Prepare(t.Context(), name)
		require.NoError(t, err)
		s, err := postgres.Create(t.Context(), name)
		require.NoError(t, err)
		return s
	})
}
