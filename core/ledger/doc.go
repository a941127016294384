// Package ledger keeps what was found at places, dated.
//
// A [Ledger] is opened from a file or from a database that machines share. It has [Record]s: each is of one
// place at one moment, made on some [Terms]. A record is found by its number, or by a label and how long ago
// it was made; see [ParseReference].
//
// The packages below do the rest. recording makes records, replay reads them back as a source of entries,
// and upkeep drops, thins, checks, sends, exports and imports them. A record that comes after another one
// of its place costs what has changed: encoding says how it is packed, store where it is kept, and transfer
// how it travels. A record is one change of the store: it has all of it or nothing.
package ledger
