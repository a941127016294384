package cli_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// After a file system was mounted anew, under another number, a record says that
// nothing has changed if nothing has, as compare does, now and after export and
// import.
func TestRecordOfDiskMountedAnew(t *testing.T) {
	image := func() string {
		name := filepath.Join(t.TempDir(), "image")
		require.NoError(t, os.WriteFile(name, nil, 0o600))
		require.NoError(t, os.Truncate(name, 8<<20))
		if out, err := exec.Command("mkfs.ext4", "-q", "-F", name).CombinedOutput(); err != nil {
			t.Skip("no file system can be made: ", err, string(out))
		}
		return name
	}
	mount := func(image, on string) {
		if out, err := exec.Command("mount", "-o", "loop", image, on).CombinedOutput(); err != nil {
			t.Skip("nothing can be mounted: ", err, string(out))
		}
		t.Cleanup(func() { unix.Unmount(on, unix.MNT_DETACH) })
	}
	a := newActor(t, tree(t, "disk/", "aside/", "x"))
	one, other, on := image(), image(), filepath.Join(a.root, "disk")
	mount(one, on)
	require.NoError(t, os.MkdirAll(filepath.Join(on, "in"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(on, "in/file"), []byte("content"), 0o644))
	device := a.do(0, "list . --depth all --as csv --columns device where name is file")
	a.do(0, "record . --label all")
	require.NoError(t, unix.Unmount(on, 0))
	mount(other, filepath.Join(a.root, "aside"))
	mount(one, on)
	require.NotEqual(t, device, a.do(0, "list . --depth all --as csv --columns device where name is file"))
	require.NoError(t, unix.Unmount(filepath.Join(a.root, "aside"), 0))
	assert.Contains(t, a.do(0, "record . --label all"), "nothing has changed since the record before")
	assert.Equal(t, device, a.do(0, "list @all --depth all --as csv --columns device where name is file"))
	a.do(0, "compare @all")
	a.do(0, "ledger export --to ../export")
	a.do(0, "ledger import ../export --ledger ../second")
	require.NoError(t, unix.Unmount(on, 0))
	mount(other, filepath.Join(a.root, "aside"))
	mount(one, on)
	require.NoError(t, unix.Unmount(filepath.Join(a.root, "aside"), 0))
	assert.Contains(t, a.do(0, "record . --label all --ledger ../second"), "nothing has changed since the record before")
	require.NoError(t, unix.Unmount(on, 0))
	mount(other, on) // another disk is no such thing
	require.NoError(t, os.MkdirAll(filepath.Join(on, "in"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(on, "in/file"), []byte("content"), 0o644))
	assert.NotContains(t, a.do(0, "record . --label all"), "nothing has changed since the record before")
}

// A label stands for one place of a host, unless it is moved on purpose; a record
// that differs only in what was read since says that nothing has changed.
func TestLabelsAndReading(t *testing.T) {
	a := newActor(t, tree(t, "one/a", "two/b"))
	a.do(0, "record one --label l")
	r := a.run(2, "record", "two", "--label", "l")
	assert.Contains(t, r.err, "this label already stands for another place: "+a.root+"/one; choose another, or --move-label")
	assert.Contains(t, a.do(0, "ledger"), "1 record")
	later := time.Now().Add(time.Hour)
	require.NoError(t, os.Chtimes(filepath.Join(a.root, "one/a"), later, time.Time{}))
	a.do(0, "record one --label l") // its details changed by that
	require.NoError(t, unix.Mount(a.root, a.root, "", unix.MS_BIND, ""))
	defer unix.Unmount(a.root, unix.MNT_DETACH)
	require.NoError(t, unix.Mount("", a.root, "", unix.MS_REMOUNT|unix.MS_BIND|unix.MS_STRICTATIME, ""))
	before := a.do(0, "list one --as csv --columns accessed")
	_, err := os.ReadFile(filepath.Join(a.root, "one/a"))
	require.NoError(t, err)
	require.NotEqual(t, before, a.do(0, "list one --as csv --columns accessed"))
	assert.Contains(t, a.do(0, "record one --label l"), "nothing has changed since the record before")
	assert.Contains(t, a.do(0, "compare @l:1 @l"), "no difference")
	assert.Contains(t, a.do(0, "history one/a"), "2 states")
	assert.Contains(t, a.do(0, "record two --label l --move-label"), "recorded as @l")
	assert.Contains(t, a.do(0, "list @l"), "b")
	assert.Contains(t, a.run(2, "record", "one", "--label", "l").err, "this label already stands for another place")
}
