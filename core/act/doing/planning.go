package doing

import (
	"context"
	"errors"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"frankledger/core/act/copying"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/trash"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/live"
	"frankledger/core/text"
	"frankledger/core/volume"
)

// Planner makes plans.
type Planner struct {
	Action  plans.Action
	Options plans.Options
	Host    string
	Home    string            // full path of the home folder
	Keep    []string          // full paths of folders that this program writes to while it acts
	Mask    entry.Permissions // that a mode without who is limited by
	Trash   trash.Trash
	Zone    *time.Location // of the days in names; nil for the local one
	Calls   *sys.Calls     // how the system is called; nil for straight

	ThroughPlaces bool // a place that is a link to a folder is taken for the folder
	// Hidden are the hidden names of all folders that entries are in; nil where these are
	// not known.
	Hidden *HiddenNames
	// Spares say, by full path, what entries were and what stays of each; nil for what
	// are none.
	Spares map[string]live.Spare
	// Keepers are what stays of each entry, in another way.
	Keepers map[*entry.Entry]*entry.Entry
	Real    map[*entry.Place]string // folders of places, with links followed
}

// Planning is one goroutine's share of a plan.
type Planning struct {
	*Planner
	verb    Verb
	Ctx     context.Context
	Calls   *sys.Calls
	folders openat.Folders // that steps go to
	Sources openat.Folders // that entries lie in
	Cans    *trash.Directories
	volumes openat.Volumes
	names   map[string]struct{} // in the folder that steps go to, where they are many
	namesOf string
	Counted int                             // entries that got a name by a pattern
	missed  int                             // names asked for in this folder
	targets map[string]struct{}             // where steps go to
	folded  map[string]bool                 // likewise, without regard to letter case
	kept    map[openat.MountOf]*tree.Target // what can be kept where they go
	Linked  map[entry.Node]*Linked          // files of several names, which are copied
	// KeepersIn are the folders that what stays lies in; keptIn is the last of them, as it
	// was given, and with links followed.
	KeepersIn openat.Folders
	keptIn    struct{ given, full string }
	// mayFrom tells whether anything may be taken out of the last folder that was asked about.
	mayFrom struct {
		path   string
		err    error
		sticky bool // only what is the person's own
	}
	mayInto map[string]error        // whether anything may be put into folders, by their paths
	closed  map[openat.MountOf]bool // whether nothing can be written there
}

func (p *Planner) Planning(ctx context.Context, verb Verb) *Planning {
	one := &Planning{Planner: p, verb: verb, Ctx: ctx, Calls: p.Calls, folders: openat.NewFolders(p.Calls), Sources: openat.NewFolders(p.Calls), KeepersIn: openat.NewFolders(p.Calls), volumes: openat.Volumes{},
		targets: map[string]struct{}{}, kept: map[openat.MountOf]*tree.Target{}, Linked: map[entry.Node]*Linked{}, mayInto: map[string]error{}, closed: map[openat.MountOf]bool{}}
	one.Cans = trash.NewDirectories(p.Trash, &one.folders, true)
	return one
}

func (p *Planning) Close() {
	p.folders.Close()
	p.Sources.Close()
	p.KeepersIn.Close()
}

// Fill fills in what a step does, or why it is refused.
func (p *Planning) Fill(s *plans.Step) {
	err := p.decide(s, s.Entry)
	if err == nil {
		err = p.foresee(s)
	}
	if err != nil {
		s.Refused = exact.Text(err.Error())
		var so So
		s.Same = errors.As(err, &so)
	}
}

// FillNew fills in whether a step can make what is not there yet.
func (p *Planning) FillNew(s *plans.Step) {
	if err := p.verb.Plan(p, s, nil); err != nil {
		s.Refused = exact.Text(err.Error())
	}
}

// So is an error that says that something is already as a step would have it.
type So string

// Error implements error.
func (so So) Error() string { return string(so) }

// Why a step is refused when it is planned.
var (
	errNotKnown     = errors.New("too little is known about it")
	ErrNameless     = errors.New("its name would be empty")
	ErrHere         = errors.New("it is there already")
	ErrInItself     = errors.New("a folder cannot go into itself")
	ErrRoot         = errors.New("it is the root folder")
	errHome         = errors.New("the home folder is in it; --really allows that")
	errOwnFiles     = errors.New("the journals of this program are in it")
	errStuckInside  = errors.New("you may not remove anything from this folder, so it cannot be removed completely")
	errMount        = errors.New("another file system is mounted there; --really allows that")
	ErrMountedTrash = errors.New("a mounted file system cannot go into the trash; --for-good removes everything in it")
	errMountStays   = errors.New("a file system is mounted on it, so it must keep its name")
	ErrSeveral      = errors.New("another match would get the same name")
	errLongName     = errors.New("its name would be too long")
	errNothingThere = errors.New("the link leads to nothing")
)

