package journals

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sys/unix"

	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// A journal is JSON lines: one that says what is done, one for each step, one for
// each folder in which names change, and then, as it goes, lines for what begins
// and what is done. What is to be done is on disk before the first step; a step
// that was begun and not closed, since the program was killed, is decided by
// looking at what is there.

// Journals is the folder that journals are kept in.
type Journals struct{ Folder string }

const journalVersion = 1

type journalLine struct {
	Header *header      `json:"frank_journal,omitempty"`
	Step   *plans.Step  `json:"step,omitempty"`
	Folder *FolderTimes `json:"folder,omitempty"`
	Event
}

type header struct {
	Version int           `json:"version"`
	Number  int64         `json:"number"`
	Steps   int           `json:"steps"`
	Began   exact.Time    `json:"began"`
	Action  plans.Action  `json:"action"`
	Host    exact.Text    `json:"host"`
	Options plans.Options `json:"options"`
	// Volumes are those of the plan.
	Volumes map[uint64]string `json:"volumes,omitempty"`
	// Token makes the names of copies that are not whole yet this journal's own.
	Token string `json:"token,omitempty"`
}

// FolderTimes are the times of a folder, before anything was done or after.
type FolderTimes struct {
	Path     exact.Text `json:"path"`
	Modified exact.Time `json:"modified"`
	After    bool       `json:"after,omitempty"`
}

// Event is something that happened to a step, by its number from 1.
type Event struct {
	Begin    int        `json:"begin,omitempty"`
	Done     int        `json:"done,omitempty"`
	Failed   int        `json:"failed,omitempty"`
	Undone   int        `json:"undone,omitempty"`
	Partly   int        `json:"partly,omitempty"` // it could not be done to its end
	Copied   int        `json:"copied,omitempty"` // its copy is whole, and what it is a copy of may be removed
	Back     int        `json:"back,omitempty"`   // likewise, when it was undone
	Held     int        `json:"held,omitempty"`   // in it, times became others than they were
	Linked   int        `json:"linked,omitempty"` // in it, a file has other names too
	Drop     int        `json:"drop,omitempty"`   // its copy, which is as it was made, is going to be removed
	Return   int        `json:"return,omitempty"` // it is going to be copied back
	Apart    int        `json:"apart,omitempty"`  // so many files came back without their other names, which had stayed
	Relative exact.Text `json:"way,omitempty"`    // from the entry to what it is about
	Gone     int64      `json:"gone,omitempty"`   // how many entries were removed
	Of       int64      `json:"of,omitempty"`     // so many
	Made     exact.Text `json:"made,omitempty"`   // a folder that was made
	To       exact.Text `json:"to,omitempty"`     // where it goes, where the step does not say
	Info     exact.Text `json:"info,omitempty"`   // what the trash keeps of it
	Inode    uint64     `json:"inode,omitempty"`
	Device   uint64     `json:"device,omitempty"`
	Volume   string     `json:"volume,omitempty"`
	// What times it has got, where the file system could not hold those meant.
	Modified *exact.Time `json:"modified,omitempty"`
	Accessed *exact.Time `json:"accessed,omitempty"`
	Became   *exact.Time `json:"became,omitempty"`
	Why      exact.Text  `json:"why,omitempty"`
	Left     bool        `json:"left,omitempty"` // something may have the name for passing still, which the step gave it
	// Of a copy: what the entry lost on the way, and does not get back when it comes back.
	Lost exact.Text `json:"lost,omitempty"`
	// Of a copy: when its details were last changed, and what it holds.
	Changed *exact.Time `json:"changed,omitempty"`
	Digest  string      `json:"digest,omitempty"`
	// What it could do as a program, before it was given away.
	Capability exact.Text `json:"capability,omitempty"`
	End        bool       `json:"end,omitempty"`
	Undid      bool       `json:"undid,omitempty"`
	Undoing    bool       `json:"undoing,omitempty"` // from here on it is taken back
}

// Journal is a journal that is being written.
type Journal struct {
	Number  int64
	file    *os.File
	calls   *sys.Calls
	token   string
	pending []byte
}

// Under returns the name of the copy of a step's entry until it is whole.
func (j *Journal) Under(step int) string { return copyName(j.Number, j.token, step) }

// copyName returns the name of a copy until it is whole. Journals of an earlier
// version have no token.
func copyName(number int64, token string, step int) string {
	if token == "" {
		return fmt.Sprintf(".frank-act-%d-%d", number, step)
	}
	return fmt.Sprintf(".frank-%s-%d", token, step)
}

