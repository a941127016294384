package source

import (
	"errors"

	"frankledger/core/entry"
)

// Capabilities are what a source can be asked, and what it knows. What it cannot do is refused, and a fact that it
// does not have is not known of its entries.
type Capabilities struct {
	Below    bool // it goes into folders; else it gives what it has, whatever Depth, Hidden and Skip say
	Follow   bool // it can go into folders that links lead to
	SameDisk bool // it can tell file systems apart
	Content  bool // the content of its files can be read
	Whole    bool // it has all that is, or was, in its folders: no condition chose what it has
	// Facts are those that it keeps or can find out, of entries that have them.
	Facts entry.Facts
	// Limits says why it cannot do the rest, to follow its name: "is a list, …". It is nil if there is no rest.
	Limits error
	// Untold says why a fact is not known that it has not got, or could not find out.
	Untold error
}

// ErrIncapable is returned for a request that a source cannot honour.
var ErrIncapable = errors.New("this place cannot follow links or separate file systems")

// Check returns [ErrIncapable] for a request that asks for what is beyond them.
func (c Capabilities) Check(r *Request) error {
	if r.Follow && !c.Follow || r.SameDisk && !c.SameDisk || r.Earlier != nil && !(c.Content && c.Below) {
		return ErrIncapable
	}
	return nil
}

// ErrUntold is why a fact of what is there now is not known.
var ErrUntold = errors.New("it is not known here")