// Why nothing is to be hidden, or revealed.
const (
	ErrHidden    = So("it is hidden already")
	ErrNotHidden = So("it is not hidden")
)

// decide fills in what a step does, or returns why it is refused.
func (p *Planning) decide(s *plans.Step, e *entry.Entry) error {
	if !e.Known.Has(entry.FactStatus) {
		return errNotKnown
	}
	if p.Options.Through && e.Kind == entry.KindLink {
		if err := p.lookThrough(s); err != nil {
			return err
		}
	}
	if p.Spares != nil {
		if err := p.spare(s, e.Folder.Place.Full); err != nil {
			return err
		}
	}
	if k := p.Keepers[e]; k != nil {
		if err := p.keeps(s, k.FullPath(), &plans.Keeper{Entry: k, Inode: k.Inode, Size: k.Size, Modified: exact.Time(k.Modified), Changed: exact.Time(k.Changed)}); err != nil {
			return err
		}
	}
	return p.verb.Plan(p, s, e)
}

// spare makes sure that a file of a list of spares is what it was when the list was
// made, and notes what stays.
func (p *Planning) spare(s *plans.Step, full string) error {
	was, listed := p.Spares[full]
	if !listed {
		return nil
	}
	if was.Inode != s.Inode || was.Size != s.Size || was.Modified != entry.Time(s.Modified) || was.Changed != entry.Time(s.Changed) {
		return errListed
	}
	if !p.verb.Traits().Frees {
		return nil
	}
	return p.keeps(s, was.Keeper, &plans.Keeper{Inode: was.KeeperInode, Size: was.Size, Modified: exact.Time(was.KeeperModified), Changed: exact.Time(was.KeeperChanged)})
}

// keeps notes what stays of a step's entry, and makes sure that it is there.
func (p *Planning) keeps(s *plans.Step, given string, k *plans.Keeper) error {
	s.Keeper = k
	dir, name := path.Split(given)
	if p.keptIn.given != dir {
		full, err := filepath.EvalSymlinks(dir)
		if err != nil {
			k.Path = exact.Text(given)
			if openat.Gone(err) {
				err = plans.ErrNoKeeper
			}
			return err
		}
		p.keptIn.given, p.keptIn.full = dir, full
	}
	k.Path = exact.Text(path.Join(p.keptIn.full, name))
	st, err := p.KeepersIn.Status(string(k.Path))
	if openat.Gone(err) {
		return plans.ErrNoKeeper
	}
	if err != nil {
		return err
	}
	return k.Check(&st, s.Kind, s.Inode, s.Device)
}

var errListed = errors.New("it has changed since the list was made")

// lookThrough makes a step about what its link leads to, whose path it has.
func (p *Planning) lookThrough(s *plans.Step) error {
	st, err := p.Sources.Status(string(s.Path))
	switch {
	case err != nil:
		return err
	case st.Kind == entry.KindLink:
		return errNothingThere
	}
	s.Kind, s.Inode, s.Device, s.Size = st.Kind.String(), st.Inode, st.Device, st.Size
	s.Modified, s.Accessed, s.Changed, s.Born = exact.Time(st.Modified), exact.Time(st.Accessed), exact.Time(st.Changed), exact.Time(st.Born)
	s.Mode = st.Permissions.Octal()
	return nil
}

// VolumeOf returns what is known of the file system of a step's entry.
func (p *Planning) VolumeOf(s *plans.Step) volume.Volume {
	if known, met := p.volumes[s.Device]; met {
		return known
	}
	if s.Path == "/" {
		return volume.Volume{}
	}
	at, name, err := p.Sources.At(string(s.Path))
	if err != nil {
		return volume.Volume{}
	}
	st, err := p.Calls.Status(at, name)
	if err != nil || st.Device != s.Device {
		return volume.Volume{}
	}
	return p.volumes.Of(p.Calls, at, name, &st)
}

