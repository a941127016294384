package act_test

import (
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
)

// tortureDisks returns folders on file systems of several kinds: those that keep little
// are among them.
func tortureDisks(t *testing.T) (disks []string) {
	for _, kind := range [][]string{{"mkfs.ext4", "-q", "-F", "-I", "128"}, {"mkfs.xfs", "-q"}, {"mkfs.btrfs", "-q"}} {
		image := filepath.Join(t.TempDir(), "image")
		require.NoError(t, os.WriteFile(image, nil, 0o600))
		require.NoError(t, os.Truncate(image, 320<<20))
		if _, err := exec.Command(kind[0], append(kind[1:], image)...).CombinedOutput(); err != nil {
			continue
		}
		on := t.TempDir()
		if _, err := exec.Command("mount", "-o", "loop", image, on).CombinedOutput(); err != nil {
			continue
		}
		t.Cleanup(func() { unix.Unmount(on, unix.MNT_DETACH) })
		disks = append(disks, on)
	}
	shm, err := os.MkdirTemp("/dev/shm", "frank-torture-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(shm) })
	return append(disks, shm, t.TempDir())
}

// seen is what the kernel says of an entry.
type seen struct {
	mode    uint32
	line    string // owner, attributes, flags, target or content
	content string
	times   string
	folder  bool
	group   string // the first path that is a name of the same file
	apart   bool   // on another file system than the tree
}

// The calls for flags of a file, and those that the torture sets: not to be dumped, and
// no times of reading.
const (
	getFlags, setFlags = 0x80086601, 0x40086602
	oddFlags           = 0x40 | 0x80
)

func flagsOf(path string) int {
	fd, err := unix.Open(path, unix.O_RDONLY|unix.O_NOFOLLOW|unix.O_NONBLOCK, 0)
	if err != nil {
		return 0
	}
	defer unix.Close(fd)
	flags, err := unix.IoctlGetInt(fd, getFlags)
	if err != nil {
		return 0
	}
	return flags & oddFlags
}

func giveFlags(path string, flags int) {
	if fd, err := unix.Open(path, unix.O_RDONLY|unix.O_NOFOLLOW|unix.O_NONBLOCK, 0); err == nil {
		if now, err := unix.IoctlGetInt(fd, getFlags); err == nil {
			unix.IoctlSetPointerInt(fd, setFlags, now|flags)
		}
		unix.Close(fd)
	}
}

// see looks at all that is in a folder.
func (r *torture) see(root string) map[string]seen {
	all := map[string]seen{}
	first := map[[2]uint64]string{}
	filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return nil
		}
		var st unix.Stat_t
		if unix.Lstat(path, &st) != nil {
			return nil
		}
		s := seen{mode: st.Mode, times: fmt.Sprint(st.Mtim), folder: d.IsDir(), apart: strings.HasPrefix(path, r.other)}
		switch st.Mode & unix.S_IFMT {
		case unix.S_IFREG:
			content, _ := os.ReadFile(path)
			s.content = string(content)
		case unix.S_IFLNK:
			s.content, _ = os.Readlink(path)
			s.content = "-> " + s.content
		}
		s.line = fmt.Sprint(st.Uid, " ", st.Gid, " ", s.content)
		if !d.IsDir() && st.Nlink > 1 {
			node := [2]uint64{uint64(st.Dev), st.Ino}
			if first[node] == "" {
				first[node] = strings.TrimPrefix(path, root)
			}
			s.group = first[node]
		}
		if st.Mode&unix.S_IFMT != unix.S_IFLNK {
			room := make([]byte, 1024)
			for _, key := range []string{"user.note", "security.capability", "trusted.SGI_ACL_FILE", sys.AccessList, sys.DefaultList} {
				if n, err := unix.Lgetxattr(path, key, room); err == nil {
					s.line += fmt.Sprintf(" %s=%x", key, room[:n])
				}
			}
			if flags := flagsOf(path); flags != 0 {
				s.line += fmt.Sprintf(" flags %x", flags)
			}
		}
		all[strings.TrimPrefix(path, root)] = s
		return nil
	})
	return all
}

// contents returns all content that there is anywhere, with the permissions of
// each.
func (r *torture) contents() map[string]uint32 {
	all := map[string]uint32{}
	for _, root := range []string{r.folder, r.other} {
		for path, s := range r.see(root) {
			if s.content != "" && !strings.HasPrefix(path, "/journal") {
				all[s.content] |= s.mode & 0o7777
			}
		}
	}
	return all
}

// capability of a program, as version 2 of the attribute has it.
var netRaw = []byte{1, 0, 0, 2, 0, 0x20, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0}

