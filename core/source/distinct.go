package source

import (
	"cmp"
	"slices"
	"strings"
	"sync"

	"frankledger/core/entry"
)

// One thing is counted once, however often it was asked about: places that are the same, that
// lie in one another, or that links lead to.

// at is where a place really is, in what is there now or in a record.
type at struct {
	host   string
	record int64
	path   string // with a slash at its end
}

func atOf(place *entry.Place) at {
	full := place.Full
	if place.Real != "" {
		full = place.Real
	}
	a := at{path: strings.TrimSuffix(full, "/") + "/"}
	if r := place.Record; r != nil {
		a.host, a.record = r.Host, r.Number
	}
	return a
}

// holds reports whether a place is another one, or lies in it.
func (a at) holds(other at) bool {
	return a.host == other.host && a.record == other.record && strings.HasPrefix(other.path, a.path)
}

// nested calls a function for each source that is the same place as another one, or lies in it,
// with each of these.
func nested(sources []Source, do func(inner, outer int)) {
	places := make([]at, len(sources))
	order := make([]int, 0, len(sources))
	for i, one := range sources {
		if places[i] = atOf(one.Place()); !one.Place().List {
			order = append(order, i)
		}
	}
	slices.SortStableFunc(order, func(a, b int) int {
		x, y := &places[a], &places[b]
		return cmp.Or(strings.Compare(x.host, y.host), cmp.Compare(x.record, y.record), strings.Compare(x.path, y.path))
	})
	var above []int // each lies in the one before it
	for _, i := range order {
		for len(above) > 0 && !places[above[len(above)-1]].holds(places[i]) {
			above = above[:len(above)-1]
		}
		for _, outer := range above {
			do(i, outer)
		}
		above = append(above, i)
	}
}

// Distinct leaves out sources that add nothing: the later ones of those that are the same, and those inside one that
// is read completely. It returns how many were left out.
func Distinct(sources []Source, request *Request) (distinct []Source, left int) {
	whole := request.Depth == AllDepths && request.Skip == nil && !request.Follow && !request.SameDisk
	needless := map[int]bool{}
	nested(sources, func(inner, outer int) {
		in, out := sources[inner].Place(), sources[outer].Place()
		x, y := atOf(out), atOf(in)
		switch below := strings.TrimPrefix(y.path, x.path); {
		case needless[outer]:
		case below == "":
			needless[max(inner, outer)] = true
		case whole && !out.Leaf && (request.Hidden == ShowHidden || !hasHidden(below)):
			needless[inner] = true
		}
	})
	for i, one := range sources {
		if !needless[i] {
			distinct = append(distinct, one)
		}
	}
	return distinct, len(needless)
}

// hasHidden reports whether a name on a path is hidden.
func hasHidden(path string) bool {
	for name := range strings.SplitSeq(strings.Trim(path, "/"), "/") {
		if entry.HiddenName(name) {
			return true
		}
	}
	return false
}

// overlap returns which sources, by their index, may give what another one gives, too.
func overlap(sources []Source) map[int]bool {
	some := map[int]bool{}
	nested(sources, func(inner, outer int) { some[inner], some[outer] = true, true })
	return some
}

// once passes each entry on once.
type once struct {
	mu    sync.Mutex
	met   map[at]struct{}
	again int64
}

// of returns a sink for what one source gives.
func (o *once) of(place *entry.Place, next Sink) Sink {
	where := atOf(place)
	return SinkFunc(func() Visitor {
		visit := next.Visitor()
		var fresh []entry.Entry
		return func(entries []entry.Entry) error {
			fresh = fresh[:0]
			o.mu.Lock()
			for i := range entries {
				e := &entries[i]
				key := where
				if !e.Self {
					key.path += e.Relative() + "/"
				}
				if _, again := o.met[key]; again {
					o.again++
					continue
				}
				o.met[key] = struct{}{}
				fresh = append(fresh, *e)
			}
			o.mu.Unlock()
			if len(fresh) == 0 {
				return nil
			}
			return visit(fresh)
		}
	})
}
