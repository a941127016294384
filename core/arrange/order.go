// Package arrange puts entries in order and keeps the first of them.
package arrange

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/text"
)

// Key is a field to order by, in its natural direction or the reverse.
type Key struct {
	Field   *entry.Field
	Reverse bool
}

// Order is the order of an answer: by the first key, what is equal in that by
// the second, and so on; what is equal in all of them, and everything where
// there are no keys, by name within each folder, with the folders in order of
// their paths. Entries that have no value for a key come last.
type Order struct {
	Keys []Key
	AsIs bool // as found
	// Backward has everything in the opposite of the order that it has without keys.
	Backward bool
	words    string
}

const (
	asIs    = "none"
	reverse = "/reverse"
)

// ErrOrder is returned for words that are no direction.
var ErrOrder = errors.New("not an order")

// ParseOrder reads an order from its keys separated by commas, each the name
// of a field, with "/reverse" after it, or a minus before it, for the opposite of
// its natural direction. The word "none" means as found, and "" the default. The error
// wraps ErrOrder or entry.ErrField.
func ParseOrder(words string) (Order, error) {
	order := Order{words: words}
	if words == asIs {
		order.AsIs = true
		return order, nil
	}
	if words == "" {
		return order, nil
	}
	for word := range strings.SplitSeq(words, ",") {
		word, minus := strings.CutPrefix(word, "-")
		name, isReverse := strings.CutSuffix(word, reverse)
		if bare, rest, found := strings.Cut(name, "/"); found && !isReverse {
			return order, fmt.Errorf("%w: only %s can follow %s, not /%s", ErrOrder, reverse, bare, rest)
		}
		field, err := entry.LookupField(name)
		if err != nil {
			return order, err
		}
		order.Keys = append(order.Keys, Key{field, isReverse != minus})
	}
	return order, nil
}

// Reversed is the opposite order. What has no value for a key still comes last, and what is equal in all keys
// is still in the order of names.
func (o Order) Reversed() Order {
	o.Keys = slices.Clone(o.Keys)
	for i := range o.Keys {
		o.Keys[i].Reverse = !o.Keys[i].Reverse
	}
	o.Backward = len(o.Keys) == 0
	return o
}

// String returns the words of the order.
func (o Order) String() string { return o.words }

// Needs returns the facts that the order looks at.
func (o Order) Needs() entry.Facts {
	var facts entry.Facts
	for _, key := range o.Keys {
		facts |= key.Field.Needs
	}
	return facts
}

// descends reports whether greater values come first.
func (k Key) descends() bool { return k.Field.Descending != k.Reverse }

// compare is a function that tells which of two entries comes first. It has
// memory of its own and is for one goroutine.
type compare func(a, b *entry.Entry) int

// compare goes by the keys, and then by place.
func (o Order) compare(c *entry.Context) compare {
	byKeys := o.byKeys(c, 0)
	return func(a, b *entry.Entry) int {
		if c := byKeys(a, b); c != 0 {
			return c
		}
		return o.turned(ByPlace(a, b))
	}
}

// turned is how entries are compared whose keys are equal.
func (o Order) turned(c int) int {
	if o.Backward {
		return -c
	}
	return c
}

// byKeys goes by the keys from that one on.
func (o Order) byKeys(c *entry.Context, from int) compare {
	var keys []compare
	for _, key := range o.Keys[min(from, len(o.Keys)):] {
		keys = append(keys, key.compare(c))
	}
	return func(a, b *entry.Entry) int {
		for _, compare := range keys {
			if c := compare(a, b); c != 0 {
				return c
			}
		}
		return 0
	}
}

func (k Key) compare(c *entry.Context) compare {
	f := k.Field
	sign := 1
	if k.descends() {
		sign = -1
	}
	switch f.Type {
	case entry.Text:
		if f.Held != nil {
			return func(a, b *entry.Entry) int { return sign * text.CompareNatural(f.Held(a), f.Held(b)) }
		}
		var bufferA, bufferB []byte
		return func(a, b *entry.Entry) int {
			var okA, okB bool
			bufferA, okA = f.AppendText(bufferA[:0], a, c)
			bufferB, okB = f.AppendText(bufferB[:0], b, c)
			if c, last := absent(okA, okB); last {
				return c
			}
			return sign * text.CompareNatural(string(bufferA), string(bufferB))
		}
	case entry.Moment:
		return func(a, b *entry.Entry) int {
			x, okA := f.Moment(a)
			y, okB := f.Moment(b)
			if c, last := absent(okA, okB); last {
				return c
			}
			return sign * x.Compare(y)
		}
	case entry.Flag:
		return func(a, b *entry.Entry) int {
			x, okA := f.Flag(a)
			y, okB := f.Flag(b)
			if c, last := absent(okA, okB); last {
				return c
			}
			switch {
			case x == y:
				return 0
			case x:
				return sign
			}
			return -sign
		}
	}
	return func(a, b *entry.Entry) int {
		x, okA := f.Number(a, c)
		y, okB := f.Number(b, c)
		if c, last := absent(okA, okB); last {
			return c
		}
		return sign * cmp.Compare(f.Rank(x), f.Rank(y))
	}
}

