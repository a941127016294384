// Package transfer is the format that ledgers are exported in and imported from.
//
// An exported ledger is JSON lines: one that says what it is, then for each record
// a line for it, for each problem, for each folder of which something was lost, and
// for each entry that is new, different or gone since the record of that place
// before; and one for the end. [Writer] writes them and [Reader] reads them.
package transfer

import "errors"

// Version is that of the lines.
const Version = 1

// What can be wrong with lines.
var (
	ErrLines    = errors.New("not an exported ledger")
	ErrCutShort = errors.New("the exported ledger ends too early")
)
