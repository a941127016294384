// Package account tells the names behind the numbers of users and groups.
package account

import (
	"bufio"
	"bytes"
	"context"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"time"
)

// Names answers from the account files of POSIX systems and, where a number is
// not in them, from the system's name service through getent, asked once for
// each number. It reads nothing before the first question and may be asked
// from several goroutines.
type Names struct {
	users, groups table
}

// New returns names read from the system's own files.
func New() *Names { return NewFrom("/etc/passwd", "/etc/group") }

// NewFrom returns names read from files in the formats of /etc/passwd and
// /etc/group.
func NewFrom(passwd, group string) *Names {
	return &Names{
		users:  table{file: passwd, database: "passwd"},
		groups: table{file: group, database: "group"},
	}
}

// User returns the name of a user id and true, or the number and false.
func (n *Names) User(uid uint32) (string, bool) { return n.users.name(uid) }

// Group returns the name of a group id and true, or the number and false.
func (n *Names) Group(gid uint32) (string, bool) { return n.groups.name(gid) }

type known struct {
	name string
	ok   bool
}

type table struct {
	file, database string

	mu    sync.RWMutex
	names map[uint32]known // nil before the file was read
}

func (t *table) name(id uint32) (string, bool) {
	t.mu.RLock()
	found, ok := t.names[id]
	t.mu.RUnlock()
	if ok {
		return found.name, found.ok
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.names == nil {
		t.readFile()
	}
	found, ok = t.names[id]
	if !ok {
		found = ask(t.database, id)
		t.names[id] = found
	}
	return found.name, found.ok
}

// readFile reads the account file. One that cannot be read has no accounts:
// their numbers are shown.
func (t *table) readFile() {
	t.names = make(map[uint32]known)
	file, err := os.Open(t.file)
	if err != nil {
		return
	}
	defer file.Close()
	lines := bufio.NewScanner(file)
	for lines.Scan() {
		if name, id, ok := parse(lines.Text()); ok {
			if _, twice := t.names[id]; !twice {
				t.names[id] = known{name, true}
			}
		}
	}
}

// parse reads a line of either file: name, password, number, and more,
// separated by colons.
func parse(line string) (name string, id uint32, ok bool) {
	parts := strings.SplitN(line, ":", 4)
	if len(parts) < 4 || parts[0] == "" || strings.HasPrefix(line, "#") {
		return "", 0, false
	}
	number, err := strconv.ParseUint(parts[2], 10, 32)
	return parts[0], uint32(number), err == nil
}

// patience is how long the name service may take for one answer.
const patience = 5 * time.Second

// ask asks the name service. It gives the number where that does not know.
func ask(database string, id uint32) known {
	number := strconv.FormatUint(uint64(id), 10)
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	answer, err := exec.CommandContext(ctx, "getent", database, number).Output()
	if err == nil {
		line, _, _ := bytes.Cut(answer, []byte("\n"))
		if name, found, ok := parse(string(line)); ok && found == id {
			return known{name, true}
		}
	}
	return known{number, false}
}
