package main

// recordsShape looks things up in a record. No files are made.
var recordsShape = &shape{
	name: "records", meaning: "look-ups in a record of 10 000 000 entries, or of so many as --entries says; no files are made",
	entries: 10 * million, made: "record", at: "ledger",
	cases: []benchCase{
		{name: "a piece of a name", args: "search @t --ledger LEDGER --count where name has rec079998-8", loop: "empty", most: 80, peak: 64},
		{name: "a name", args: "search @t --ledger LEDGER --count where name is rec456789-7.wav", loop: "empty", most: 80, peak: 64},
		{name: "a pattern", args: "search @t --ledger LEDGER --count where name like *079998-8*", loop: "empty", most: 80, peak: 64},
		{name: "an extension", args: "search @t --ledger LEDGER --count where ext is zip", loop: "empty", most: 80, peak: 64},
		{name: "an owner", args: "search @t --ledger LEDGER --count where uid is 12", loop: "empty", most: 80, peak: 64},
		{name: "a size", args: "search @t --ledger LEDGER --count where size over 20kB and kind is file", loop: "empty", most: 80, peak: 64},
		{name: "a time", args: "search @t --ledger LEDGER --count where modified before 2001", loop: "empty", most: 80, peak: 64},
		{name: "much of it", args: "search @t --ledger LEDGER --count where ext is wav", loop: "empty"},
	},
}
