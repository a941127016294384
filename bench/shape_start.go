package main

// startShape is how long it takes until something is done, against an empty program. The folder has
// 20 entries.
var startShape = &shape{
	name: "start", meaning: "starting, against an empty program",
	entries: 20, fixed: true, made: "flat",
	cases: []benchCase{
		{name: "start", args: "version", loop: "empty", cpu: 3},
		{name: "help", args: "help", loop: "empty", cpu: 3},
		{name: "Tab key", args: "__complete list --o", loop: "empty", cpu: 3},
		{name: "20 entries", args: "list TREE", loop: "empty", cpu: 3},
	},
}
