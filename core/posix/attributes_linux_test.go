package posix_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/posix"
)

func TestGrown(t *testing.T) {
	for _, size := range []int{0, 1, 256, 257, 5000, 70_000} {
		room, err := posix.Grown(func(room []byte) (int, error) {
			if len(room) < size {
				return -1, unix.ERANGE
			}
			for i := range size {
				room[i] = byte(i)
			}
			return size, nil
		})
		require.NoError(t, err)
		require.Len(t, room, size)
		for i := range room {
			require.Equal(t, byte(i), room[i])
		}
	}
	calls := 0
	room, err := posix.Grown(func([]byte) (int, error) {
		calls++
		return -1, unix.ERANGE
	})
	assert.ErrorIs(t, err, unix.ERANGE)
	assert.Empty(t, room)
	assert.Less(t, calls, 10, "it gives up")
}
