package act

import (
	"context"
	"errors"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/live"
	"frankledger/core/source"
)

// Request says what an action is on.
type Request struct {
	source.Request
	Context *entry.Context
	// Below is set where the action is on what lies below the places: all of it, or what the
	// condition chooses. Without it the action is on the places themselves.
	Below bool
	// Through takes a place that is a link to a folder for that folder. Stamp, Permit and
	// Own then take each link for what it leads to.
	Through bool
}

// Planned is a plan, and how it came about.
type Planned struct {
	Plan   *plans.Plan // nil if there was an error
	Report source.Report
	// Links are places that are links to folders, and stand for these.
	Links []*entry.Place
	// Bare is how many places are lists of paths alone, which do not tell what was there
	// when they were made.
	Bare int
}

// LinkError is returned for a place that is a link to a folder, where what lies below
// is to be acted on: nobody said that this is meant.
type LinkError struct{ Place *entry.Place }

func (e *LinkError) Error() string { return e.Place.Given + " is a link to " + e.Place.Real }

// PlanRequest makes a plan for what the sources have, all of which are of the running system.
func PlanRequest(ctx context.Context, p *doing.Planner, from *source.Set, r Request) (*Planned, error) {
	answer := &Planned{}
	var err error
	if answer.Links, err = r.links(from.Sources); err != nil {
		return answer, err
	}
	p.Options.Through = r.Through && verbs.All[p.Action].Traits().Links
	p.ThroughPlaces = r.Through
	request := r.Request
	request.Facts = entry.FactStatus | entry.FactCreated
	if v, is := verbs.All[p.Action].(doing.Needer); is {
		facts, err := v.Needs(p)
		if err != nil {
			return answer, err
		}
		request.Facts |= facts
	}
	if !r.Below {
		request.Depth = 0
	}
	if verbs.All[p.Action].Traits().Dots && r.meetsAllNames(from.Sources) {
		p.Hidden = &doing.HiddenNames{}
		request.Condition = p.Hidden.Watch(request.Condition)
	}
	collector := arrange.NewCollector(arrange.Order{}, r.Context, 0)
	if answer.Report, err = from.Read(ctx, request, collector); err != nil {
		return answer, err
	}
	for _, s := range from.Sources {
		if list, is := s.(*live.List); is {
			if list.Spares() == nil {
				answer.Bare++
			} else {
				p.Spares = list.Spares()
			}
		}
	}
	arranged := collector.Arrange()
	entries := make([]*entry.Entry, arranged.Len())
	for i := range entries {
		entries[i] = arranged.At(i)
	}
	answer.Plan, err = MakePlan(ctx, p, entries)
	return answer, err
}

// links returns the places that are links to folders. What lies below
// them is acted on only if that was asked for.
func (r *Request) links(sources []source.Source) (links []*entry.Place, err error) {
	for _, s := range sources {
		place := s.Place()
		info, err := os.Lstat(place.Full)
		if err != nil || info.Mode()&os.ModeSymlink == 0 || place.Leaf || place.List {
			continue
		}
		switch meant := r.Through || strings.HasSuffix(place.Given, "/"); {
		case meant:
			links = append(links, place)
		case r.Below:
			return nil, &LinkError{place}
		}
	}
	return links, nil
}

// meetsAllNames reports whether the condition meets all names of the folders that are looked into.
func (r *Request) meetsAllNames(sources []source.Source) bool {
	return r.Below && r.Condition != nil && r.Hidden == source.ShowHidden && !r.Follow &&
		!slices.ContainsFunc(sources, func(s source.Source) bool { return s.Place().List || s.Place().Leaf })
}

// TargetError says what is wrong with a target folder.
type TargetError struct {
	Path string // where it shows
	Err  error
}

func (e *TargetError) Error() string { return e.Path + " " + e.Err.Error() }
func (e *TargetError) Unwrap() error { return e.Err }

var (
	errNoFolder = errors.New("is not a folder")
	errNowhere  = errors.New("leads nowhere")
)

// Target returns the full path of a folder to move into, with no link in it. It
// need not be there yet. The error may be a [TargetError].
func Target(given string) (exact.Text, error) {
	full, err := filepath.Abs(given)
	if err != nil {
		return "", err
	}
	missing := ""
	for at := full; ; at = path.Dir(at) {
		existing, err := filepath.EvalSymlinks(at)
		if err == nil {
			if info, err := os.Stat(existing); err != nil || !info.IsDir() {
				return "", &TargetError{at, errNoFolder}
			}
			return exact.Text(path.Join(existing, missing)), nil
		}
		if _, err := os.Lstat(at); err == nil || at == "/" {
			return "", &TargetError{at, errNowhere}
		}
		missing = path.Join(path.Base(at), missing)
	}
}
