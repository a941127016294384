package ledger_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/ledger/recording"
)

// Whoever reads the file of a ledger meanwhile, as to take its digest, does not take away its locks.
func TestLocksStayWhenTheFileIsRead(t *testing.T) {
	fileOnly(t)
	root, file := begun(t)
	l, err := createNamed(t.Context(), file)
	require.NoError(t, err)
	defer l.Close()
	var st unix.Stat_t
	require.NoError(t, unix.Stat(file, &st))
	inside := 0
	l.Interpose(func(in bool) error {
		if !in {
			return nil
		}
		inside++
		_, err := os.ReadFile(file)
		require.NoError(t, err)
		locks, err := os.ReadFile("/proc/locks")
		require.NoError(t, err)
		assert.True(t, strings.Contains(string(locks), fmt.Sprintf(":%d ", st.Ino)), "call %d: nobody has %s locked", inside, filepath.Base(file))
		return nil
	})
	require.NoError(t, write(l, root, recording.Options{}))
	assert.Positive(t, inside)
}
