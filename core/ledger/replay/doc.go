// Package replay reads records back: it puts together what segments say of a place, up to a record.
//
// A [State] knows which folders there were and where their deltas are. A [Source] gives the entries of a
// record as a folder gives its own, and reads only what a condition leaves open. [History] and [SizesOf]
// follow a path through all records of its place.
package replay
