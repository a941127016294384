package place

import (
	"time"

	"frankledger/cli/suggest"
	"frankledger/core/ledger"
	"frankledger/core/ledger/replay"
	"frankledger/core/source"
)

// Opener opens what words name as places: folders and files, lists that were kept, and records in a
// ledger.
type Opener struct {
	Ledgers *Ledgers
	Args    suggest.Args // the command line, for repairs
	Ledger  string       // the ledger that an option names; "" for the usual one
	Hosts   Hosts        // whose records are meant
	Zone    *time.Location
	AsOf    time.Time
	Written func(option string) bool // whether an option was written; nil if that is no matter
	Keeping bool                     // what is found is kept as a list of paths of this machine
	Asking  Asking

	found         *Opened
	fellows       *replay.Fellows // records of several machines; nil before the first
	without       []string        // machines that have not got a path, and which that is
	lacking       string
	unrecorded    []string         // records that machines have not got
	lackingRecord []source.Problem // likewise, where all machines are asked
}

// Opened are the places that words named.
type Opened struct {
	Sources  []source.Source
	Problems []source.Problem // of places that are not there
	Notes    []string         // about what is kept of the places
	Without  []string         // machines that have not got a path
}

// asked is a place that was asked about; of a record that was found already, with that.
type asked struct {
	given  string
	record *ledger.Record
	below  string // the path in it
	among  bool   // it is one of several machines' records
}
