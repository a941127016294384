package inventory

import (
	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Concern is something that may need a look, and how often it was met.
type Concern struct {
	One     string // what it is: of one, and of several
	Many    string
	Where   string // the condition that finds it
	Count   int64
	Unknown int64          // entries of which it is not known here
	Some    []*entry.Entry // the first few, in order of their paths
	Untold  bool           // it was not looked at: that takes reading content
}

// someShown is how many entries are told of each concern.
const someShown = 5

// everyoneWrites is the permission of others to write.
const everyoneWrites entry.Permissions = 0o002

// concerns are the things that may need a look. A test returns whether an entry is of concern,
// and whether that is known.
var concerns = []struct {
	one, many, where string
	needs            entry.Facts
	test             func(e *entry.Entry, c *entry.Context) (is, known bool)
}{
	{"link that leads nowhere", "links that lead nowhere", "broken", entry.FactReach, func(e *entry.Entry, _ *entry.Context) (bool, bool) {
		return e.Kind == entry.KindLink && e.Marks&entry.MarkReaches == 0, e.Kind != entry.KindLink || e.Known&entry.FactReach != 0
	}},
	{"empty file", "empty files", "kind is file and empty", entry.FactStatus, func(e *entry.Entry, _ *entry.Context) (bool, bool) {
		return e.Kind == entry.KindFile && e.HasSize() && e.Size == 0, e.Kind != entry.KindFile || e.HasSize()
	}},
	{"empty folder", "empty folders", "kind is folder and empty", entry.FactInside, func(e *entry.Entry, _ *entry.Context) (bool, bool) {
		return e.Kind == entry.KindFolder && e.Marks&entry.MarkVoid != 0, e.Kind != entry.KindFolder || e.Known&entry.FactInside != 0
	}},
	{"file whose content does not fit its extension", "files whose content does not fit their extension", "mislabelled", entry.FactContent, func(e *entry.Entry, _ *entry.Context) (bool, bool) {
		return e.Marks&entry.MarkMislabelled != 0, e.Kind != entry.KindFile || e.Known&entry.FactContent != 0
	}},
	{"file or folder that everyone may write to", "files and folders that everyone may write to", "kind is file,folder and mode has o+w and not sticky", entry.FactStatus, func(e *entry.Entry, _ *entry.Context) (bool, bool) {
		if e.Kind != entry.KindFile && e.Kind != entry.KindFolder {
			return false, true
		}
		return e.Permissions&everyoneWrites != 0 && e.Permissions&entry.Sticky == 0, e.Known&entry.FactStatus != 0
	}},
	{"entry whose owner has no name here", "entries whose owner has no name here", "owner is unknown", entry.FactStatus, noOwner},
	{"name that is hard to type", "names that are hard to type", "awkward", 0, func(e *entry.Entry, _ *entry.Context) (bool, bool) { return entry.AwkwardName(e.Name), true }},
}

// look is a sink that counts what may need a look.
type look struct {
	context *entry.Context
	facts   entry.Facts
	whole   bool // all that folders have in them is given
	found   []*arrange.Collector
	parts   source.Parts[lookPart]
}

type lookPart struct {
	counts, unknown [16]int64
	visitors        []source.Visitor
}

// newLook returns a sink, and has the request ask for what it needs. Of running systems' folders
// it need not ask which are empty, if all that is in them is given.
func newLook(request *source.Request, running bool, c *entry.Context) *look {
	l := &look{context: c, whole: running && request.Hidden == source.ShowHidden && request.Condition == nil}
	if !l.whole {
		request.Facts |= entry.FactInside
		request.Aside |= entry.FactInside
	}
	l.facts = request.Facts
	for range concerns {
		l.found = append(l.found, arrange.NewCollector(order("path"), c, someShown))
	}
	return l
}

// Visitor implements source.Sink.
func (l *look) Visitor() source.Visitor {
	p := l.parts.New(lookPart{})
	for _, c := range l.found {
		p.visitors = append(p.visitors, c.Visitor())
	}
	return func(entries []entry.Entry) error {
		for n := range concerns {
			c := &concerns[n]
			if !l.facts.Has(c.needs) { // it is not told, or the totals tell
				continue
			}
			for i := range entries {
				e := &entries[i]
				if e.Self {
					continue
				}
				switch is, known := c.test(e, l.context); {
				case !known:
					p.unknown[n]++
				case is:
					p.counts[n]++
					if err := p.visitors[n](entries[i : i+1]); err != nil {
						return err
					}
				}
			}
		}
		return nil
	}
}

// noOwner reports whether the owner of an entry has no name.
func noOwner(e *entry.Entry, c *entry.Context) (is, known bool) {
	if e.Known&entry.FactStatus == 0 {
		return false, false
	}
	_, named := c.Accounts.User(e.UID)
	return !named, named || !c.Accounts.UserDoubted(e.UID)
}

// concerns returns what was found. Where all that folders have in them was given, the totals
// tell which have nothing.
func (l *look) concerns(totals *sums.Totals) (list []Concern) {
	for n, c := range concerns {
		concern := Concern{One: c.one, Many: c.many, Where: c.where, Untold: c.needs == entry.FactContent && !l.facts.Has(c.needs)}
		if c.needs == entry.FactInside && l.whole {
			visit := l.found[n].Visitor()
			totals.EachEmpty(func(f *entry.Folder) {
				concern.Count++
				visit([]entry.Entry{{Folder: f.Parent, Name: f.Name, Kind: entry.KindFolder, Inside: f}})
			})
		}
		for _, p := range l.parts.All() {
			concern.Count += p.counts[n]
			concern.Unknown += p.unknown[n]
		}
		concern.Some = all(l.found[n])
		list = append(list, concern)
	}
	return list
}
