// Package recording makes records.
//
// [Take] reads a place into a [Snapshot], or takes folders over from the record before, where their times
// say that nothing has changed. [Write] takes digests, finds what differs from the record before, and writes
// that in one transaction. If another program has recorded the place in the meantime, it compares again.
// [Elsewhere] writes down a record that another ledger has, or an export.
package recording
