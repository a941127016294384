package arrange

import (
	"cmp"
	"sync"

	"frankledger/core/text"
)

// byNames puts entries in order of their names within folders. It compares keys of how names go on
// after what they have in common, and makes new keys for those whose keys are the same.
type byNames struct {
	*Arranged
	order Order
}

func (b byNames) name(r ranked) string { return b.at(r.index).Name }

// rank ranks entries by how their names go on after what all names in their folder begin with, and
// returns the length of that by folder.
func (b byNames) rank() (common []int) {
	var first []string // name in each folder
	for _, r := range b.Arranged.order {
		name := b.name(r)
		for int(r.folder) >= len(common) {
			common, first = append(common, -1), append(first, "")
		}
		switch at := &common[r.folder]; {
		case *at < 0:
			*at, first[r.folder] = len(name), name
		case *at > 0:
			*at = min(*at, text.Common(first[r.folder], name))
		}
	}
	for i := range b.Arranged.order {
		r := &b.Arranged.order[i]
		r.rank = text.NaturalKey(b.name(*r)[common[r.folder]:])
	}
	return common
}

// byRank returns how two entries are compared as far as their ranks tell.
func (b byNames) byRank() func(x, y ranked) int {
	return func(x, y ranked) int {
		if x.folder != y.folder {
			return b.order.turned(cmp.Compare(x.folder, y.folder))
		}
		return b.order.turned(cmp.Compare(x.rank, y.rank))
	}
}

func tied(x, y ranked) bool { return x.rank == y.rank && x.folder == y.folder }

// untie puts entries with the same rank in order, in a list that is in order of ranks.
func (b byNames) untie(list []ranked, common func(ranked) int, cores int) {
	if cores > 1 && len(list) >= worthSharing {
		middle := len(list) / 2
		for middle < len(list) && tied(list[middle-1], list[middle]) {
			middle++
		}
		if middle < len(list) {
			var group sync.WaitGroup
			group.Go(func() { b.untie(list[:middle], common, cores/2) })
			b.untie(list[middle:], common, cores-cores/2)
			group.Wait()
			return
		}
	}
	for from, to := 0, 0; from < len(list); from = to {
		for to = from + 1; to < len(list) && tied(list[from], list[to]); to++ {
		}
		if to > from+1 {
			b.rankOn(list[from:to], common(list[from]), cores)
		}
	}
}

// fewTied is how few names are compared in full at once.
const fewTied = 8

// rankOn puts entries in order whose ranks are the same.
func (b byNames) rankOn(list []ranked, common int, cores int) {
	first := b.name(list[0])
	longer := common
	if len(list) > fewTied {
		longer = len(first)
		for _, r := range list[1:] {
			longer = min(longer, text.Common(first, b.name(r)))
		}
	}
	if longer <= common {
		sortShared(list, func() func(x, y ranked) int {
			return func(x, y ranked) int { return b.order.turned(text.CompareNatural(b.name(x), b.name(y))) }
		}, cores)
		return
	}
	for i := range list {
		list[i].rank = text.NaturalKey(b.name(list[i])[longer:])
	}
	sortShared(list, b.byRank, cores)
	b.untie(list, func(ranked) int { return longer }, cores)
}