// grow makes a tree.
func (r *torture) grow() {
	random := r.random
	folders := []string{r.root}
	var files []string
	must := func(err error) { require.NoError(r, err, "seed %d", r.seed) }
	must(os.MkdirAll(r.root, 0o755))
	for i := range 5 + random.IntN(30) {
		in := folders[random.IntN(len(folders))]
		name := filepath.Join(in, []string{"", ".", "-", "a b\n", "\xff", strings.Repeat("long", 61)}[random.IntN(6)]+fmt.Sprint("n", random.IntN(30))+[]string{"", ".txt", ".tar.gz"}[random.IntN(3)])
		if _, err := os.Lstat(name); err == nil || len(filepath.Base(name)) > 255 {
			continue
		}
		switch k := random.IntN(10); {
		case k < 3:
			must(os.Mkdir(name, os.FileMode(0o700|random.IntN(0o100))))
			folders = append(folders, name)
			if random.IntN(6) == 0 {
				must(unix.Setxattr(name, sys.DefaultList, accessList(7, 5, 7, 0, map[uint32]uint16{1001: uint16(random.IntN(8))}, nil), 0))
			}
			if random.IntN(6) == 0 {
				giveFlags(name, 0x40)
			}
		case k == 3:
			must(os.Symlink([]string{r.outside, "n1", "../..", r.outside + "/file"}[random.IntN(4)], name))
		case k < 6 && len(files) > 0: // each tree has hard links
			must(os.Link(files[random.IntN(len(files))], name))
			files = append(files, name)
		default:
			content := fmt.Sprintf("content %d of %d", i, r.seed)
			if random.IntN(8) == 0 {
				content += strings.Repeat("\x00", random.IntN(1<<20)) + "end"
			}
			owner, group, mode := 1000+random.IntN(3), 3000+random.IntN(3), 0o400|random.IntN(0o400)
			if random.IntN(3) == 0 { // some have the same content and rights
				content, owner, group, mode = fmt.Sprintf("the same %d of %d", random.IntN(2), r.seed), 1000, 3000, 0o640
			}
			must(os.WriteFile(name, []byte(content), 0o600))
			files = append(files, name)
			must(os.Chown(name, owner, group))
			must(os.Chmod(name, os.FileMode(mode)))
			if strings.HasPrefix(content, "the same") {
				continue
			}
			if random.IntN(6) == 0 {
				must(unix.Setxattr(name, sys.AccessList, accessList(6, uint16(random.IntN(8)), uint16(random.IntN(8)), 0, map[uint32]uint16{1001: uint16(random.IntN(8))}, nil), 0))
			}
			if random.IntN(6) == 0 {
				must(unix.Setxattr(name, "user.note", []byte(fmt.Sprint("note ", i)), 0))
			}
			if random.IntN(6) == 0 {
				must(unix.Setxattr(name, "security.capability", netRaw, 0))
			}
			if random.IntN(6) == 0 {
				giveFlags(name, []int{0x40, 0x80, 0xc0}[random.IntN(3)])
			}
		}
	}
	must(filepath.WalkDir(r.root, func(path string, d fs.DirEntry, err error) error {
		moment := unix.Timespec{Sec: 1_600_000_000 + random.Int64N(1e8), Nsec: random.Int64N(1e9)}
		switch random.IntN(8) {
		case 0:
			moment.Sec = 4_000_000_000 // in the future
		case 1:
			moment.Sec = -100_000
		}
		return unix.UtimesNanoAt(unix.AT_FDCWD, path, []unix.Timespec{moment, moment}, unix.AT_SYMLINK_NOFOLLOW)
	}))
}

// meddle changes something in the tree, as another program might.
func (r *torture) meddle() {
	r.meddled = true
	var paths []string
	for _, root := range []string{r.root, string(r.into), r.other} {
		filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err == nil && path != root {
				paths = append(paths, path)
			}
			return nil
		})
	}
	if len(paths) == 0 {
		return
	}
	path := paths[r.random.IntN(len(paths))]
	info, err := os.Lstat(path)
	if err != nil {
		return
	}
	r.away++
	moved := filepath.Join(r.folder, fmt.Sprint("moved away ", r.away))
	if strings.HasPrefix(path, r.other+"/") {
		moved = filepath.Join(r.other, fmt.Sprint("moved away ", r.away))
	}
	fresh := fmt.Sprintf("new content %d of %d", r.away, r.seed)
	add := func(path string) error {
		if _, err := os.Lstat(path); err == nil {
			return fs.ErrExist
		}
		err := os.WriteFile(path, []byte(fresh), 0o600)
		if err == nil {
			r.added[fresh] = true
		}
		return err
	}
	another := fmt.Sprint("new ", r.away)
	var did error
	what := r.random.IntN(7)
	switch {
	case what == 0: // swapped for a link that leads out
		if did = os.Rename(path, moved); did == nil {
			did = os.Symlink(r.outside, path)
		}
	case what == 1 && info.IsDir():
		did = add(filepath.Join(path, another))
	case what == 2 && info.Mode().IsRegular():
		did = os.WriteFile(path, []byte(fmt.Sprintf("altered content %d of %d", r.away, r.seed)), 0o600)
		r.altered++ // what was there is lost by this, and not by what is tested
	case what == 3:
		did = os.Rename(path, moved)
	case what == 4 && info.Mode().IsRegular(): // as editors save: what was there stays beside it
		if did = add(moved + " new"); did == nil {
			if did = os.Rename(path, moved); did == nil {
				did = os.Rename(moved+" new", path)
			}
		}
		if r.call.Name == "Unlink" && r.call.On == filepath.Base(path) {
			r.altered++ // it comes after the last look, and no system removes by handle
		}
	case what == 5 && !info.IsDir(): // its rights, by whom it belongs to
		did = unix.Lchown(path, 1009, 3009)
	case what == 6 && info.IsDir(): // moved away, and another one in its place
		if did = os.Rename(path, moved); did == nil {
			if did = os.Mkdir(path, 0o755); did == nil {
				did = add(filepath.Join(path, another))
			}
		}
	default:
		did = add(filepath.Join(filepath.Dir(path), another))
	}
	r.note("meddled %d with %.60q: %v", what, strings.TrimPrefix(path, r.folder), did)
}
