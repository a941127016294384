package plans

import (
	"errors"
	"fmt"
	"path"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/quantity"
)

// Action is what is to be done with entries, by the name of its verb.
type Action string

const (
	Hide   Action = "hide"   // so that it is left out of lists
	Reveal Action = "reveal" // so that it is no longer
	Move   Action = "move"   // into a folder
	Remove Action = "remove" // into the trash, or for good
	Stamp  Action = "stamp"  // with other times
	Permit Action = "permit" // with other permissions
	Copy   Action = "copy"   // into a folder
	Own    Action = "own"    // by another owner, or of another group
	Rename Action = "rename" // by a pattern
	Clear  Action = "clear"  // of spares, each of which another file stays
	Run    Action = "run"    // a command on each
	Create Action = "create" // empty files and folders
)

// saved are the actions that plans can be kept of, and whether entries go to another path by them.
var saved = map[Action]bool{Hide: true, Reveal: true, Move: true, Copy: true, Rename: true, Remove: false, Stamp: false, Permit: false, Own: false, Clear: false, Create: false}

// Known reports whether this program knows the action.
func (a Action) Known() bool {
	_, known := saved[a]
	return known || a == Run
}

// Options say how to do it.
type Options struct {
	Into        exact.Text   `json:"into,omitempty"`         // full path of the folder to move into
	Folders     exact.Text   `json:"folders,omitempty"`      // in that, a pattern of the folders that each goes into
	KeepFolders bool         `json:"keep_folders,omitempty"` // with the folders on the path from the place
	ForGood     bool         `json:"for_good,omitempty"`     // remove without the trash
	Modified    *exact.Time  `json:"set_modified,omitempty"`
	Accessed    *exact.Time  `json:"set_accessed,omitempty"`
	Mode        string       `json:"mode,omitempty"`    // as POSIX has it for chmod
	By          By           `json:"by,omitempty"`      // how spares are cleared
	Owner       string       `json:"owner,omitempty"`   // as [Owner] writes it
	Pattern     exact.Text   `json:"pattern,omitempty"` // of names
	Strict      bool         `json:"strict,omitempty"`  // refuse what cannot keep all that it has
	Command     []exact.Text `json:"command,omitempty"` // and its arguments, with words to be replaced
	Number      bool         `json:"number,omitempty"`  // where a name is taken, choose a free one
	Through     bool         `json:"through,omitempty"` // act on what a link leads to
	Really      bool         `json:"really,omitempty"`  // also on places that are named outright and better left alone
}

// By is how spares are cleared.
type By string

const (
	ByRemoving By = ""           // they are removed
	ByLinks    By = "hard-links" // they become other names of the file that stays
	ByShared   By = "shared"     // they share their content on the disk with it
)

// Plan is what is to be done.
type Plan struct {
	Version int        `json:"frank_plan"`
	Action  Action     `json:"action"`
	Host    exact.Text `json:"host"`
	Options Options    `json:"options"`
	// Volumes tells, for the numbers of devices in the steps, which file systems
	// these were: the numbers may be others after the next mount.
	Volumes map[uint64]string `json:"volumes,omitempty"`
	Steps   []*Step           `json:"steps"`
	Makes   bool              `json:"-"` // the folder to move into, which is not there
	// Relative has people shown the paths below the place, which is one.
	Relative bool `json:"-"`
	// NameOwner names an owner and a group to people. It may be nil.
	NameOwner func(uid, gid uint32) string `json:"-"`
	// TellTime shows a moment to people. It may be nil.
	TellTime func(entry.Time) string `json:"-"`
	Same     int                     `json:"-"` // matches that are as they are to be already
	Covered  int                     `json:"-"` // matches that lie in another one, which is acted on
}

// Version is that of the form of plans.
const Version = 1

// Step is what is to be done with one entry.
type Step struct {
	Path     exact.Text   `json:"path"` // in full, with no link in it
	Kind     string       `json:"kind"`
	Inode    uint64       `json:"inode"`
	Device   uint64       `json:"device"`
	Size     int64        `json:"size"` // of a file
	Modified exact.Time   `json:"modified"`
	Accessed exact.Time   `json:"accessed"`
	Changed  exact.Time   `json:"changed,omitzero"` // its details; zero in a plan of an earlier version
	Born     exact.Time   `json:"born,omitzero"`    // when it was made; zero if that is not known
	Mode     string       `json:"mode"`
	Holds    *Holds       `json:"holds,omitempty"` // for a folder that goes as a whole
	To       exact.Text   `json:"to,omitempty"`    // where it goes: a full path
	NewMode  string       `json:"new_mode,omitempty"`
	Owner    string       `json:"owner,omitempty"` // before, as [Owner] writes it
	NewOwner string       `json:"new_owner,omitempty"`
	Links    int          `json:"links,omitempty"`   // files that are parted from names that stay where they are
	Swaps    bool         `json:"swaps,omitempty"`   // another step gives up, or gets, a name of this one
	Unflag   bool         `json:"unflag,omitempty"`  // the flag that hides it is taken away
	Mounted  bool         `json:"mounted,omitempty"` // something is mounted on it, and what is in that is meant
	Keeper   *Keeper      `json:"keeper,omitempty"`  // what must be there for it to be removed
	Notes    exact.Text   `json:"notes,omitempty"`   // what will not be as before
	Refused  exact.Text   `json:"refused,omitempty"` // why it will not be done
	Same     bool         `json:"-"`                 // it is so already, and nothing is to be done
	Entry    *entry.Entry `json:"-"`                 // what it was made of; nil in a plan that was kept
}

