package sqlite_test

import (
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frankledger/core/ledger/store"
	"frankledger/core/ledger/store/sqlite"
	"frankledger/core/ledger/store/storetest"
	"frankledger/internal/long"
)

// open makes a store.
func open(t *testing.T) store.Store {
	s, err := sqlite.Create(t.Context(), filepath.Join(t.TempDir(), "ledger.sqlite"))
	require.NoError(t, err)
	return s
}

func TestStore(t *testing.T) { storetest.Test(t, open, 1, 40) }

func TestStoreLong(t *testing.T) {
	long.Test(t)
	storetest.Test(t, open, uint64(time.Now().UnixNano()), 200)
}
