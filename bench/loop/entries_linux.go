package loop

import (
	"runtime"
	"sync"
	"unsafe"

	"golang.org/x/sys/unix"
)

// entries is the limit that the program is measured against: the least that one
// thread can do to see every entry. It prints nothing and keeps nothing. It
// reads every folder below root; with facts, it also asks for the status of
// every entry.
func entries(root string, facts bool) (count int, err error) {
	fd, err := unix.Open(root, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
	if err != nil {
		return 0, err
	}
	var buffers [][]byte
	var stat unix.Statx_t
	var read func(fd, depth int) error
	read = func(fd, depth int) error {
		defer unix.Close(fd)
		if depth == len(buffers) {
			buffers = append(buffers, make([]byte, 32<<10))
		}
		buf := buffers[depth]
		var folders []string
		for {
			n, err := unix.Getdents(fd, buf)
			if err != nil || n == 0 {
				if err != nil {
					return err
				}
				break
			}
			for at := 0; at < n; {
				length := int(*(*uint16)(unsafe.Pointer(&buf[at+16])))
				name := buf[at+19 : at+length]
				kind := buf[at+18]
				at += length
				if name[0] == '.' && (name[1] == 0 || name[1] == '.' && name[2] == 0) {
					continue
				}
				count++
				if facts {
					if _, _, errno := unix.Syscall6(unix.SYS_STATX, uintptr(fd), uintptr(unsafe.Pointer(&name[0])),
						unix.AT_SYMLINK_NOFOLLOW, unix.STATX_BASIC_STATS, uintptr(unsafe.Pointer(&stat)), 0); errno != 0 {
						return errno
					}
				}
				if kind == unix.DT_DIR {
					folders = append(folders, unix.ByteSliceToString(name))
				}
			}
		}
		for _, name := range folders {
			below, err := unix.Openat(fd, name, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC|unix.O_NOFOLLOW, 0)
			if err != nil {
				return err
			}
			if err := read(below, depth+1); err != nil {
				return err
			}
		}
		return nil
	}
	return count, read(fd, 0)
}

// entriesBy is entries with so many threads, which take folders off one stack.
func entriesBy(threads int, root string, facts bool) (count int, err error) {
	var mu sync.Mutex
	changed := sync.NewCond(&mu)
	stack, busy := []string{root}, 0
	runtime.GOMAXPROCS(threads)
	var group sync.WaitGroup
	for range threads {
		group.Go(func() {
			runtime.LockOSThread()
			buf := make([]byte, 32<<10)
			var found []string
			mu.Lock()
			defer mu.Unlock()
			for {
				for len(stack) == 0 && busy > 0 {
					changed.Wait()
				}
				if len(stack) == 0 {
					changed.Broadcast()
					return
				}
				folder := stack[len(stack)-1]
				stack = stack[:len(stack)-1]
				busy++
				mu.Unlock()
				n, failed := 0, error(nil)
				n, found, failed = readOne(folder, facts, buf, found[:0])
				mu.Lock()
				count += n
				if failed != nil && err == nil {
					err = failed
				}
				stack = append(stack, found...)
				busy--
				changed.Broadcast()
			}
		})
	}
	group.Wait()
	return count, err
}

// readOne reads one folder, and adds those in it to a list.
func readOne(folder string, facts bool, buf []byte, found []string) (int, []string, error) {
	fd, err := unix.Open(folder, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC|unix.O_NOFOLLOW, 0)
	if err != nil {
		return 0, found, err
	}
	defer unix.Close(fd)
	var stat unix.Statx_t
	for count := 0; ; {
		n, err := unix.Getdents(fd, buf)
		if err != nil || n == 0 {
			return count, found, err
		}
		for at := 0; at < n; {
			length := int(*(*uint16)(unsafe.Pointer(&buf[at+16])))
			name := buf[at+19 : at+length]
			kind := buf[at+18]
			at += length
			if name[0] == '.' && (name[1] == 0 || name[1] == '.' && name[2] == 0) {
				continue
			}
			count++
			if facts {
				if _, _, errno := unix.Syscall6(unix.SYS_STATX, uintptr(fd), uintptr(unsafe.Pointer(&name[0])),
					unix.AT_SYMLINK_NOFOLLOW, unix.STATX_BASIC_STATS, uintptr(unsafe.Pointer(&stat)), 0); errno != 0 {
					return count, found, errno
				}
			}
			if kind == unix.DT_DIR {
				found = append(found, folder+"/"+unix.ByteSliceToString(name))
			}
		}
	}
}
