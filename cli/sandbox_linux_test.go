package cli_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"
	"unsafe"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// sandboxed runs the program that its arguments name, after it has the kernel refuse statx, as some
// sandboxes do. It is called in a process of its own.
func sandboxed(args []string) {
	runtime.LockOSThread()
	filter := []unix.SockFilter{
		{Code: unix.BPF_LD | unix.BPF_W | unix.BPF_ABS}, // the number of the call
		{Code: unix.BPF_JMP | unix.BPF_JEQ | unix.BPF_K, Jf: 1, K: unix.SYS_STATX},
		{Code: unix.BPF_RET | unix.BPF_K, K: unix.SECCOMP_RET_ERRNO | uint32(unix.EPERM)},
		{Code: unix.BPF_RET | unix.BPF_K, K: unix.SECCOMP_RET_ALLOW},
	}
	program := unix.SockFprog{Len: uint16(len(filter)), Filter: &filter[0]}
	if unix.Prctl(unix.PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) != nil {
		os.Exit(99)
	}
	if unix.Prctl(unix.PR_SET_SECCOMP, unix.SECCOMP_MODE_FILTER, uintptr(unsafe.Pointer(&program)), 0, 0) != nil {
		os.Exit(99)
	}
	unix.Exec(args[0], args, os.Environ())
	os.Exit(98)
}

func init() {
	if os.Getenv("FRANK_TEST_SANDBOX") != "" {
		sandboxed(os.Args[1:])
	}
}

func TestStatxRefused(t *testing.T) {
	root := tree(t, "a/b")
	require.NoError(t, os.WriteFile(filepath.Join(root, "a/b"), []byte("12345"), 0o644))
	require.NoError(t, os.Chmod(filepath.Join(root, "a/b"), 0o640))
	cmd := command(t, root, "list", "a", "--as", "json", "--columns", "name,size,mode,created")
	cmd.Args = append([]string{os.Args[0], frank}, cmd.Args[1:]...)
	cmd.Path = os.Args[0]
	cmd.Env = append(cmd.Env, "FRANK_TEST_SANDBOX=1")
	r := finish(t, cmd)
	if r.status == 99 {
		t.Skip("no filter of system calls can be set here")
	}
	require.Zero(t, r.status, r.err)
	var answer struct {
		Entries []struct {
			Name, Mode string
			Size       int
			Created    *time.Time
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &answer), r.out)
	require.Len(t, answer.Entries, 1)
	assert.Equal(t, 5, answer.Entries[0].Size)
	assert.Equal(t, "0640", answer.Entries[0].Mode)
	assert.Nil(t, answer.Entries[0].Created, "the older call does not tell")
}

// The Tab key on a pipe, at which nobody writes, comes back.
func TestTabOnPipe(t *testing.T) {
	root := tree(t)
	require.NoError(t, unix.Mkfifo(filepath.Join(root, "pipe"), 0o644))
	cmd := command(t, root, "__complete", "list", "pipe", "where", "ext", "is", "")
	require.NoError(t, cmd.Start())
	ended := make(chan error, 1)
	go func() { ended <- cmd.Wait() }()
	select {
	case err := <-ended:
		assert.NoError(t, err)
	case <-time.After(20 * time.Second):
		cmd.Process.Kill()
		t.Fatal("it waits for a writer")
	}
}

// That a link counts as read, because it was asked where it leads, is told once it is so.
func TestLinksCountAsRead(t *testing.T) {
	root := tree(t)
	link := filepath.Join(root, "link")
	require.NoError(t, os.Symlink("nowhere", link))
	old := func() {
		require.NoError(t, unix.UtimesNanoAt(unix.AT_FDCWD, link, []unix.Timespec{{Sec: 1_000_000}, {Sec: 2_000_000}}, unix.AT_SYMLINK_NOFOLLOW))
	}
	read := func() int64 {
		var st unix.Stat_t
		require.NoError(t, unix.Lstat(link, &st))
		return st.Atim.Sec
	}
	old()
	_, err := os.Readlink(link)
	require.NoError(t, err)
	if read() == 1_000_000 {
		t.Skip("reading a link changes nothing here")
	}
	old()
	assert.Empty(t, run(t, root, "list", "--columns", "name,size").err)
	require.EqualValues(t, 1_000_000, read())
	assert.Contains(t, run(t, root, "list", "--columns", "name,target").err, "1 link counts as read just now")
	require.NotEqualValues(t, 1_000_000, read())
	assert.Empty(t, run(t, root, "list", "--columns", "name,target").err)
	old()
	assert.Empty(t, run(t, root, "list", "--columns", "name,target", "--quiet").err)
}

// A card follows a link as the system does, also through a folder that is a link, and tells of a folder that
// cannot be read that it is not known what it holds; of a list, each entry with what it holds.
func TestInspectTellsTrue(t *testing.T) {
	root := tree(t, "real/deep/x", "real/f", "shut/y", "full/in/z")
	for dir := root; len(dir) > len(os.TempDir()); dir = filepath.Dir(dir) {
		require.NoError(t, os.Chmod(dir, 0o755))
	}
	require.NoError(t, os.Symlink("real/deep", filepath.Join(root, "folder")))
	require.NoError(t, os.Symlink("folder/../f", filepath.Join(root, "link")))
	require.NoError(t, os.Symlink("there", filepath.Join(root, "back")))
	require.NoError(t, os.Symlink("back", filepath.Join(root, "there")))
	r := run(t, root, "inspect", "link")
	assert.Regexp(t, `leads to +folder/\.\./f\n`, strings.ReplaceAll(r.out, root+"/", ""))
	assert.NotContains(t, r.out, "broken")
	assert.Contains(t, run(t, root, "inspect", "back").out, "leads back to itself")
	link := filepath.Join(root, "link")
	require.NoError(t, unix.UtimesNanoAt(unix.AT_FDCWD, link, []unix.Timespec{{Sec: 1_000_000_000}, {Sec: 1_100_000_000}}, unix.AT_SYMLINK_NOFOLLOW))
	assert.Regexp(t, `accessed +2001-09-09`, run(t, root, "inspect", "link", "--times", "utc").out, "not when it looked itself")
	if os.Geteuid() == 0 {
		require.NoError(t, os.Chmod(filepath.Join(root, "shut"), 0o711))
		cmd := command(t, root, "inspect", "shut")
		cmd.Env = append(cmd.Env, "HOME="+root)
		r = finish(t, stranger(cmd))
		assert.Equal(t, 3, r.status)
		assert.Contains(t, r.out, "not known, because it could not be read")
		assert.NotContains(t, r.out, "0 entries")
	}
	require.NoError(t, os.WriteFile(filepath.Join(root, "kept"), []byte("full\n"), 0o644))
	assert.Regexp(t, `holds +2 entries: 1 folder, 1 file`, run(t, root, "inspect", "@@kept").out)
	// A place with a slash at its end makes no path with two.
	require.NoError(t, os.Link(filepath.Join(root, "full/in/z"), filepath.Join(root, "full/in/again")))
	assert.NotContains(t, run(t, root, "weigh", "full/", "--explain", "full", "--as", "csv").out, "//")
}
