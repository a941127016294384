package ledger

import (
	"errors"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/ledger/store/postgres"
	"frankledger/core/ledger/transfer"
)

// What can be wrong with a ledger, or with the lines of one.
var (
	ErrNone     = store.ErrNone
	ErrNewer    = store.ErrNewer
	ErrDamaged  = encoding.ErrDamaged
	ErrLines    = transfer.ErrLines
	ErrCutShort = transfer.ErrCutShort
)

// ErrNoRecord is returned for a record that does not exist.
var ErrNoRecord = errors.New("there is no such record")

// What can be wrong with a reference, or a label.
var (
	ErrReference = errors.New("not the name of a record")
	ErrLabel     = errors.New("there is no such label")
)

// What can be wrong with a database.
var (
	ErrSettings   = postgres.ErrSettings
	ErrDoubtful   = postgres.ErrDoubtful
	ErrExposed    = postgres.ErrExposed
	ErrNoServer   = postgres.ErrNoServer
	ErrRefused    = postgres.ErrRefused
	ErrNoDatabase = postgres.ErrNoDatabase
	ErrNoRight    = postgres.ErrNoRight
	ErrNoLogin    = postgres.ErrNoLogin
	ErrOlder      = postgres.ErrOlder
)
