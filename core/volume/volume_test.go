package volume_test

import (
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/volume"
)

func TestHolds(t *testing.T) {
	t.Parallel()
	limited := volume.Volume{Limited: true, First: -100, Last: 200}
	for _, c := range []struct {
		name        string
		volume      volume.Volume
		seconds     int64
		nanoseconds uint32
		want        bool
	}{
		{"of which nothing is known", volume.Volume{}, 1 << 40, 999_999_999, true},
		{"its first moment", limited, -100, 0, true},
		{"before its first moment", limited, -101, 999_999_999, false},
		{"its last second", limited, 200, 5, true},
		{"after its last second", limited, 201, 0, false},
		{"a hundredth of a second", volume.Volume{Grain: 10_000_000}, 7, 30_000_000, true},
		{"no hundredth of a second", volume.Volume{Grain: 10_000_000}, 7, 30_000_001, false},
		{"whole seconds", volume.Volume{Grain: 1_000_000_000}, 7, 0, true},
		{"no whole second", volume.Volume{Grain: 1_000_000_000}, 7, 1, false},
		{"an even second", volume.Volume{Grain: 2_000_000_000}, 8, 0, true},
		{"an odd second", volume.Volume{Grain: 2_000_000_000}, 7, 0, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			assert.Equal(t, c.want, c.volume.Holds(c.seconds, c.nanoseconds))
		})
	}
}

// What is said of a file system is what the system says, and the same for all that is on it.
func TestOf(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	file := filepath.Join(root, "file")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	dir, err := os.Open(root)
	require.NoError(t, err)
	defer dir.Close()
	v, err := volume.Of(int(dir.Fd()))
	require.NoError(t, err)
	assert.GreaterOrEqual(t, v.NameMax, 255)
	assert.Error(t, os.WriteFile(filepath.Join(root, string(make([]byte, v.NameMax+1))), nil, 0o600), "no longer name is taken")
	assert.False(t, v.ReadOnly)
	assert.False(t, v.NoLinks)
	require.NoError(t, os.Link(file, file+"2"))
	assert.Equal(t, v.ID, volume.IDAt(root))
	assert.Equal(t, v.ID, volume.IDAt(file), "a file is on what its folder is on")
	assert.Empty(t, volume.IDAt(filepath.Join(root, "nothing")))
	if runtime.GOOS != "linux" {
		return
	}
	made := unix.NsecToTimespec(1_700_000_000_000_000_000 + v.Grain) // a moment that it holds
	require.NoError(t, unix.UtimesNanoAt(unix.AT_FDCWD, file, []unix.Timespec{made, made}, 0))
	var st unix.Stat_t
	require.NoError(t, unix.Stat(file, &st))
	assert.Equal(t, made, st.Mtim)
	_, err = volume.Of(-1)
	assert.Error(t, err)
}
