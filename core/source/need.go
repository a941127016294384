package source

import "frankledger/core/entry"

// Need is what has to be among some entries for any of them to meet a condition: a source
// that keeps what is among its entries passes over those without it. It is one of the types
// below, or nil for nothing.
type Need interface{ need() }

// AllNeeds has to have all of its parts among the entries, AnyNeed one of them.
type (
	AllNeeds []Need
	AnyNeed  []Need
)

// NeedPiece is a piece of a name, as letters.Fold and letters.Plain have it; NameEdge in it
// stands for where a name begins or ends.
type NeedPiece string

// NameEdge is no part of any name.
const NameEdge = '\x00'

// NeedExt is an extension, as letters.Fold and letters.Plain have it.
type NeedExt string

// NeedKind is a kind of entries; NeedUID and NeedGID are who owns one.
type (
	NeedKind entry.Kind
	NeedUID  uint32
	NeedGID  uint32
)

// NeedNumber is a number between two, both included, by which of them it is.
type NeedNumber struct {
	Of              Measured
	Least, Greatest int64
}

// Measured is something that entries have a number of: bytes, or seconds since 1970.
type Measured uint8

// What there are bounds of.
const (
	Size Measured = iota
	Disk
	Modified
	Changed
	Accessed
	Created
	Measures = iota // how many there are
)

func (AllNeeds) need()   {}
func (AnyNeed) need()    {}
func (NeedPiece) need()  {}
func (NeedExt) need()    {}
func (NeedKind) need()   {}
func (NeedUID) need()    {}
func (NeedGID) need()    {}
func (NeedNumber) need() {}

// Needing is a condition that tells what it needs.
type Needing interface {
	Condition
	// Need returns what has to be among entries for any of them to meet it; nil if that
	// is nothing in particular, or if all have to be asked about.
	Need() Need
}