// Sync has all that was noted on disk.
func (j *Journal) Sync() error {
	err := j.Flush()
	if err == nil {
		err = j.calls.Sync(int(j.file.Fd()))
	}
	return err
}

func (js Journals) path(number int64) string {
	return filepath.Join(js.Folder, fmt.Sprintf("%06d.jsonl", number))
}

// Numbers returns the numbers of all journals, the oldest first.
func (js Journals) Numbers() ([]int64, error) {
	list, err := os.ReadDir(js.Folder)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	var numbers []int64
	for _, d := range list {
		if name, is := strings.CutSuffix(d.Name(), ".jsonl"); is {
			if n, err := strconv.ParseInt(name, 10, 64); err == nil && n > 0 {
				numbers = append(numbers, n)
			}
		}
	}
	slices.Sort(numbers)
	return numbers, err
}

// Prune removes journals that nothing was written to since a moment, but for those that
// were broken off and not undone, and those that a program is working on.
func (js Journals) Prune(since time.Time) error {
	numbers, err := js.Numbers()
	for _, n := range numbers {
		info, e := os.Stat(js.path(n))
		if e != nil || !info.ModTime().Before(since) {
			continue
		}
		past, e := js.Summary(n)
		if e != nil || !past.Ended && !past.Undone || past.Count(Begun) > 0 {
			continue
		}
		err = errors.Join(err, js.drop(n))
	}
	return err
}

func (js Journals) drop(n int64) error {
	file, err := os.OpenFile(js.path(n), os.O_WRONLY, 0)
	if err != nil {
		return err
	}
	j := &Journal{Number: n, file: file}
	defer file.Close()
	if j.lock() != nil {
		return nil // somebody undoes it just now
	}
	return os.Remove(js.path(n))
}

// Begin begins a journal with all that is going to be done, on disk.
func (js Journals) Begin(calls *sys.Calls, p *plans.Plan, began time.Time, folders []FolderTimes) (*Journal, error) {
	if err := os.MkdirAll(js.Folder, 0o700); err != nil {
		return nil, err
	}
	numbers, err := js.Numbers()
	if err != nil {
		return nil, err
	}
	j := &Journal{Number: 1, calls: calls, token: fmt.Sprintf("%016x", rand.Uint64())}
	if len(numbers) > 0 {
		j.Number = numbers[len(numbers)-1] + 1
	}
	for {
		j.file, err = os.OpenFile(js.path(j.Number), os.O_WRONLY|os.O_CREATE|os.O_EXCL|os.O_APPEND, 0o600)
		if !errors.Is(err, os.ErrExist) {
			break
		}
		j.Number++ // another one began
	}
	if err != nil {
		return nil, err
	}
	drop := func() {
		j.file.Close()
		os.Remove(js.path(j.Number))
	}
	if err := j.lock(); err != nil {
		drop()
		return nil, err
	}
	out := bufio.NewWriterSize(journalFile{j}, 1<<20)
	var room []byte
	put := func(l *journalLine) {
		if err == nil {
			room = append(exact.Append(room[:0], l), '\n')
			_, err = out.Write(room)
		}
	}
	put(&journalLine{Header: &header{journalVersion, j.Number, len(p.Steps), exact.Time(entry.TimeOf(began)), p.Action, p.Host, p.Options, p.Volumes, j.token}})
	for _, step := range p.Steps {
		put(&journalLine{Step: step})
	}
	for i := range folders {
		put(&journalLine{Folder: &folders[i]})
	}
	if err == nil {
		err = out.Flush()
	}
	if err == nil {
		err = calls.Sync(int(j.file.Fd()))
	}
	if err == nil {
		err = syncFolder(js.Folder)
	}
	if err != nil {
		drop()
		return nil, err
	}
	return j, nil
}

// journalFile writes to the file of a journal.
type journalFile struct{ j *Journal }

// Write implements io.Writer.
func (f journalFile) Write(p []byte) (int, error) { return f.j.calls.Write(int(f.j.file.Fd()), p) }