// Called is what people are shown an entry as; the full path where the plan was kept.
func (p *Plan) Called(e *entry.Entry, full exact.Text) string {
	switch {
	case e == nil:
		return string(full)
	case p.Relative:
		return e.Relative()
	}
	return e.Path()
}

// Holds is what a folder holds, at any depth.
type Holds struct {
	Entries int64      `json:"entries"`
	Size    int64      `json:"size"`
	Newest  exact.Time `json:"newest"` // the last time that any of it was modified, or its details were
	// Digest is made of the names, kinds, sizes, inodes and times of all of it:
	// when it was modified, and its details changed. Empty in a plan of an
	// earlier version.
	Digest string `json:"digest,omitempty"`
}

// SameAs reports whether a folder holds what it held.
func (h *Holds) SameAs(now *Holds) bool {
	if h.Digest == "" {
		return h.Entries == now.Entries && h.Size == now.Size && h.Newest == now.Newest
	}
	return h.Digest == now.Digest
}

// Keeper is the file that stays when a spare of it is removed, or the folder that has
// all that a folder has.
type Keeper struct {
	Entry    *entry.Entry `json:"-"` // what it was made of; nil in a plan that was kept
	Path     exact.Text   `json:"path"`
	Inode    uint64       `json:"inode"`
	Size     int64        `json:"size"`
	Modified exact.Time   `json:"modified"`
	Changed  exact.Time   `json:"changed"`
}

// Totals are what the steps of a plan amount to.
type Totals struct {
	Steps, Refused         int
	Files, Folders, Others int
	Bytes                  int64 // of content of files, also in folders that go as a whole
	Within                 int64 // entries in folders that go as a whole
	Noted                  int   // steps after which not all is as before
}

// Totals sums up the steps that will be done.
func (p *Plan) Totals() (t Totals) {
	for _, s := range p.Steps {
		if s.Refused != "" {
			t.Refused++
			continue
		}
		t.Steps++
		if s.Notes != "" {
			t.Noted++
		}
		switch s.Kind {
		case entry.KindFile.String():
			t.Files++
			t.Bytes = quantity.Add(t.Bytes, s.Size)
		case entry.KindFolder.String():
			t.Folders++
		default:
			t.Others++
		}
		if s.Holds != nil {
			t.Bytes = quantity.Add(t.Bytes, s.Holds.Size)
			t.Within += s.Holds.Entries
		}
	}
	return t
}

// What can be wrong with a plan that was kept.
var (
	ErrPlan      = errors.New("not a plan")
	ErrPlanNewer = errors.New("written by a newer version of this program")
	ErrPlanHost  = errors.New("the plan is for another machine")
)

// Check returns an error unless the plan can be carried out on a host.
func (p *Plan) Check(host string) error {
	switch {
	case p.Version < 1:
		return ErrPlan
	case p.Version > Version:
		return ErrPlanNewer
	case string(p.Host) != host:
		return fmt.Errorf("%w: %s", ErrPlanHost, p.Host)
	}
	if by := p.Options.By; by != ByRemoving && by != ByLinks && by != ByShared {
		return fmt.Errorf("%w: there is no way %q to clear spares", ErrPlan, by)
	}
	goes, known := saved[p.Action]
	if !known {
		return fmt.Errorf("%w: there is no action %q that can be saved", ErrPlan, p.Action)
	}
	if p.Options.Owner != "" {
		if _, err := ParseOwner(p.Options.Owner); err != nil {
			return fmt.Errorf("%w: %w", ErrPlan, err)
		}
	}
	if into := string(p.Options.Into); into != "" && !plainPath(into) {
		return fmt.Errorf("%w: the folder to move into is not a clean absolute path", ErrPlan)
	}
	for i, s := range p.Steps {
		if s == nil || !plainPath(string(s.Path)) {
			return fmt.Errorf("%w: step %d has no clean absolute path", ErrPlan, i+1)
		}
		if s.Keeper == nil && p.Action == Clear || s.Keeper != nil && !plainPath(string(s.Keeper.Path)) {
			return fmt.Errorf("%w: step %d does not say which file stays", ErrPlan, i+1)
		}
		if goes && s.Refused == "" && !plainPath(string(s.To)) {
			return fmt.Errorf("%w: step %d has no clean absolute path to go to", ErrPlan, i+1)
		}
	}
	return nil
}

// plainPath reports whether a path is one from the root, with neither . nor .. nor
// empty names in it.
func plainPath(full string) bool { return full != "" && full[0] == '/' && path.Clean(full) == full }

func (h *Holds) Add(st *sys.Status) {
	h.Entries++
	if st.Kind == entry.KindFile {
		h.Size = quantity.Add(h.Size, st.Size)
	}
	h.Newest = later(later(h.Newest, exact.Time(st.Modified)), exact.Time(st.Changed))
}

func later(a, b exact.Time) exact.Time {
	if entry.Time(a).Compare(entry.Time(b)) < 0 {
		return b
	}
	return a
}

func (s *Step) AddNote(text string) {
	s.Notes = exact.Text(JoinNotes(string(s.Notes), text))
}

// JoinNotes joins notes on a step.
func JoinNotes(a, b string) string {
	if a == "" || b == "" {
		return a + b
	}
	return a + "; " + b
}
