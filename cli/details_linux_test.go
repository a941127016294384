package cli_test

import (
	"encoding/binary"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// What systems have besides the facts of POSIX is in columns, conditions and on the card, as the kernel tells it.
func TestDetails(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("only an administrator gives a program capabilities")
	}
	folder, err := os.MkdirTemp("/var/tmp", "frank-test-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(folder) })
	root := filepath.Join(folder, "in")
	for _, name := range []string{"a", "b", "c"} {
		require.NoError(t, os.MkdirAll(root, 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(root, name), nil, 0o640))
	}
	require.NoError(t, os.Symlink("a", filepath.Join(root, "link")))
	acl := binary.LittleEndian.AppendUint32(nil, 2)
	for _, e := range [][3]uint32{{1, 6, ^uint32(0)}, {2, 6, 48230}, {4, 4, ^uint32(0)}, {16, 6, ^uint32(0)}, {32, 0, ^uint32(0)}} {
		acl = binary.LittleEndian.AppendUint16(acl, uint16(e[0]))
		acl = binary.LittleEndian.AppendUint16(acl, uint16(e[1]))
		acl = binary.LittleEndian.AppendUint32(acl, e[2])
	}
	if err := unix.Setxattr(filepath.Join(root, "a"), "system.posix_acl_access", acl, 0); err != nil {
		t.Skip("no access lists here: ", err)
	}
	require.NoError(t, unix.Setxattr(filepath.Join(root, "a"), "user.note", []byte("x"), 0))
	capability := make([]byte, 20)
	binary.LittleEndian.PutUint32(capability, 0x02000001)
	binary.LittleEndian.PutUint32(capability[4:], 1<<10)
	require.NoError(t, unix.Setxattr(filepath.Join(root, "b"), "security.capability", capability, 0))
	file, err := os.Open(filepath.Join(root, "b"))
	require.NoError(t, err)
	defer file.Close()
	const immutable = 0x10 // FS_IMMUTABLE_FL
	set := unix.IoctlSetPointerInt(int(file.Fd()), unix.FS_IOC_SETFLAGS, immutable) == nil
	defer unix.IoctlSetPointerInt(int(file.Fd()), unix.FS_IOC_SETFLAGS, 0)
	require.NoError(t, os.Chmod(filepath.Join(root, "c"), 0o666))

	r := run(t, root, "list", "--as", "csv", "--columns", "name,readers,writers,acl,xattrs,capabilities,host")
	assert.Equal(t, "name,readers,writers,acl,xattrs,capabilities,host\r\na,some,some,true,user.note,,\r\nb,some,owner,false,security.capability,net_bind_service,\r\n"+
		"c,everyone,everyone,false,,,\r\nlink,,,false,,,\r\n", r.out)
	var fs unix.Statfs_t
	require.NoError(t, unix.Statfs(root, &fs))
	mounts, err := os.ReadFile("/proc/self/mounts")
	require.NoError(t, err)
	kind := run(t, root, "list", "a", "--as", "csv", "--columns", "filesystem,mount").out
	parts := strings.Split(strings.Split(kind, "\r\n")[1], ",")
	require.Len(t, parts, 2)
	assert.Contains(t, string(mounts), " "+parts[1]+" "+parts[0]+" ")
	for line, want := range map[string]string{
		"writers is everyone":                          "./c\n",
		"writers is some,everyone":                     "./a\n./c\n",
		"acl":                                          "./a\n",
		"xattrs has note":                              "./a\n",
		"xattrs missing and kind is file":              "./c\n",
		"capabilities present":                         "./b\n",
		"host missing and name is a":                   "./a\n",
		"not readers present":                          "./link\n",
		"filesystem is " + parts[0] + " and name is c": "./c\n",
	} {
		assert.Equal(t, want, run(t, root, append([]string{"search", ".", "--as", "paths", "where"}, strings.Fields(line)...)...).out, line)
	}
	if set {
		assert.Equal(t, "./b\n", run(t, root, "search", ".", "--as", "paths", "where", "flags", "has", "immutable").out)
		assert.Contains(t, run(t, root, "inspect", "b").out, "immutable")
	}
	// Records have them if that is wanted, and from then on; to want them is no change.
	ledger := filepath.Join(t.TempDir(), "ledger")
	columns := []string{"--as", "csv", "--columns", "name,readers,writers,acl,xattrs,capabilities,flags"}
	now := run(t, root, append([]string{"list"}, columns...)...).out
	record := func(more ...string) string {
		r := finish(t, withLedger(t, ledger, root, append([]string{"record", "--label", "l"}, more...)...))
		require.Zero(t, r.status, r.err)
		return r.out
	}
	listed := func(file string) string {
		return finish(t, withLedger(t, file, root, append([]string{"list", "@l"}, columns...)...)).out
	}
	record()
	assert.Contains(t, listed(ledger), "\na,,,,,,\r\n", "they were not asked for")
	assert.Contains(t, record("--attributes"), "nothing has changed")
	assert.Equal(t, now, listed(ledger))
	assert.Contains(t, record(), "nothing has changed")
	assert.Equal(t, now, listed(ledger))
	lines := filepath.Join(t.TempDir(), "lines")
	require.NoError(t, os.WriteFile(lines, []byte(finish(t, withLedger(t, ledger, root, "ledger", "export")).out), 0o600))
	other := filepath.Join(t.TempDir(), "other")
	require.Zero(t, finish(t, withLedger(t, other, root, "ledger", "import", lines)).status)
	assert.Equal(t, now, listed(other))
	assert.Contains(t, finish(t, withLedger(t, ledger, root, "search", "@l", "--as", "paths", "where", "capabilities", "has", "net")).out, "/b")
	assert.Contains(t, finish(t, withLedger(t, ledger, root, "inspect", "@l/a")).out, "by the access list, user 48230 may read and write")
	require.NoError(t, unix.Setxattr(filepath.Join(root, "c"), "user.new", nil, 0))
	assert.Contains(t, record(), "1 with other details")
	assert.Contains(t, finish(t, withLedger(t, ledger, root, "compare", "@l:1", "@l")).out, "xattrs ")
	assert.Contains(t, record("--attributes=false"), "nothing has changed")
	assert.Contains(t, listed(ledger), "\na,,,,,,\r\n")
	assert.Zero(t, finish(t, withLedger(t, ledger, root, "ledger", "check")).status)

	card := run(t, root, "inspect", "a").out
	assert.Contains(t, card, "the owner may read and write; the group may read; others may not do anything")
	assert.Contains(t, card, "by the access list, user 48230 may read and write")
	assert.Contains(t, run(t, root, "inspect", "b").out, "net_bind_service")
}