// Goes has a step go to a path, if that is free, or to a free one like it.
func (p *Planning) Goes(s *plans.Step, to string) error {
	if p.tooLong(to) {
		return errLongName
	}
	if err := p.mayEnter(to); err != nil {
		s.To = exact.Text(to)
		return err
	}
	err := p.free(s, to)
	stem, ext := entry.SplitName(path.Base(to))
	if ext != "" {
		ext = "." + ext
	}
	for n := 2; err != nil && p.Options.Number && n < 10_000; n++ {
		other := path.Join(path.Dir(to), fmt.Sprintf("%s-%d%s", stem, n, ext))
		if p.tooLong(other) {
			return errLongName
		}
		if err = p.free(s, other); err == nil {
			to = other
		}
	}
	if s.To = exact.Text(to); err != nil {
		return err
	}
	if !p.verb.Traits().Dots || p.Options.Number { // else each has a name of its own
		p.targets[to] = struct{}{}
	}
	return nil
}

// tooLong reports whether a name is longer than its folder takes.
func (p *Planning) tooLong(full string) bool {
	const shortest = 100 // no file system takes less
	name := path.Base(full)
	if len(name) < shortest {
		return false
	}
	most := 255
	for dir := path.Dir(full); dir != "/"; dir = path.Dir(dir) {
		at, _, err := p.folders.At(dir + "/x")
		if openat.Gone(err) {
			continue
		}
		if err == nil {
			if v, err := p.Calls.Volume(at); err == nil && v.NameMax > 0 {
				most = v.NameMax
			}
		}
		break
	}
	return len(name) > most
}

// manyNames is how many names are asked for in a folder one by one, before it is
// read.
const manyNames = 4

// free returns an error unless nothing has a path, nor is going to have it.
func (p *Planning) free(s *plans.Step, to string) error {
	if _, taken := p.targets[to]; taken {
		return ErrSeveral
	}
	if p.Hidden != nil {
		if p.Hidden.has(s.Entry.Folder, path.Base(to)) {
			return openat.ErrTaken
		}
		return nil
	}
	fd, name, err := p.folders.At(to)
	if openat.Gone(err) {
		return nil // nor is there the folder, which will be made
	}
	if err != nil {
		return err
	}
	if p.namesOf != p.folders.Path {
		p.namesOf, p.names, p.missed = p.folders.Path, nil, 0
	}
	if p.missed++; p.missed > manyNames && p.names == nil {
		p.names = map[string]struct{}{}
		if list, open, err := p.Calls.ReadFolder(fd, "."); err == nil {
			p.Calls.Close(open)
			for _, name := range list {
				if !p.verb.Traits().Dots || name[0] == '.' { // to hide gives no other names
					p.names[name] = struct{}{}
				}
			}
		} else {
			p.names, p.missed = nil, 0 // it may not be read
		}
	}
	if p.names != nil {
		if _, taken := p.names[name]; taken {
			return openat.ErrTaken
		}
		return nil
	}
	st, err := p.Calls.Status(fd, name)
	switch {
	case err == nil && p.verb.Traits().Cases && IsCase(s, &st, to):
		return nil
	case err == nil:
		return openat.ErrTaken
	case openat.Gone(err):
		return nil
	}
	return err
}

// NotMounted returns an error if something is mounted on a folder.
func (p *Planning) NotMounted(s *plans.Step) error {
	if s.Kind != entry.KindFolder.String() {
		return nil // that is looked at when it is done
	}
	if mounted, err := p.mountedOn(s); err != nil || !mounted {
		return err
	}
	return errMountStays
}

// mountedOn reports whether something is mounted on the entry of a step.
func (p *Planning) mountedOn(s *plans.Step) (bool, error) {
	st, err := p.Sources.Status(string(s.Path))
	return err == nil && (st.Mount != p.Sources.Mount().Mount || st.MountRoot), err
}

