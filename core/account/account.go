// Package account finds the names behind the numbers of users and groups.
package account

import (
	"bufio"
	"bytes"
	"context"
	"maps"
	"os"
	"os/exec"
	"slices"
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

// UserID returns the number of a user name, and whether there is one.
func (n *Names) UserID(name string) (uint32, bool) { return n.users.id(name) }

// GroupID returns the number of a group name, and whether there is one.
func (n *Names) GroupID(name string) (uint32, bool) { return n.groups.id(name) }

// UserNames lists the users in the account file.
func (n *Names) UserNames() []string { return n.users.list() }

// GroupNames lists the groups in the account file.
func (n *Names) GroupNames() []string { return n.groups.list() }

// answer is what is known of a number. The name service may take long to answer: only
// who asks for the same number waits for it.
type answer struct {
	asked sync.Once
	name  string
	ok    bool
}

type table struct {
	file, database string

	mu    sync.RWMutex
	names map[uint32]*answer // nil before the file was read
	ids   map[string]uint32
}

func (t *table) name(id uint32) (string, bool) {
	t.mu.RLock()
	a := t.names[id]
	t.mu.RUnlock()
	if a == nil {
		t.mu.Lock()
		t.readFile()
		if a = t.names[id]; a == nil {
			a = &answer{}
			t.names[id] = a
		}
		t.mu.Unlock()
	}
	a.asked.Do(func() {
		a.name = strconv.FormatUint(uint64(id), 10)
		if name, answered, ok := ask(t.database, a.name); ok && answered == id {
			a.name, a.ok = name, true
		}
	})
	return a.name, a.ok
}

func (t *table) id(name string) (uint32, bool) {
	t.mu.Lock()
	t.readFile()
	id, ok := t.ids[name]
	t.mu.Unlock()
	if ok {
		return id, true
	}
	if strings.Trim(name, "0123456789") == "" || strings.HasPrefix(name, "-") {
		return 0, false // a number, and what the name service would take for an option
	}
	answered, id, ok := ask(t.database, name)
	return id, ok && answered == name
}

func (t *table) list() []string {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.readFile()
	return slices.Sorted(maps.Keys(t.ids))
}

// readFile reads the account file, once. One that cannot be read has no
// accounts: their numbers are shown. t.mu is held.
func (t *table) readFile() {
	if t.names != nil {
		return
	}
	t.names, t.ids = make(map[uint32]*answer), make(map[string]uint32)
	file, err := os.Open(t.file)
	if err != nil {
		return
	}
	defer file.Close()
	lines := bufio.NewScanner(file)
	lines.Buffer(nil, longestLine)
	for lines.Scan() {
		name, id, ok := parse(lines.Text())
		if !ok {
			continue
		}
		if _, twice := t.names[id]; !twice {
			a := &answer{name: name, ok: true}
			a.asked.Do(func() {})
			t.names[id] = a
		}
		if _, twice := t.ids[name]; !twice {
			t.ids[name] = id
		}
	}
}

// longestLine is how long a line can be: a group may have very many members.
const longestLine = 64 << 20

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

// ask asks the name service about a name or number.
func ask(database, key string) (name string, id uint32, ok bool) {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	answer, err := exec.CommandContext(ctx, "getent", database, key).Output()
	if err != nil {
		return "", 0, false
	}
	line, _, _ := bytes.Cut(answer, []byte("\n"))
	return parse(string(line))
}
