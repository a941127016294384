package act

import (
	"errors"
	"fmt"
	"os"
	"path"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/volume"
)

// target is what can be kept on another file system that entries are moved to.
type target struct {
	lists, attributes, links, flags bool
	volume                          volume.Volume
}

var errFixed = errors.New("a flag keeps it, or something in it, from being removed here (immutable or append-only)")

var errReadOnly = errors.New("nothing can be written there: the file system is read-only")

// across returns what can be kept of an entry in the folder that it goes to, or nil
// if that is on the same file system, so that nothing need be copied.
func (p *planning) across(s *Step, dir string) (*target, error) {
	if _, _, err := p.sources.at(string(s.Path)); err != nil {
		return nil, err
	}
	from := p.sources.mount()
	return p.targetFrom(dir, &from)
}

// target returns what can be kept in a folder.
func (p *planning) target(dir string) (*target, error) { return p.targetFrom(dir, nil) }

// targetFrom returns what can be kept in a folder, or nil if that is where things come
// from.
func (p *planning) targetFrom(dir string, from *mountOf) (*target, error) {
	for {
		at, _, err := p.folders.at(strings.TrimSuffix(dir, "/") + "/x")
		if gone(err) && dir != "/" {
			dir = path.Dir(dir)
			continue
		}
		if err != nil {
			return nil, err
		}
		to := p.folders.mount()
		if from != nil && to == *from {
			return nil, nil
		}
		kept := p.kept[to]
		if kept == nil {
			v, err := p.calls.Volume(at)
			if err != nil {
				return nil, err
			}
			if v.ReadOnly {
				return nil, errReadOnly
			}
			flags, err := flagsKept(p.calls, at)
			if err != nil {
				return nil, err
			}
			kept = &target{lists: p.calls.KeepsLists(at), attributes: p.calls.KeepsAttributes(at), links: !v.NoLinks, flags: flags, volume: v}
			p.kept[to] = kept
		}
		return kept, nil
	}
}

// copyNotes notes what cannot be kept of an entry that is no folder.
func (p *planning) copyNotes(s *Step, to *target) error {
	at, name, err := p.sources.at(string(s.Path))
	if err != nil {
		return err
	}
	v := &survey{names: map[entry.Node]*names{}}
	st, err := p.calls.Status(at, name)
	if err != nil {
		return err
	}
	surveyor := &surveyor{calls: p.calls, to: to, mine: ownerKept}
	if err := surveyor.lookAt(v, spot{at, name}, &st); err != nil {
		return err
	}
	return p.note(s, v, to)
}

// flagsKept reports whether flags can be kept in an open folder.
func flagsKept(calls *sys.Calls, at int) (bool, error) {
	fd, err := calls.OpenFile(at, ".")
	if errors.Is(err, unix.EACCES) {
		return true, nil // it may be written to and not read
	}
	if err != nil {
		return false, err
	}
	defer calls.Close(fd)
	_, err = calls.Flags(fd)
	return err == nil, ignoreNone(err)
}

// linked is a file of several names, and the steps that copy it.
type linked struct {
	names
	steps []*Step
}

// note notes what cannot be kept of what was surveyed.
func (p *planning) note(s *Step, v *survey, to *target) error {
	switch {
	case v.fixed > 0 && p.Action == Move:
		return errFixed
	case v.specials > 0 && v.special != "":
		return fmt.Errorf("%s: %w", v.special, errNoCopy)
	case v.specials > 0:
		return errNoCopy
	}
	for _, one := range []struct {
		count int64
		text  string
	}{
		{unless(to.lists, v.lists), "access lists cannot be kept there, so fewer may do less (%d)"},
		{unless(to.attributes, v.attributes), "extended attributes cannot be kept there (%d)"},
		{v.owners, "owner or group cannot be kept (%d)"},
		{v.setIDs, "set-user and set-group bits cannot be kept (%d)"},
		{v.times, "times cannot be kept exactly there (%d)"},
		{v.flags, "flags cannot be kept there (%d)"},
	} {
		if one.count > 0 {
			s.addNote(fmt.Sprintf(one.text, one.count))
		}
	}
	if !to.links && len(v.names) > 0 {
		s.addNote(fmt.Sprintf("hard links cannot be kept there (%d)", len(v.names)))
		return nil
	}
	for n, of := range v.names {
		l := p.linked[n]
		if l == nil {
			l = &linked{names: names{all: of.all}}
			p.linked[n] = l
		}
		l.met += of.met
		if !slices.Contains(l.steps, s) {
			l.steps = append(l.steps, s)
		}
	}
	return nil
}

func unless(kept bool, count int64) int64 {
	if kept {
		return 0
	}
	return count
}

// noteLinks notes where a file has names that stay behind.
func (p *planning) noteLinks() {
	counts := map[*Step]int{}
	for _, l := range p.linked {
		if l.met < l.all {
			for _, s := range l.steps {
				counts[s]++
			}
		}
	}
	for s, n := range counts {
		if s.Refused == "" {
			s.Links = n
			text := "hard links to what stays here are not kept, and undo cannot make them again (%d)"
			if p.Action == Clear {
				text = "its other names stay as they are, and undo cannot make it one file with them again (%d)"
			}
			s.addNote(fmt.Sprintf(text, n))
		}
	}
}

// refuseLosses refuses steps that would lose something.
func (p *Plan) refuseLosses() {
	for _, s := range p.Steps {
		if s.Notes != "" && s.Refused == "" {
			s.Refused, s.Notes = s.Notes, ""
		}
	}
}

func (s *Step) addNote(text string) {
	s.Notes = exact.Text(joinNotes(string(s.Notes), text))
}

// groups are those that this process may give files to.
var groups = sync.OnceValue(func() []int {
	list, _ := os.Getgroups() // none, if they cannot be found out
	return append(list, os.Getegid())
})

// ownerKept reports whether this process can give a copy the owner and the group of
// an entry.
func ownerKept(st *sys.Status) bool {
	return os.Geteuid() == 0 || int(st.UID) == os.Geteuid() && slices.Contains(groups(), int(st.GID))
}
