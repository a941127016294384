//go:build linux

// Package slowfs is a file system in user space that takes its time, as a disk far away
// does: to measure and to test what reads it. It speaks the protocol of the kernel's
// include/uapi/linux/fuse.h, version 7.31.
package slowfs

import (
	"encoding/binary"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sys/unix"
)

// Content is what is in each file.
const Content = "content"

// FS is a mounted file system: one folder with folders in it, and files in each of
// these. It is read-only, and forgets nothing.
type FS struct {
	dir            string
	fd             int
	folders, files int
	delay          time.Duration
	group          sync.WaitGroup
	now, most      atomic.Int64 // requests being answered
}

// ErrNoFuse is returned where such a file system cannot be mounted.
var ErrNoFuse = errors.New("file systems in user space cannot be mounted here")

// Mount mounts a file system on a folder. It answers each request after the delay, as many
// at once as there are.
func Mount(dir string, folders, files int, delay time.Duration) (*FS, error) {
	fd, err := unix.Open("/dev/fuse", unix.O_RDWR|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil, fmt.Errorf("%w: /dev/fuse: %w", ErrNoFuse, err)
	}
	options := fmt.Sprintf("fd=%d,rootmode=40000,user_id=0,group_id=0,allow_other", fd)
	if err := unix.Mount("slowfs", dir, "fuse", unix.MS_NOSUID|unix.MS_NODEV|unix.MS_RDONLY, options); err != nil {
		unix.Close(fd)
		return nil, fmt.Errorf("%w: %w", ErrNoFuse, err)
	}
	f := &FS{dir: dir, fd: fd, folders: folders, files: files, delay: delay}
	const readers = 4
	for range readers {
		f.group.Go(f.serve)
	}
	return f, nil
}

// Unmount ends it.
func (f *FS) Unmount() error {
	err := unix.Unmount(f.dir, unix.MNT_DETACH)
	f.group.Wait()
	return errors.Join(err, unix.Close(f.fd))
}

// Most returns how many requests were being answered at once, at most, since it was last
// asked.
func (f *FS) Most() int { return int(f.most.Swap(0)) }

// Operations of the protocol.
const (
	lookup     = 1
	forget     = 2
	getattr    = 3
	open       = 14
	read       = 15
	statfs     = 17
	release    = 18
	initialise = 26
	opendir    = 27
	readdir    = 28
	releasedir = 29
	batchDrop  = 42
	headerIn   = 40
	headerOut  = 16
)

func (f *FS) serve() {
	buf := make([]byte, 128<<10)
	for {
		n, err := unix.Read(f.fd, buf)
		switch err {
		case nil:
		case unix.EINTR, unix.ENOENT, unix.EAGAIN:
			continue
		default: // it was unmounted
			return
		}
		request := append([]byte(nil), buf[:n]...)
		op := binary.NativeEndian.Uint32(request[4:])
		switch op {
		case forget, batchDrop:
		case initialise:
			f.answer(request)
		default:
			go func() {
				now := f.now.Add(1)
				for most := f.most.Load(); now > most && !f.most.CompareAndSwap(most, now); most = f.most.Load() {
				}
				time.Sleep(f.delay)
				f.answer(request)
				f.now.Add(-1)
			}()
		}
	}
}

// answer answers a request.
func (f *FS) answer(request []byte) {
	order := binary.NativeEndian
	op, node := order.Uint32(request[4:]), order.Uint64(request[16:])
	body := request[headerIn:]
	var out []byte
	var errno unix.Errno
	switch op {
	case initialise:
		out = make([]byte, 64)
		order.PutUint32(out[0:], 7)
		order.PutUint32(out[4:], 31)
		order.PutUint32(out[8:], order.Uint32(body[8:]))
		order.PutUint32(out[12:], order.Uint32(body[12:])&(1<<18)) // lookups in one folder at once
		order.PutUint16(out[16:], 64)
		order.PutUint16(out[18:], 48)
		order.PutUint32(out[20:], 4<<10)
	case lookup:
		child, known := f.find(node, strings.TrimRight(string(body), "\x00"))
		if !known {
			errno = unix.ENOENT
			break
		}
		out = make([]byte, 40, 128)
		order.PutUint64(out, child)
		out = f.attributes(out, child)
	case getattr:
		out = f.attributes(make([]byte, 16, 104), node)
	case statfs:
		out = make([]byte, 80)
	case opendir, open:
		out = make([]byte, 16)
	case read:
		if order.Uint64(body[8:]) == 0 {
			out = []byte(Content)
		}
	case readdir:
		out = f.list(node, order.Uint64(body[8:]), int(order.Uint32(body[16:])))
	case releasedir, release:
	default:
		errno = unix.ENOSYS
	}
	reply := make([]byte, headerOut, headerOut+len(out))
	order.PutUint32(reply, uint32(headerOut+len(out)))
	order.PutUint32(reply[4:], uint32(-int32(errno)))
	order.PutUint64(reply[8:], order.Uint64(request[8:]))
	unix.Write(f.fd, append(reply, out...))
}

// The root is 1, its folders are numbered from 2, and the files of each thereafter.
const root = 1

func (f *FS) isFolder(node uint64) bool { return node < root+1+uint64(f.folders) }

// child returns the node at a place in a folder, and its name.
func (f *FS) child(folder uint64, at int) (uint64, string) {
	if folder == root {
		return root + 1 + uint64(at), "folder-" + strconv.Itoa(at)
	}
	return root + 1 + uint64(f.folders) + (folder-root-1)*uint64(f.files) + uint64(at), "file-" + strconv.Itoa(at)
}

func (f *FS) count(folder uint64) int {
	if folder == root {
		return f.folders
	}
	return f.files
}

func (f *FS) find(folder uint64, name string) (uint64, bool) {
	at, err := strconv.Atoi(name[strings.IndexByte(name, '-')+1:])
	if err != nil || at < 0 || at >= f.count(folder) {
		return 0, false
	}
	node, is := f.child(folder, at)
	return node, is == name
}

// attributes appends what is told of a node.
func (f *FS) attributes(out []byte, node uint64) []byte {
	order := binary.NativeEndian
	mode := uint32(unix.S_IFREG | 0o644)
	if f.isFolder(node) {
		mode = unix.S_IFDIR | 0o755
	}
	attr := make([]byte, 88)
	order.PutUint64(attr, node)
	if !f.isFolder(node) {
		order.PutUint64(attr[8:], uint64(len(Content)))
	}
	order.PutUint32(attr[60:], mode)
	order.PutUint32(attr[64:], 1)
	return append(out, attr...)
}

// list returns records of a folder, from one on, in so many bytes at most.
func (f *FS) list(folder, from uint64, room int) []byte {
	order := binary.NativeEndian
	var out []byte
	for at := int(from); at < f.count(folder); at++ {
		node, name := f.child(folder, at)
		length := (24 + len(name) + 7) &^ 7
		if len(out)+length > room {
			break
		}
		record := make([]byte, length)
		order.PutUint64(record, node)
		order.PutUint64(record[8:], uint64(at+1))
		order.PutUint32(record[16:], uint32(len(name)))
		kind := uint32(unix.DT_REG)
		if f.isFolder(node) {
			kind = unix.DT_DIR
		}
		order.PutUint32(record[20:], kind)
		copy(record[24:], name)
		out = append(out, record...)
	}
	return out
}