// Leave makes sure that an entry may leave its place, and notes what is in a
// folder: closely, if it is going to be copied.
func (p *Planning) Leave(s *plans.Step, e *entry.Entry, to *tree.Target) error {
	full := string(s.Path)
	outright := p.Options.Really && e.Self
	switch {
	case full == "/":
		return ErrRoot
	case !outright && p.Home != "" && Within(p.Home, full):
		return errHome
	case slices.ContainsFunc(p.Keep, func(keep string) bool { return Within(keep, full) }):
		return errOwnFiles
	}
	if err := p.MayLeave(s); err != nil {
		return err
	}
	if s.Kind != entry.KindFolder.String() {
		if to != nil {
			return p.CopyNotes(s, to)
		}
		return nil
	}
	mounted, err := p.mountedOn(s)
	if err != nil {
		return err
	}
	if mounted && !outright {
		return errMount
	}
	s.Mounted = mounted
	at, name, err := p.Sources.At(full)
	if err != nil {
		return err
	}
	surveyor := &tree.Surveyor{Calls: p.Calls, To: to, Mine: tree.OwnerKept, NoteMounts: true, Leaving: to != nil || p.Options.ForGood}
	v, err := surveyor.Survey(p.Ctx, at, name)
	if err != nil {
		return err
	}
	s.Holds = &v.Holds
	switch {
	case len(v.Mounts) > 0:
		return MountsInside(v.Mounts)
	case v.Stuck != "":
		return fmt.Errorf("%s: %w", v.Stuck, errStuckInside)
	case to != nil:
		return p.Note(s, v, to)
	}
	return nil
}

// MountsInside returns the error that something is mounted in a folder.
func MountsInside(rels []string) error {
	more := ""
	if len(rels) > tree.MostMounts {
		rels, more = rels[:tree.MostMounts], " and more"
	}
	return fmt.Errorf("%w: %s%s", openat.ErrMountInside, strings.Join(rels, ", "), more)
}

// Across returns what can be kept of an entry in the folder that it goes to, or nil
// if that is on the same file system, so that nothing need be copied.
func (p *Planning) Across(s *plans.Step, dir string) (*tree.Target, error) {
	if _, _, err := p.Sources.At(string(s.Path)); err != nil {
		return nil, err
	}
	from := p.Sources.Mount()
	return p.targetFrom(dir, &from)
}

// Target returns what can be kept in a folder.
func (p *Planning) Target(dir string) (*tree.Target, error) { return p.targetFrom(dir, nil) }

// targetFrom returns what can be kept in a folder, or nil if that is where things come
// from.
func (p *Planning) targetFrom(dir string, from *openat.MountOf) (*tree.Target, error) {
	for {
		at, _, err := p.folders.At(strings.TrimSuffix(dir, "/") + "/x")
		if openat.Gone(err) && dir != "/" {
			dir = path.Dir(dir)
			continue
		}
		if err != nil {
			return nil, err
		}
		to := p.folders.Mount()
		if from != nil && to == *from {
			return nil, nil
		}
		kept := p.kept[to]
		if kept == nil {
			v, err := p.Calls.Volume(at)
			if err != nil {
				return nil, err
			}
			if v.ReadOnly {
				return nil, errReadOnly
			}
			flags, err := tree.FlagsKept(p.Calls, at)
			if err != nil {
				return nil, err
			}
			kept = &tree.Target{Lists: p.Calls.KeepsLists(at), Attributes: p.Calls.KeepsAttributes(at), Links: !v.NoLinks, Flags: flags, Volume: v}
			p.kept[to] = kept
		}
		return kept, nil
	}
}

// SameButCase returns an error if another step goes to a path that differs from that of this one only in capital and
// small letters, where the file system does not tell these apart.
func (p *Planning) SameButCase(s *plans.Step, to *tree.Target) error {
	if to == nil || to.Volume.System == "" {
		return nil
	}
	folded := string(text.Fold([]byte(s.To), false))
	if p.folded == nil {
		p.folded = map[string]bool{}
	}
	if p.folded[folded] {
		return errOnlyCase
	}
	p.folded[folded] = true
	return nil
}

var errOnlyCase = errors.New("another match would get the same name except for capital and small letters, and the disk there treats them as equal")

// CopyNotes notes what cannot be kept of an entry that is no folder.
func (p *Planning) CopyNotes(s *plans.Step, to *tree.Target) error {
	at, name, err := p.Sources.At(string(s.Path))
	if err != nil {
		return err
	}
	v := &tree.Survey{Names: map[entry.Node]*tree.Names{}}
	st, err := p.Calls.Status(at, name)
	if err != nil {
		return err
	}
	surveyor := &tree.Surveyor{Calls: p.Calls, To: to, Mine: tree.OwnerKept}
	if err := surveyor.LookAt(v, openat.Spot{At: at, Name: name}, &st); err != nil {
		return err
	}
	return p.Note(s, v, to)
}

