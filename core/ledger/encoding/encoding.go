// Package encoding is how a ledger packs what it records.
//
// Of each folder of a place the first record has all entries, packed into a
// [Delta], and a later one a delta with only those that are new, different or gone.
// What a folder held at a record is all its deltas up to that record, laid over one
// another ([Overlay]). Each folder also has a tree hash ([TreeHasher]), a digest over
// its entries and the tree hashes of the folders in it: where it is the same as
// before, nothing below is looked at again.
//
// The deltas of many folders make a [Segment], which is what a store keeps. Bytes are
// the same on every machine; docs/ledger-format.md says what they mean.
package encoding

import "errors"

// ErrDamaged is returned for bytes that nothing can have been packed as.
var ErrDamaged = errors.New("the ledger is damaged")