// absent orders entries of which at least one has no value, if that is so.
func absent(okA, okB bool) (c int, isSo bool) {
	switch {
	case okA && okB:
		return 0, false
	case okA:
		return -1, true
	case okB:
		return 1, true
	}
	return 0, true
}

// ByPlace is the default order: by name within each folder, with the folders in
// order of their paths, and places as they were asked about.
func ByPlace(a, b *entry.Entry) int {
	if a.Folder == b.Folder {
		return text.CompareNatural(a.Name, b.Name)
	}
	return compareFolders(a.Folder, b.Folder)
}

// compareFolders orders folders by the names in their paths, a folder before
// those in it, and different places as they were asked about.
func compareFolders(a, b *entry.Folder) int {
	x, y := entry.Part(a, b)
	if x == y {
		return cmp.Compare(a.Depth, b.Depth)
	}
	if x.Parent == nil {
		return cmp.Or(cmp.Compare(x.Place.Index, y.Place.Index), text.CompareNatural(x.Place.Given, y.Place.Given))
	}
	return text.CompareNatural(x.Name, y.Name)
}

// rank returns a number for the entry such that one with a smaller number
// comes first. Equal numbers leave it open.
type rank func(e *entry.Entry) uint64

// absentRank is the rank of entries without a value, and of the greatest value.
const absentRank = ^uint64(0)

// told is how many keys the rank tells all about: for two entries with the same
// rank, other than absentRank, they are equal.
func (o Order) told() int {
	if len(o.Keys) > 0 {
		switch o.Keys[0].Field.Type {
		case entry.Text, entry.Flag, entry.Moment:
		default:
			return 1
		}
	}
	return 0
}

// rank makes the function from the first key.
func (o Order) rank(c *entry.Context) rank {
	if len(o.Keys) == 0 {
		return func(*entry.Entry) uint64 { return 0 }
	}
	key := o.Keys[0]
	f := key.Field
	turn := uint64(0)
	if key.descends() {
		turn = ^turn
	}
	switch f.Type {
	case entry.Moment:
		return func(e *entry.Entry) uint64 {
			t, ok := f.Moment(e)
			if !ok {
				return absentRank
			}
			return uint64(t.Sec) ^ 1<<63 ^ turn
		}
	case entry.Text, entry.Flag:
		return func(*entry.Entry) uint64 { return 0 }
	}
	return func(e *entry.Entry) uint64 {
		n, ok := f.Number(e, c)
		if !ok {
			return absentRank
		}
		return f.Rank(n) ^ turn
	}
}

// run is a row of entries that lie in one folder.
type run struct {
	folder *entry.Folder
	given  string // of a place, as lists have many: the folder need not be looked at
	number uint32
	place  uint32 // its index, and 1; 0 for a folder in a place
}

func newRun(folder *entry.Folder, number int) run {
	r := run{folder: folder, number: uint32(number)}
	if folder.Parent == nil {
		r.given, r.place = folder.Place.Given, uint32(folder.Place.Index)+1
	}
	return r
}

// compareRuns orders runs by their folders.
func compareRuns(a, b run) int {
	if a.place == 0 || b.place == 0 {
		return compareFolders(a.folder, b.folder)
	}
	return cmp.Or(cmp.Compare(a.place, b.place), text.CompareNatural(a.given, b.given))
}

// rankFolders returns the place that the folder of each run of entries has in order, by the
// number of the run. Those of one folder have the same.
func rankFolders(blocks [][]entry.Entry, cores int) []uint32 {
	var runs []run
	var last *entry.Folder
	for _, block := range blocks {
		for i := range block {
			if folder := block[i].Folder; folder != last || len(runs) == 0 {
				last = folder
				runs = append(runs, newRun(folder, len(runs)))
			}
		}
	}
	sortShared(runs, func() func(a, b run) int { return compareRuns }, cores)
	ranks := make([]uint32, len(runs))
	rank := uint32(0)
	for i, r := range runs {
		if i > 0 && r.folder != runs[i-1].folder && compareRuns(runs[i-1], r) != 0 {
			rank++
		}
		ranks[r.number] = rank
	}
	return ranks
}
