// Package tuning has the numbers that decide what is worth doing in a ledger. Tests set them
// so that it is done always; nothing else changes them.
package tuning

var (
	// WorthNarrowing is which part of all groups of entries may be read at most by a search that goes by
	// their summaries, lest reading all be faster: one in so many.
	WorthNarrowing = 3
	// DueWhenWritten and DueWhenCompacted are how much has to be recorded after a layer, in parts of what
	// is in it, before there is another: when a record is written, and for the newest record when the
	// ledger is compacted.
	DueWhenWritten   = 1.0
	DueWhenCompacted = 0.1
)

// NarrowAlways has every search that can be narrowed be so, whether it is worth it or not,
// until the function that it returns is called.
func NarrowAlways() (restore func()) {
	before := WorthNarrowing
	WorthNarrowing = 0
	return func() { WorthNarrowing = before }
}

// LayOften has layers be laid nearly always, until the function that it returns is called.
func LayOften() (restore func()) {
	written, compacted := DueWhenWritten, DueWhenCompacted
	DueWhenWritten, DueWhenCompacted = 0.01, 0.01
	return func() { DueWhenWritten, DueWhenCompacted = written, compacted }
}
