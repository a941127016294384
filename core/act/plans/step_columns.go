package plans

import (
	"frankledger/core/entry"
	"frankledger/core/row"
)

func (s *Step) Bytes() (bytes int64, known bool) {
	switch {
	case s.Holds != nil:
		return s.Holds.Size, true
	case s.Entry != nil:
		return s.Entry.Size, s.Entry.HasSize()
	}
	return s.Size, s.Kind == entry.KindFile.String()
}

func (s *Step) Look() row.Look {
	if s.Entry != nil {
		return s.Entry.Look()
	}
	kind, _ := entry.KindNamed(s.Kind)
	return (&entry.Entry{Kind: kind}).Look()
}
