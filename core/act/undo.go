package act

import (
	"context"
	"errors"
	"os"
	"path"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/exact"
)

// Undoing is what undoing did.
type Undoing struct {
	Undone, Stays int
}

// Why a step cannot be undone.
var (
	errForGood   = errors.New("it was removed for good")
	errRan       = errors.New("what a command did is not known")
	errMovedOn   = errors.New("it is not where it was put, or another thing is")
	errSince     = errors.New("it has been altered since")
	errUnclear   = errors.New("it was broken off, and both are there")
	ErrUndone    = errors.New("it is undone already")
	ErrNoJournal = errors.New("there is no such journal")
	ErrOtherHost = errors.New("that was on another machine")
)

// Undo takes back what a journal says was done, in the order from the last to the
// first, as far as that can be: nothing that has come since is overwritten. Each
// step that it takes back, or cannot, is told.
func (c *Carrier) Undo(ctx context.Context, number int64, host string) (u Undoing, err error) {
	past, err := c.Journals.Read(number)
	if errors.Is(err, os.ErrNotExist) {
		return u, ErrNoJournal
	}
	switch {
	case err != nil:
		return u, err
	case past.Undone:
		return u, ErrUndone
	case past.Host != host:
		return u, ErrOtherHost
	}
	j := &Journal{Number: number}
	if j.file, err = os.OpenFile(c.Journals.path(number), os.O_WRONLY|os.O_APPEND, 0); err != nil {
		return u, err
	}
	if err := j.lock(); err != nil {
		j.file.Close()
		return u, err
	}
	// A last line that was cut short is ended.
	j.pending = append(j.pending, '\n')
	run := &undoing{past: past, journal: j}
	defer run.from.close()
	defer run.to.close()
	quiet := run.quietFolders()
	for _, s := range past.order() {
		if err := ctx.Err(); err != nil {
			return u, errors.Join(err, j.end(event{}, nil))
		}
		acted, trouble := run.step(s)
		switch {
		case trouble != nil:
			u.Stays++
		case acted:
			u.Undone++
			j.note(event{Undone: s.Number})
			if err := j.flush(); err != nil {
				return u, err
			}
		default:
			continue
		}
		if c.Tell != nil {
			c.Tell(Outcome{Step: s.Step, Number: s.Number, To: string(s.Path), Err: trouble})
		}
	}
	run.removeMade()
	for dir, modified := range quiet {
		t := exact.Time(modified)
		if fd, name, err := run.from.at(dir); err == nil {
			setTimes(fd, name, &t, nil) // as well as can be
		}
	}
	return u, j.end(event{Undid: u.Stays == 0}, nil)
}

// order returns the steps in the order in which to undo them: the other way
// round than they were done.
func (p *Past) order() []*PastStep {
	list := make([]*PastStep, len(p.Steps))
	for i, s := range p.Steps {
		if p.Action == Hide || p.Action == Reveal || p.Action == Permit {
			list[i] = s
		} else {
			list[len(list)-1-i] = s
		}
	}
	return list
}

// undoing is one undoing.
type undoing struct {
	past     *Past
	journal  *Journal
	from, to folders
}

// quietFolders returns the folders in which nothing else has changed since, with
// the times they had before.
func (u *undoing) quietFolders() map[string]entry.Time {
	went := map[string]string{}
	for _, s := range u.past.Steps {
		if s.State == Done && s.To != "" {
			went[string(s.Path)] = string(s.To)
		}
	}
	quiet := map[string]entry.Time{}
	for dir, after := range u.past.after {
		now, ok := modifiedOf(&u.from, where(went, dir))
		if before, known := u.past.before[dir]; known && ok && now == after {
			quiet[dir] = before
		}
	}
	return quiet
}

// step undoes one step. It returns false if there is nothing to undo.
func (u *undoing) step(s *PastStep) (acted bool, err error) {
	if s.State == NotBegun || s.State == Failed || s.State == Undone {
		return false, nil
	}
	switch u.past.Action {
	case Hide, Reveal, Move:
		return u.back(s)
	case Remove:
		if u.past.Options.ForGood {
			if s.State == Begun && u.isAt(string(s.Path), s) {
				return false, nil
			}
			return false, errForGood
		}
		acted, err = u.back(s)
		if err == nil && s.info != "" {
			os.Remove(s.info)
		}
		return acted, err
	case Stamp:
		return u.stamped(s)
	case Permit:
		return u.permitted(s)
	}
	return false, errRan
}