// Linked is a file of several names, and the steps that copy it.
type Linked struct {
	tree.Names
	Steps []*plans.Step
}

// Note notes what cannot be kept of what was surveyed.
func (p *Planning) Note(s *plans.Step, v *tree.Survey, to *tree.Target) error {
	switch {
	case v.Fixed > 0 && !p.verb.Traits().Copies:
		return errFixed
	case v.Unfit != "" && v.UnfitAt != "":
		return fmt.Errorf("%s: the disk there (%s) cannot hold it: %s", v.UnfitAt, to.Volume.System, v.Unfit)
	case v.Unfit != "":
		return fmt.Errorf("the disk there (%s) cannot hold it: %s", to.Volume.System, v.Unfit)
	case v.Specials > 0 && v.Special != "":
		return fmt.Errorf("%s: %w", v.Special, copying.ErrNoCopy)
	case v.Specials > 0:
		return copying.ErrNoCopy
	}
	for _, one := range []struct {
		count int64
		text  string
	}{
		{unless(to.Lists, v.Lists), "access lists would be lost there, so some people lose access (%d)"},
		{unless(to.Attributes, v.Attributes), "extended attributes would be lost there (%d)"},
		{v.Owners, "owner or group would be lost (%d)"},
		{v.SetIDs, "set-user and set-group bits would be lost (%d)"},
		{v.Times, "times cannot be kept exactly there (%d)"},
		{v.Flags, "flags would be lost there (%d)"},
	} {
		if one.count > 0 {
			s.AddNote(fmt.Sprintf(one.text, one.count))
		}
	}
	if !to.Links && len(v.Names) > 0 {
		s.AddNote(fmt.Sprintf("hard links would become separate files there (%d)", len(v.Names)))
		return nil
	}
	for n, of := range v.Names {
		l := p.Linked[n]
		if l == nil {
			l = &Linked{Names: tree.Names{All: of.All}}
			p.Linked[n] = l
		}
		l.Met += of.Met
		if !slices.Contains(l.Steps, s) {
			l.Steps = append(l.Steps, s)
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

// NoteLinks notes where a file has names that stay behind.
func (p *Planning) NoteLinks() {
	counts := map[*plans.Step]int{}
	for _, l := range p.Linked {
		if l.Met < l.All {
			for _, s := range l.Steps {
				counts[s]++
			}
		}
	}
	for s, n := range counts {
		if s.Refused == "" {
			s.Links = n
			text := "hard links to files that stay here are lost, and undo cannot restore them (%d)"
			if p.verb.Traits().Parts {
				text = "its other names stay here, and undo cannot join them again (%d)"
			}
			s.AddNote(fmt.Sprintf(text, n))
		}
	}
}

// DepthOf is how deep the entry of a step lies: the number of slashes in its path.
func DepthOf(s *plans.Step) int { return strings.Count(string(s.Path), "/") }

// ZoneOfNames is the zone of the days in names.
func (p *Planner) ZoneOfNames() *time.Location {
	if p.Zone == nil {
		return time.Local
	}
	return p.Zone
}

// IsCase reports whether what is found by the new name of a step is its entry: where the
// file system does not tell capital letters from small ones.
func IsCase(s *plans.Step, found *sys.Status, to string) bool {
	return found.Inode == s.Inode && found.Device == s.Device && to != string(s.Path) && strings.EqualFold(to, string(s.Path))
}

// Within reports whether a path is a folder, or lies in it.
func Within(full, folder string) bool {
	return full == folder || folder == "/" || len(full) > len(folder) && full[:len(folder)] == folder && full[len(folder)] == '/'
}

// RefuseCircles refuses steps whose keeper another step removes.
func RefuseCircles(p *plans.Plan) {
	goes := map[exact.Text]bool{}
	for _, s := range p.Steps {
		if s.Keeper != nil && s.Refused == "" {
			goes[s.Path] = true
		}
	}
	if p.Options.By == plans.ByShared || len(goes) == 0 {
		return
	}
	for _, s := range p.Steps {
		if s.Keeper == nil || s.Refused != "" {
			continue
		}
		for at := string(s.Keeper.Path); at != "/" && at != "."; at = path.Dir(at) {
			if goes[exact.Text(at)] {
				s.Refused = exact.Text(errKeeperGoes.Error())
				break
			}
		}
	}
}

var errKeeperGoes = errors.New("the file that should stay would be removed too")
