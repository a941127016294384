// Package place opens what words name as places: folders and files of the running system, lists that were kept,
// and records, of this machine or of several. [Opener.Open] returns all of it in one value: the sources, what is
// not there, and what there is to note. [Ledgers] says which ledger is meant, and opens it once.
package place