func syncFolder(path string) error {
	d, err := os.Open(path)
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

// ErrBusy is returned for a journal that another program is writing to.
var ErrBusy = errors.New("another program is using it")

// ErrNoJournal is returned for a journal that does not exist.
var ErrNoJournal = errors.New("there is no such journal")

// Open opens a journal to go on with it, and has it alone: before it is read.
func (js Journals) Open(calls *sys.Calls, number int64) (*Journal, error) {
	j := &Journal{Number: number, calls: calls}
	var err error
	if j.file, err = os.OpenFile(js.path(number), os.O_RDWR|os.O_APPEND, 0); err != nil {
		if errors.Is(err, os.ErrNotExist) {
			err = ErrNoJournal
		}
		return nil, err
	}
	if err := j.lock(); err != nil {
		j.Leave()
		return nil, err
	}
	return j, nil
}

// Resume notes that what the journal tells is being undone. A last line that was cut short is ended.
func (j *Journal) Resume() error {
	j.pending = append(j.pending, '\n')
	j.Note(Event{Undoing: true})
	if err := j.Flush(); err != nil {
		return fmt.Errorf("write the journal: %w", err)
	}
	return nil
}

// Leave lets go of the journal.
func (j *Journal) Leave() { j.file.Close() }

// lock keeps others from the journal until it is closed.
func (j *Journal) lock() error {
	err := unix.Flock(int(j.file.Fd()), unix.LOCK_EX|unix.LOCK_NB)
	if errors.Is(err, unix.EWOULDBLOCK) {
		return ErrBusy
	}
	return err
}

// Note adds an event, which is written with the next one that is begun.
func (j *Journal) Note(e Event) {
	j.pending = append(exact.Append(j.pending, &e), '\n')
}

// Begun writes that a step begins, and all that was noted. When that cannot be
// written, the step must not be done.
func (j *Journal) Begun(e Event) error {
	if e.To == "" && e.Info == "" && e.Capability == "" { // by far the most
		j.pending = append(strconv.AppendInt(append(j.pending, `{"begin":`...), int64(e.Begin), 10), "}\n"...)
	} else {
		j.Note(e)
	}
	return j.Flush()
}

// done notes that a step is done.
func (j *Journal) done(n int) {
	j.pending = append(strconv.AppendInt(append(j.pending, `{"done":`...), int64(n), 10), "}\n"...)
}

func (j *Journal) Flush() error {
	if len(j.pending) == 0 {
		return nil
	}
	n, err := j.calls.Write(int(j.file.Fd()), j.pending)
	if err == nil {
		j.pending = j.pending[:0]
		return nil
	}
	// A line that was cut short is ended, if more can be written later.
	if j.pending = j.pending[n:]; n > 0 {
		j.pending = append([]byte("\n"), j.pending...)
	}
	return err
}

// End writes the last lines, and has everything on disk.
func (j *Journal) End(e Event, folders []FolderTimes) error {
	for i := range folders {
		j.pending = append(exact.Append(j.pending, &journalLine{Folder: &folders[i]}), '\n')
	}
	j.Note(e)
	err := j.Sync()
	if closing := j.file.Close(); err == nil {
		err = closing
	}
	return err
}

// Past is a journal that was read.
type Past struct {
	Number  int64
	Began   time.Time
	Action  plans.Action
	Host    string
	Options plans.Options
	Steps   []*PastStep
	Ended   bool // it was not broken off
	Undone  bool
	Volumes map[uint64]string
	token   string
	version int
	steps   int // how many there should be
	// Where the steps are not kept: how many are in each state, and while it is read, the
	// states of those that are nil.
	counts  *[len(stateWords)]int
	states  []State
	Made    []string
	Undoing bool // somebody began to take it back
	linked  map[entry.Node][]Member
	files   map[entry.Node][]*PastStep
	first   []string              // what the first steps are about, where the steps are not kept
	Before  map[string]entry.Time // of folders
	After   map[string]entry.Time
}

// PastStep is a step with what became of it.
type PastStep struct {
	*plans.Step
	Number     int
	State      State
	Why        string // it failed, or what is not as before
	Lost       string // what undo cannot give it back
	Looked     bool   // it was begun and not closed, and Found is what the disk says of it
	Found      State
	Gone       int64 // entries that were removed, of a step that is partly done
	Of         int64
	Aside      string // full path of what is under a name of no meaning, once it was looked for
	Info       string
	Held       []HeldTimes
	Linked     map[string]LinkedTo // relative paths to files of several names
	Dropping   bool                // its copy was being removed
	Returning  bool                // it was being copied back
	passing    bool                // something may have the name for passing still, which it gave it
	Apart      int                 // so many files came back without their other names
	Copied     []Place             // what else than the entry of the step it may be, since it was copied
	Set        Event               // times that it has got
	Capability string
}

// Place is how an entry is recognised.
type Place struct {
	Inode, Device uint64
	Volume        string
}

// Left reports whether a step may have left something under the passing name: it said so, or was broken off.
func (s *PastStep) Left() bool { return s.passing || s.State == Begun }

func (p *Past) Under(step int) string { return copyName(p.Number, p.token, step) }

// State is what became of a step.
type State uint8

const (
	NotBegun State = iota
	Begun          // and not closed
	Done
	Failed
	Undone
	Partly // done, but not to its end
)

// Read reads a journal. A line that was cut short as the program was killed is
// passed over.
func (js Journals) Read(number int64) (*Past, error) { return js.read(number, (*Past).takeText) }

// Summary reads a journal without its steps: how many of them there are in which state. One
// in which that is to be seen on the disk is read whole.
func (js Journals) Summary(number int64) (*Past, error) {
	p, err := js.read(number, (*Past).count)
	if err != nil {
		return nil, err
	}
	var counts [len(stateWords)]int
	for i, s := range p.Steps {
		if s != nil {
			p.states[i] = s.State
		}
		counts[p.states[i]]++
	}
	if counts[Begun] > 0 {
		return js.Read(number)
	}
	p.Steps, p.states, p.counts = nil, nil, &counts
	return p, nil
}

func (js Journals) read(number int64, take func(*Past, []byte) error) (*Past, error) {
	file, err := os.Open(js.path(number))
	if err != nil {
		return nil, err
	}
	defer file.Close()
	p := &Past{Volumes: map[uint64]string{}, Before: map[string]entry.Time{}, After: map[string]entry.Time{}}
	in := bufio.NewReaderSize(file, 1<<20)
	for {
		content, err := in.ReadSlice('\n')
		if errors.Is(err, bufio.ErrBufferFull) { // a very long command
			head := bytes.Clone(content)
			content, err = in.ReadBytes('\n')
			content = append(head, content...)
		}
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		switch err := take(p, content); {
		case err == nil:
		case p.Number == 0 || len(p.Steps) < p.steps:
			return nil, fmt.Errorf("the journal %d: %w", number, err)
		} // else it was cut short, and what it was about is looked at
	}
	if p.version > journalVersion || p.version > 0 && !p.Action.Known() {
		return nil, fmt.Errorf("the journal %d: %w", number, plans.ErrPlanNewer)
	}
	if p.Number == 0 || len(p.Steps) < p.steps {
		return nil, fmt.Errorf("the journal %d: %w", number, ErrCutShort)
	}
	return p, nil
}

// ErrCutShort is returned for a journal that was not begun to its end.
var ErrCutShort = errors.New("it is incomplete, so nothing was done")

// takeText takes the text of a line in.
func (p *Past) takeText(content []byte) error {
	var l journalLine
	err := exact.Unmarshal(content, &l)
	if err == nil {
		p.take(&l)
	}
	return err
}

// count takes the text of a line in, but of a step only that there is one.
func (p *Past) count(content []byte) error {
	switch {
	case bytes.HasPrefix(content, []byte(`{"step":`)):
		if !json.Valid(content) {
			return ErrCutShort
		}
		if len(p.first) < mostFirst {
			var l journalLine
			if err := exact.Unmarshal(content, &l); err == nil && l.Step != nil {
				p.first = append(p.first, string(l.Step.Path))
			}
		}
		p.Steps, p.states = append(p.Steps, nil), append(p.states, NotBegun)
		return nil
	case bytes.HasPrefix(content, []byte(`{"folder":`)), bytes.HasPrefix(content, []byte(`{"held":`)), bytes.HasPrefix(content, []byte(`{"linked":`)):
		return nil
	}
	for _, plain := range []struct {
		word  string
		state State
	}{{`{"begin":`, Begun}, {`{"done":`, Done}} { // by far the most
		rest, is := bytes.CutPrefix(content, []byte(plain.word))
		n, err := strconv.Atoi(string(bytes.TrimSuffix(rest, []byte("}\n"))))
		if is && err == nil && n >= 1 && n <= len(p.Steps) && p.Steps[n-1] == nil {
			p.states[n-1] = plain.state
			return nil
		}
	}
	return p.takeText(content)
}

// mostFirst is how many steps a journal is told by.
const mostFirst = 3

// First returns the full paths of the first steps.
func (p *Past) First() (paths []string) {
	for _, s := range p.Steps[:min(mostFirst, len(p.Steps))] {
		paths = append(paths, string(s.Path))
	}
	if p.Steps == nil {
		return p.first
	}
	return paths
}

// Len returns how many steps there are.
func (p *Past) Len() int { return p.steps }

// take takes a line in.
func (p *Past) take(l *journalLine) {
	switch {
	case l.Header != nil:
		h := l.Header
		p.steps, p.version = h.Steps, h.Version
		p.Number, p.Began, p.Action, p.Host, p.Options = h.Number, entry.Time(h.Began).Std(), h.Action, string(h.Host), h.Options
		maps.Copy(p.Volumes, h.Volumes)
		p.token = h.Token
	case l.Step != nil:
		p.Steps = append(p.Steps, &PastStep{Step: l.Step, Number: len(p.Steps) + 1})
	case l.Folder != nil:
		times := p.Before
		if l.Folder.After {
			times = p.After
		}
		times[string(l.Folder.Path)] = entry.Time(l.Folder.Modified)
	case l.Made != "":
		p.Made = append(p.Made, string(l.Made))
	case l.End:
		p.Ended = true
	case l.Undid:
		p.Undone = true
	case l.Undoing:
		p.Undoing = true
	default:
		p.event(&l.Event)
	}
}

// event takes in what happened to a step.
func (p *Past) event(e *Event) {
	if n := max(e.Held, e.Linked, e.Drop, e.Return); n > 0 {
		if n <= len(p.Steps) && p.Steps[n-1] != nil {
			p.Steps[n-1].remember(e)
		}
		return
	}
	for _, one := range []struct {
		n     int
		state State
	}{{e.Begin, Begun}, {e.Done, Done}, {e.Failed, Failed}, {e.Undone, Undone}, {e.Partly, Partly}, {e.Copied, Begun}, {e.Back, Done}} {
		if one.n < 1 || one.n > len(p.Steps) {
			continue
		}
		s := p.Steps[one.n-1]
		if s == nil {
			s = &PastStep{Step: &plans.Step{}, State: p.states[one.n-1]}
			p.Steps[one.n-1] = s
		}
		if e.Back == 0 || s.State == NotBegun {
			s.State = one.state
		}
		if e.To != "" {
			s.To = e.To
		}
		if e.Info != "" {
			s.Info = string(e.Info)
		}
		if e.Apart != 0 {
			s.Apart = e.Apart
		}
		if e.Why != "" {
			s.Why = string(e.Why)
		}
		s.passing = s.passing || e.Left
		if e.Lost != "" {
			s.Lost = string(e.Lost)
		}
		if e.Inode != 0 {
			s.Copied = append(s.Copied, Place{e.Inode, e.Device, e.Volume})
		}
		if e.Modified != nil || e.Accessed != nil || e.Changed != nil {
			s.Set = *e
		}
		if e.Capability != "" {
			s.Capability = string(e.Capability)
		}
		if e.Of != 0 {
			s.Gone, s.Of = e.Gone, e.Of
		}
	}
}

// remember takes in what is to be known when it is undone.
func (s *PastStep) remember(e *Event) {
	switch {
	case e.Drop > 0:
		s.Dropping = true
	case e.Return > 0:
		s.Returning = true
	case e.Linked > 0:
		if s.Linked == nil {
			s.Linked = map[string]LinkedTo{}
		}
		s.Linked[string(e.Relative)] = LinkedTo{entry.Node{Device: e.Device, Inode: e.Inode}, uint64(e.Of)}
	case e.Modified != nil && e.Accessed != nil && e.Became != nil:
		s.Held = append(s.Held, HeldTimes{string(e.Relative), entry.Time(*e.Modified), entry.Time(*e.Accessed), entry.Time(*e.Became)})
	}
}

// Count returns how many steps are in a state: that which the disk tells, if it was
// looked at.
func (p *Past) Count(state State) (n int) {
	if p.counts != nil {
		return p.counts[state]
	}
	for _, s := range p.Steps {
		if s.State == state && !s.Looked || s.Looked && s.Found == state {
			n++
		}
	}
	return n
}

// Closed notes that a step is done, and what is not as it was meant.
func (j *Journal) Closed(n int, set Event, notes string) {
	if set == (Event{}) && notes == "" { // by far the most
		j.done(n)
		return
	}
	set.Done, set.Why = n, exact.Text(notes)
	j.Note(set)
}
