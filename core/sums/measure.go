package sums

// Measure is what folders are weighed by.
type Measure uint8

const (
	BySize  Measure = iota // bytes of content
	ByDisk                 // bytes on disk
	ByFiles                // names of files
)

// MeasureWords are the words for these, in their order.
var MeasureWords = []string{"size", "disk", "files"}

// Of returns what a sum weighs.
func (m Measure) Of(s *Sum) int64 {
	switch m {
	case ByDisk:
		return s.Disk
	case ByFiles:
		return s.Files
	}
	return s.Size
}

// Known reports whether anything is known of what a sum weighs.
func (m Measure) Known(s *Sum) bool {
	switch m {
	case ByDisk:
		return s.HasDisk()
	case ByFiles:
		return s.HasEntries()
	}
	return s.HasSize()
}
