package sqlite_test

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"frankledger/core/ledger/store"
	"frankledger/core/ledger/store/sqlite"
	"frankledger/core/ledger/store/storetest"
)

func TestStore(t *testing.T) {
	storetest.Test(t, func(t *testing.T) store.Store {
		s, err := sqlite.Create(t.Context(), filepath.Join(t.TempDir(), "ledger.sqlite"))
		require.NoError(t, err)
		return s
	})
}
