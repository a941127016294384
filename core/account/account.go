// Package account finds the names behind the numbers of users and groups.
package account

import (
	"bufio"
	"context"
	"errors"
	"maps"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

// Names answers from the account files of POSIX systems and, for what is not in them, from the
// system's name service through getent, where that may know more than the files. Each number is
// asked for once, together with all that are expected. It reads nothing before the first question
// and may be asked from several goroutines.
type Names struct {
	users, groups table
}

// New returns names read from the system's own files.
func New() *Names { return NewFrom("/etc/passwd", "/etc/group", "/etc/nsswitch.conf") }

// NewFrom returns names read from files in the formats of /etc/passwd, /etc/group and
// /etc/nsswitch.conf.
func NewFrom(passwd, group, services string) *Names {
	return &Names{
		users:  table{file: passwd, database: "passwd", services: services},
		groups: table{file: group, database: "group", services: services},
	}
}

// ExpectUser says that the name of a user id may be asked for soon.
func (n *Names) ExpectUser(uid uint32) { n.users.expect(uid) }

// ExpectGroup says that the name of a group id may be asked for soon.
func (n *Names) ExpectGroup(gid uint32) { n.groups.expect(gid) }

// User returns the name of a user id and true, or the number and false.
func (n *Names) User(uid uint32) (string, bool) { return n.users.name(uid) }

// Group returns the name of a group id and true, or the number and false.
func (n *Names) Group(gid uint32) (string, bool) { return n.groups.name(gid) }

// UserDoubted reports whether a user id may have a name although User finds none: the name service
// did not answer.
func (n *Names) UserDoubted(uid uint32) bool { return n.users.doubted(uid) }

// GroupDoubted reports whether a group id may have a name although Group finds none.
func (n *Names) GroupDoubted(gid uint32) bool { return n.groups.doubted(gid) }

// UserID returns the number of a user name, and whether there is one.
func (n *Names) UserID(name string) (uint32, bool) { return n.users.id(name) }

// GroupID returns the number of a group name, and whether there is one.
func (n *Names) GroupID(name string) (uint32, bool) { return n.groups.id(name) }

// UserNames lists the users in the account file.
func (n *Names) UserNames() []string { return n.users.list() }

// GroupNames lists the groups in the account file.
func (n *Names) GroupNames() []string { return n.groups.list() }

// answer is what is known of a number.
type answer struct {
	asked *inquiry // nil if the answer was in the file
	name  string
	ok    bool
}

// inquiry is one question to the name service, about several numbers. The service may take long to
// answer: only who asks for one of these numbers waits for it.
type inquiry struct {
	once    sync.Once
	answers map[uint32]*answer
	failed  bool // no answer, or not all of it
}

// mostAsked is how many numbers one inquiry is about.
const mostAsked = 4096

type table struct {
	file, database, services string

	read  sync.Once // of the file, which sets ids and local
	ids   map[string]uint32
	local bool // the name service knows no more than the file

	mu       sync.RWMutex
	names    map[uint32]*answer
	expected map[uint32]struct{}

	late atomic.Bool // the name service took too long, and is asked for no more numbers
}

func (t *table) expect(id uint32) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.expected == nil {
		t.expected = map[uint32]struct{}{}
	}
	t.expected[id] = struct{}{}
}

func (t *table) name(id uint32) (string, bool) {
	a := t.answer(id)
	return a.name, a.ok
}

func (t *table) doubted(id uint32) bool {
	a := t.answer(id)
	return !a.ok && a.asked != nil && a.asked.failed
}

func (t *table) answer(id uint32) *answer {
	t.mu.RLock()
	a := t.names[id]
	t.mu.RUnlock()
	if a == nil {
		t.read.Do(t.readFile)
		a = t.inquire(id)
	}
	if a.asked != nil {
		a.asked.once.Do(func() { t.ask(a.asked) })
	}
	return a
}

// inquire prepares a question about a number, and about those that are expected, if nothing is known of it.
func (t *table) inquire(id uint32) *answer {
	t.mu.Lock()
	defer t.mu.Unlock()
	if a := t.names[id]; a != nil {
		return a
	}
	q := &inquiry{answers: map[uint32]*answer{}}
	add := func(id uint32) *answer {
		a := &answer{name: strconv.FormatUint(uint64(id), 10)}
		if !t.local {
			a.asked, q.answers[id] = q, a
		}
		t.names[id] = a
		return a
	}
	a := add(id)
	for id := range t.expected {
		if len(q.answers) == mostAsked {
			break
		}
		delete(t.expected, id)
		if t.names[id] == nil {
			add(id)
		}
	}
	return a
}

// ask asks the name service about all numbers of an inquiry.
func (t *table) ask(q *inquiry) {
	if t.late.Load() {
		q.failed = true
		return
	}
	var keys []string
	for _, a := range q.answers {
		keys = append(keys, a.name)
	}
	err := lookUp(t.database, keys, func(name string, id uint32) {
		if a := q.answers[id]; a != nil && !a.ok { // the first name of a number counts
			a.name, a.ok = name, true
		}
	})
	q.failed = err != nil
	if errors.Is(err, context.DeadlineExceeded) {
		t.late.Store(true)
	}
}

func (t *table) id(name string) (uint32, bool) {
	t.read.Do(t.readFile)
	id, ok := t.ids[name]
	if ok || t.local {
		return id, ok
	}
	if strings.Trim(name, "0123456789") == "" || strings.HasPrefix(name, "-") {
		return 0, false // a number, and what the name service would take for an option
	}
	lookUp(t.database, []string{name}, func(answered string, number uint32) {
		if answered == name && !ok {
			id, ok = number, true
		}
	})
	return id, ok
}

func (t *table) list() []string {
	t.read.Do(t.readFile)
	return slices.Sorted(maps.Keys(t.ids))
}

// readFile reads the account file. One that cannot be read has no accounts: their numbers are shown.
func (t *table) readFile() {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.names, t.ids = map[uint32]*answer{}, map[string]uint32{}
	t.local = onlyFiles(t.services, t.database)
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
			t.names[id] = &answer{name: name, ok: true}
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

// patience is how long the name service may take to answer, and patienceEach how much longer for
// each key.
const (
	patience     = 5 * time.Second
	patienceEach = 10 * time.Millisecond
)

// notFound is the exit status of getent for keys that the name service does not have.
const notFound = 2

// lookUp asks the name service about names or numbers and gives what it answers. The error tells
// that the answer may not be whole; it is context.DeadlineExceeded if the service took too long.
// Where there is no getent, there is nothing to ask besides the files.
func lookUp(database string, keys []string, found func(name string, id uint32)) error {
	ctx, cancel := context.WithTimeout(context.Background(), patience+time.Duration(len(keys))*patienceEach)
	defer cancel()
	cmd := exec.CommandContext(ctx, "getent", append([]string{database}, keys...)...)
	cmd.WaitDelay = time.Second
	answer, err := cmd.Output()
	for line := range strings.Lines(string(answer)) {
		if name, id, ok := parse(strings.TrimSuffix(line, "\n")); ok {
			found(name, id)
		}
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	var exit *exec.ExitError
	if errors.Is(err, exec.ErrNotFound) || errors.As(err, &exit) && exit.ExitCode() == notFound {
		return nil
	}
	return err
}
