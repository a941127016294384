package report

import (
	"strings"

	"frankledger/core/checksum"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// ChecksumSummary says which files have the same content.
func (v *View) ChecksumSummary(s *Summary, a *checksum.Answer, read int64) {
	s.Lead = units.Count(int64(a.Files), "file", "files") + ", " + v.Units.SizeText(read) + " read"
	for _, place := range v.Places {
		if place.Kept {
			s.Notes = append(s.Notes, "the digests of "+typeset.Escaped(place.Given)+" come from the record")
		}
	}
	alike := 0
	for _, count := range a.Groups {
		alike += count
	}
	s.Numbers = append(s.Numbers, Number{"groups", int64(len(a.Groups))}, Number{"alone", int64(a.Alone)}, Number{"bytes_read", read})
	switch {
	case a.Files < 2:
	case len(a.Groups) == 0:
		s.Notes = append(s.Notes, "all contents differ")
	case a.Alone == 0 && len(a.Groups) == 1:
		s.Notes = append(s.Notes, "all have the same content")
	default:
		var parts []string
		for i, count := range a.Groups[:min(len(a.Groups), mostMarks)] {
			parts = append(parts, units.Grouped(int64(count))+" marked "+checksum.Mark(i+1))
		}
		if len(a.Groups) > mostMarks {
			parts = append(parts, units.Grouped(int64(len(a.Groups)-mostMarks))+" groups more")
		}
		stand := units.Count(int64(a.Alone), "stands", "stand") + " alone"
		s.Notes = append(s.Notes, units.Grouped(int64(alike))+" have the same content as another: "+strings.Join(parts, ", ")+"; "+stand)
	}
}

// mostMarks is how many groups a line names.
const mostMarks = 6