// isAt tells whether the entry of a step has a path.
func (u *undoing) isAt(full string, s *PastStep) bool {
	fd, name, err := u.from.at(full)
	if err != nil {
		return false
	}
	st, err := status(fd, name, false)
	return err == nil && uint64(st.Ino) == s.Inode && uint64(st.Dev) == s.Device
}

// back puts an entry back to where it was.
func (u *undoing) back(s *PastStep) (acted bool, err error) {
	path1, to := string(s.Path), string(s.To)
	fd, name, err := u.from.at(to)
	var st unix.Stat_t
	if err == nil {
		st, err = status(fd, name, false)
	}
	if s.State == Begun {
		switch there := u.isAt(path1, s); {
		case err == nil && there:
			return false, errUnclear
		case there: // it was never done; a copy may have been begun
			if fd, _, err := u.from.at(to); err == nil {
				removeAll(fd, copyName(u.journal.Number, s.Number))
			}
			return false, nil
		}
		if fd, name, err = u.from.at(to); err == nil {
			st, err = status(fd, name, false)
		}
	}
	inode, device := s.Inode, s.Device
	if s.inode != 0 {
		inode, device = s.inode, s.device
	}
	copied := s.State == Begun && uint64(st.Dev) != s.Device // its inode could not be noted
	if err != nil || !copied && (uint64(st.Ino) != inode || uint64(st.Dev) != device) || entry.KindOfMode(uint32(st.Mode)).String() != s.Kind {
		return false, errMovedOn
	}
	toFd, oldName, err := u.to.at(path1)
	if err != nil {
		return false, err
	}
	err = rename(fd, name, toFd, oldName)
	if errors.Is(err, unix.EXDEV) {
		err = copyOver(context.Background(), to, fd, name, toFd, oldName, copyName(u.journal.Number, s.Number))
	}
	if err != nil {
		return false, err
	}
	if s.Kind == entry.KindFolder.String() {
		u.from.close()
		u.to.close()
	}
	return true, nil
}

// still returns what an entry is that has not moved.
func (u *undoing) still(s *PastStep) (fd int, name string, st unix.Stat_t, err error) {
	if fd, name, err = u.from.at(string(s.Path)); err != nil {
		return fd, name, st, err
	}
	if st, err = status(fd, name, false); err != nil || uint64(st.Ino) != s.Inode || uint64(st.Dev) != s.Device {
		err = errMovedOn
	}
	return fd, name, st, err
}

// stamped gives an entry back its times, unless they were altered since.
func (u *undoing) stamped(s *PastStep) (acted bool, err error) {
	fd, name, st, err := u.still(s)
	if err != nil {
		return false, err
	}
	o := &u.past.Options
	modified, accessed := exact.Time(timeOf(st.Mtim)), exact.Time(timeOf(st.Atim))
	if (o.Modified == nil || modified == s.Modified) && (o.Accessed == nil || accessed == s.Accessed) {
		return false, nil // it was not done
	}
	if o.Modified != nil && modified != *o.Modified {
		return false, errSince
	}
	var set [2]*exact.Time
	if o.Modified != nil {
		set[0] = &s.Modified
	}
	if o.Accessed != nil {
		set[1] = &s.Accessed
	}
	return true, setTimes(fd, name, set[0], set[1])
}

// permitted gives an entry back its permissions, unless they were altered since.
func (u *undoing) permitted(s *PastStep) (acted bool, err error) {
	fd, name, st, err := u.still(s)
	if err != nil {
		return false, err
	}
	switch entry.Permissions(st.Mode & 0o7777).Octal() {
	case s.Mode:
		return false, nil // it was not done
	case s.NewMode:
		before, err := entry.ParsePermissions(s.Mode)
		if err != nil {
			return false, err
		}
		return true, permit(fd, name, uint32(before))
	}
	return false, errSince
}

// removeMade removes the folders that were made on the way, if they are empty.
func (u *undoing) removeMade() {
	for i := len(u.past.made) - 1; i >= 0; i-- {
		dir := u.past.made[i]
		if fd, name, err := u.from.at(path.Clean(dir)); err == nil {
			unlink(fd, name, unix.AT_REMOVEDIR) // it may hold something else by now
		}
	}
}
