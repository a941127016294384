package act

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sys/unix"

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
	Step   *Step        `json:"step,omitempty"`
	Folder *folderTimes `json:"folder,omitempty"`
	event
}

type header struct {
	Version int        `json:"version"`
	Number  int64      `json:"number"`
	Steps   int        `json:"steps"`
	Began   exact.Time `json:"began"`
	Action  Action     `json:"action"`
	Host    exact.Text `json:"host"`
	Options Options    `json:"options"`
}

// folderTimes are the times of a folder, before anything was done or after.
type folderTimes struct {
	Path     exact.Text `json:"path"`
	Modified exact.Time `json:"modified"`
	After    bool       `json:"after,omitempty"`
}

// event is something that happened to a step, by its number from 1.
type event struct {
	Begin  int        `json:"begin,omitempty"`
	Done   int        `json:"done,omitempty"`
	Failed int        `json:"failed,omitempty"`
	Undone int        `json:"undone,omitempty"`
	Made   exact.Text `json:"made,omitempty"` // a folder that was made
	To     exact.Text `json:"to,omitempty"`   // where it goes, where the step does not say
	Info   exact.Text `json:"info,omitempty"` // what the trash keeps of it
	Inode  uint64     `json:"inode,omitempty"`
	Device uint64     `json:"device,omitempty"`
	Why    exact.Text `json:"why,omitempty"`
	End    bool       `json:"end,omitempty"`
	Undid  bool       `json:"undid,omitempty"`
}

