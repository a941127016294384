// Package upkeep keeps house in a ledger: it drops and thins records, checks that they are what was written,
// sends them to another ledger, exports and imports them, and gives back room.
package upkeep
