package source

import (
	"context"

	"frankledger/core/entry"
)

// What a request means is written here, once; every source goes by it.

// Treatment is what becomes of an entry.
type Treatment uint8

const (
	Given  Treatment = iota // if the condition chooses it
	Passed                  // not given, but a folder is entered
	Left                    // out, and not entered
)

// Treat tells what becomes of an entry that is hidden or not.
func (h Hidden) Treat(hidden bool) Treatment {
	switch {
	case hidden && h == OmitHidden:
		return Left
	case !hidden && h == OnlyHidden:
		return Passed
	}
	return Given
}

// Enters reports whether folders that lie in a folder are entered.
func (r *Request) Enters(in *entry.Folder) bool { return in.Depth+1 < r.Depth }

// Skips reports whether a folder is not entered by what Skip says.
func (r *Request) Skips(folder *entry.Folder) bool { return r.Skip != nil && r.Skip(folder) }

// Covers reports whether the request gives an entry, had all above it been entered: by
// its depth and by whether it, or a folder above it, is hidden.
func (r *Request) Covers(e *entry.Entry) Treatment {
	switch {
	case e.Depth() > r.Depth, r.Hidden == OmitHidden && e.Folder.Hidden:
		return Left
	}
	return r.Hidden.Treat(e.Hidden())
}

// Choosing returns a source that gives what meets a condition, whatever is asked of it.
func Choosing(s Source, c Condition) Source { return &choosing{s, c} }

type choosing struct {
	Source
	condition Condition
}

// Capabilities implements Source.
func (c *choosing) Capabilities() Capabilities {
	of := c.Source.Capabilities()
	of.Whole = false
	return of
}

// Read implements Source.
func (c *choosing) Read(ctx context.Context, request Request, sink Sink) (Report, error) {
	request.Condition = c.condition
	return c.Source.Read(ctx, request, sink)
}

// Among returns a condition that is met by what has one of some full paths and meets another
// condition, which may be nil.
func Among(paths map[string]bool, c Condition) Condition { return &among{paths, c} }

type among struct {
	paths     map[string]bool
	condition Condition
}

// Needs implements Condition.
func (a *among) Needs() entry.Facts {
	if a.condition == nil {
		return 0
	}
	return a.condition.Needs()
}

// Test implements Condition.
func (a *among) Test() Test {
	var test Test
	if a.condition != nil {
		test = a.condition.Test()
	}
	return func(e *entry.Entry, asked entry.Facts) Verdict {
		switch {
		case !a.paths[e.FullPath()]:
			return No
		case test == nil:
			return Yes
		}
		return test(e, asked)
	}
}

// TakeUntold implements Doubting.
func (a *among) TakeUntold() (entries int64, fields []Untold) {
	if c, is := a.condition.(Doubting); is {
		return c.TakeUntold()
	}
	return 0, nil
}