// Journal is a journal that is being written.
type Journal struct {
	Number  int64
	file    *os.File
	pending []byte
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

// begin begins a journal with all that is going to be done, on disk.
func (js Journals) begin(p *Plan, began time.Time, folders []folderTimes) (*Journal, error) {
	if err := os.MkdirAll(js.Folder, 0o700); err != nil {
		return nil, err
	}
	numbers, err := js.Numbers()
	if err != nil {
		return nil, err
	}
	j := &Journal{Number: 1}
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
	if err := j.lock(); err != nil {
		return nil, err
	}
	out := bufio.NewWriterSize(j.file, 1<<20)
	lines := json.NewEncoder(out)
	lines.SetEscapeHTML(false)
	err = lines.Encode(journalLine{Header: &header{journalVersion, j.Number, len(p.Steps), exact.Time(entry.TimeOf(began)), p.Action, p.Host, p.Options}})
	var line []byte
	for i := 0; i < len(p.Steps) && err == nil; i++ {
		line = append(p.Steps[i].AppendJSON(append(line[:0], `{"step":`...)), "}\n"...)
		_, err = out.Write(line)
	}
	for i := 0; i < len(folders) && err == nil; i++ {
		err = lines.Encode(journalLine{Folder: &folders[i]})
	}
	if err == nil {
		err = out.Flush()
	}
	if err == nil {
		err = j.file.Sync()
	}
	if err == nil {
		err = syncFolder(js.Folder)
	}
	if err != nil {
		j.file.Close()
		os.Remove(js.path(j.Number))
		return nil, err
	}
	return j, nil
}

func syncFolder(path string) error {
	d, err := os.Open(path)
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

// ErrBusy is returned for a journal that another program is writing to.
var ErrBusy = errors.New("another program is at work on it")

// lock keeps others from the journal until it is closed.
func (j *Journal) lock() error {
	_, err := retry(func() (int, error) { return 0, unix.Flock(int(j.file.Fd()), unix.LOCK_EX|unix.LOCK_NB) })
	if errors.Is(err, unix.EWOULDBLOCK) {
		return ErrBusy
	}
	return err
}

// note adds an event, which is written with the next one that is begun.
func (j *Journal) note(e event) {
	line, err := json.Marshal(e)
	if err != nil {
		panic(err) // there is nothing in it that cannot be written
	}
	j.pending = append(append(j.pending, line...), '\n')
}

// begun writes that a step begins, and all that was noted.
func (j *Journal) begun(e event) error {
	if e.To == "" && e.Info == "" { // by far the most
		j.pending = append(strconv.AppendInt(append(j.pending, `{"begin":`...), int64(e.Begin), 10), "}\n"...)
	} else {
		j.note(e)
	}
	return j.flush()
}

// done notes that a step is done.
func (j *Journal) done(n int) {
	j.pending = append(strconv.AppendInt(append(j.pending, `{"done":`...), int64(n), 10), "}\n"...)
}

func (j *Journal) flush() error {
	if len(j.pending) == 0 {
		return nil
	}
	_, err := j.file.Write(j.pending)
	j.pending = j.pending[:0]
	return err
}

// end writes the last lines, and has everything on disk.
func (j *Journal) end(e event, folders []folderTimes) error {
	for i := range folders {
		line, err := json.Marshal(journalLine{Folder: &folders[i]})
		if err != nil {
			return err
		}
		j.pending = append(append(j.pending, line...), '\n')
	}
	j.note(e)
	err := j.flush()
	if err == nil {
		err = j.file.Sync()
	}
	if closing := j.file.Close(); err == nil {
		err = closing
	}
	return err
}

// Past is a journal that was read.
type Past struct {
	Number  int64
	Began   time.Time
	Action  Action
	Host    string
	Options Options
	Steps   []*PastStep
	Ended   bool // it was not broken off
	Undone  bool
	version int
	steps   int // how many there should be
	made    []string
	before  map[string]entry.Time // of folders
	after   map[string]entry.Time
}

// PastStep is a step with what became of it.
type PastStep struct {
	*Step
	Number int
	State  State
	Why    string // it failed
	info   string
	inode  uint64 // where another than that of the step
	device uint64
}

// State is what became of a step.
type State uint8

const (
	NotBegun State = iota
	Begun          // and not closed
	Done
	Failed
	Undone
)

// Read reads a journal. A line that was cut short as the program was killed is
// passed over.
func (js Journals) Read(number int64) (*Past, error) {
	file, err := os.Open(js.path(number))
	if err != nil {
		return nil, err
	}
	defer file.Close()
	p := &Past{before: map[string]entry.Time{}, after: map[string]entry.Time{}}
	in := bufio.NewReaderSize(file, 1<<20)
	for {
		content, err := in.ReadBytes('\n')
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		var l journalLine
		switch err := json.Unmarshal(content, &l); {
		case err == nil:
			p.take(&l)
		case p.Number == 0 || len(p.Steps) < p.steps:
			return nil, fmt.Errorf("the journal %d: %w", number, err)
		} // else it was cut short, and what it was about is looked at
	}
	if p.version > journalVersion {
		return nil, fmt.Errorf("the journal %d: %w", number, ErrPlanNewer)
	}
	if p.Number == 0 || len(p.Steps) < p.steps {
		return nil, fmt.Errorf("the journal %d: %w", number, errCutShort)
	}
	return p, nil
}

var errCutShort = errors.New("it was not begun whole, so nothing was done")

// take takes a line in.
func (p *Past) take(l *journalLine) {
	switch {
	case l.Header != nil:
		h := l.Header
		p.steps, p.version = h.Steps, h.Version
		p.Number, p.Began, p.Action, p.Host, p.Options = h.Number, entry.Time(h.Began).Std(), h.Action, string(h.Host), h.Options
	case l.Step != nil:
		p.Steps = append(p.Steps, &PastStep{Step: l.Step, Number: len(p.Steps) + 1})
	case l.Folder != nil:
		times := p.before
		if l.Folder.After {
			times = p.after
		}
		times[string(l.Folder.Path)] = entry.Time(l.Folder.Modified)
	case l.Made != "":
		p.made = append(p.made, string(l.Made))
	case l.End:
		p.Ended = true
	case l.Undid:
		p.Undone = true
	default:
		p.event(&l.event)
	}
}

// event takes in what happened to a step.
func (p *Past) event(e *event) {
	for _, one := range []struct {
		n     int
		state State
	}{{e.Begin, Begun}, {e.Done, Done}, {e.Failed, Failed}, {e.Undone, Undone}} {
		if one.n < 1 || one.n > len(p.Steps) {
			continue
		}
		s := p.Steps[one.n-1]
		s.State = one.state
		if e.To != "" {
			s.To = e.To
		}
		if e.Info != "" {
			s.info = string(e.Info)
		}
		if e.Why != "" {
			s.Why = string(e.Why)
		}
		if e.Inode != 0 {
			s.inode, s.device = e.Inode, e.Device
		}
	}
}

// Count returns how many steps are in a state.
func (p *Past) Count(state State) (n int) {
	for _, s := range p.Steps {
		if s.State == state {
			n++
		}
	}
	return n
}
