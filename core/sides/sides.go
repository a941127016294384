// Package sides compares two places: entries by their paths from the place, as far as both sides looked at what is
// there.
//
// An entry is in the answer if the condition is met on either side. What one side did not look
// into, or could not read, is no difference of what is in it.
package sides

import (
	"context"
	"errors"
	"strings"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Scope is what chose the entries of a place when it was recorded. The zero value is everything.
type Scope struct {
	Hidden   source.Hidden
	SameDisk bool
	Skip     func(*entry.Folder) bool // nil for nothing
	// Condition is what all entries that are no folders had to meet; nil for nothing.
	Condition source.Condition
	// Lasting says that whether an entry meets the condition is settled by its name and kind,
	// so that what has a path met it whenever it was there.
	Lasting bool
}

// Narrowed returns a request for what both sides looked at. A place that was recorded follows no
// links, and has no other file systems.
func Narrowed(request source.Request, of source.Capabilities, scopes ...Scope) source.Request {
	for _, s := range scopes {
		if s.Hidden == source.OmitHidden && request.Hidden == source.ShowHidden {
			request.Hidden = source.OmitHidden
		}
		request.SameDisk = request.SameDisk || s.SameDisk
		if skip, other := request.Skip, s.Skip; skip == nil {
			request.Skip = other
		} else if other != nil {
			request.Skip = func(f *entry.Folder) bool { return skip(f) || other(f) }
		}
	}
	request.Follow, request.SameDisk = request.Follow && of.Follow, request.SameDisk && of.SameDisk
	return request
}

// Marking returns a request for everything, in which what meets the condition has
// [entry.MarkChosen], and that of which this is not known [entry.MarkUndecided].
func Marking(request source.Request) source.Request {
	hidden, self := request.Hidden, request.Self
	request = request.Marked(request.Facts)
	request.Hidden, request.Self = hidden, self
	return request
}

// Decide tells whether a pair is in the answer, where there is a condition. A fact that is not known of one of two
// entries is taken from the other, if nothing has changed.
func Decide(a, b *entry.Entry) source.Verdict {
	return decide(verdictOf(a), verdictOf(b), stateOf(a), stateOf(b))
}

// verdictOf is whether an entry meets the condition.
func verdictOf(e *entry.Entry) source.Verdict {
	switch {
	case source.Chosen(e):
		return source.Yes
	case e.Marks&entry.MarkUndecided != 0:
		return source.Unknown
	}
	return source.No
}

func decide(a, b source.Verdict, was, is state) source.Verdict {
	switch {
	case a == source.Yes || b == source.Yes:
		return source.Yes
	case a == source.No && b == source.No, a != b && was == is:
		return source.No
	}
	return source.Unknown
}

// state is by what an entry is taken for unchanged.
type state struct {
	kind     entry.Kind
	unsized  bool
	size     int64
	modified entry.Time
}

func stateOf(e *entry.Entry) state {
	s := state{kind: e.Kind, modified: e.Modified}
	if e.Kind == entry.KindFile {
		s.size, s.unsized = e.Size, !e.HasSize()
	}
	return s
}

// Verdicts reads places and returns, by paths from them, whether what is there meets a condition in any of
// them.
func Verdicts(ctx context.Context, places []source.Source, request source.Request, c source.Condition) (map[string]source.Verdict, source.Report, error) {
	request.Facts, request.Depth, request.Condition = entry.FactStatus, source.AllDepths, c
	var mu sync.Mutex
	var all source.Report
	verdicts, states := map[string]source.Verdict{}, map[string]state{}
	for _, place := range places {
		report, err := place.Read(ctx, Marking(request), source.SinkFunc(func() source.Visitor {
			return func(entries []entry.Entry) error {
				mu.Lock()
				defer mu.Unlock()
				for i := range entries {
					e := &entries[i]
					rel, verdict, now := e.Relative(), verdictOf(e), stateOf(e)
					if before, both := verdicts[rel]; both {
						verdict = decide(before, verdict, states[rel], now)
					}
					verdicts[rel], states[rel] = verdict, now
				}
				return nil
			}
		}))
		report.NoteUntold(place, c)
		all.Add(report)
		if err != nil {
			return nil, all, err
		}
	}
	return verdicts, all, nil
}

// Standing is what an entry that only one side has says about the other.
type Standing uint8

const (
	Missing Standing = iota // the other one has none there
	Outside                 // the other one did not look at it
	Unclear                 // the other one has none that met the condition it was recorded with
)

// Test returns what tells how an entry stands that a place with this scope does not have. It is
// for one goroutine.
func (s Scope) Test() func(*entry.Entry) Standing {
	if s.Condition == nil {
		return func(*entry.Entry) Standing { return Missing }
	}
	test := s.Condition.Test()
	return func(e *entry.Entry) Standing {
		if e.Kind == entry.KindFolder { // these are recorded always
			return Missing
		}
		switch verdict := test(e, ^entry.Facts(0)); {
		case verdict == source.No:
			return Outside
		case verdict == source.Yes && s.Lasting:
			return Missing
		}
		return Unclear
	}
}

// Forget forgets what the condition could not decide: it was not what was asked.
func (s Scope) Forget() {
	if c, is := s.Condition.(source.Doubting); is {
		c.TakeUntold()
	}
}

// Shut are folders that a place has and did not look into, by their paths. It may be used by
// several goroutines.
type Shut struct {
	mu    sync.Mutex
	paths map[string]bool // whether it could not be read
}

// Add adds a folder; unread says that it could not be read.
func (s *Shut) Add(rel string, unread bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.paths == nil {
		s.paths = map[string]bool{}
	}
	s.paths[rel] = s.paths[rel] || unread
}

// Note notes the folders among entries, by a path for each.
func (s *Shut) Note(entries []entry.Entry, rel func(*entry.Entry) string) {
	for i := range entries {
		e := &entries[i]
		if e.Kind != entry.KindFolder || e.Self {
			continue
		}
		if e.Inside == nil || e.Inside.Unread() {
			s.Add(rel(e), e.Inside != nil)
		}
	}
}

// NoteProblems notes what could not be read of a place, also where nothing of a folder was given.
// Before is what paths begin with there.
func (s *Shut) NoteProblems(place *entry.Place, before string, problems []source.Problem) {
	for _, p := range problems {
		if rel, below := strings.CutPrefix(p.Path, strings.TrimSuffix(place.Given, "/")); below && p.Shut {
			s.Add(strings.TrimSuffix(before+strings.TrimPrefix(rel, "/"), "/"), true)
		}
	}
}

// isEmpty reports whether there is none. It is to be called when the place is read.
func (s *Shut) isEmpty() bool { return len(s.paths) == 0 }

// In reports whether a folder is or lies in such a one, by its path, and whether that could not be
// read. It is to be called when the place is read.
func (s *Shut) In(rel string) (shut, unread bool) {
	if len(s.paths) == 0 {
		return false, false
	}
	for {
		if unread, shut = s.paths[rel]; shut || rel == "" {
			return shut, unread
		}
		rel = rel[:max(0, strings.LastIndexByte(rel, '/'))]
	}
}

// beyond reports whether there is any that another has not.
func (s *Shut) beyond(other *Shut) bool {
	for rel := range s.paths {
		if shut, _ := other.In(rel); !shut {
			return true
		}
	}
	return false
}

// Settle makes a report of two readings one of what is not known of both sides together: of so
// many entries it could not be decided whether they are in the answer.
func Settle(report *source.Report, undecided int64) {
	report.Unknown = undecided
	var problems []source.Problem
	for _, p := range report.Problems {
		if p.Untold != nil {
			if p.Entries = min(p.Entries, undecided); p.Entries == 0 {
				continue
			}
		}
		problems = append(problems, p)
	}
	report.Problems = problems
}

var errCondition = errors.New("it is a record of what met a condition")

// NoteUnclear adds to a report that a place may have had more entries than it recorded.
func NoteUnclear(report *source.Report, place *entry.Place, entries int64) {
	if entries > 0 {
		report.Problems = append(report.Problems, source.Problem{Path: place.Given, Tried: "decide whether they were also in", Err: errCondition, Entries: entries, Unclear: true})
	}
}
