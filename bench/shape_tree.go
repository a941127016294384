package main

const million = 1_000_000

// treeShape is a tree as people have them: deep as well as wide.
var treeShape = &shape{
	name: "tree", meaning: "as people have them", entries: million, made: "tree",
	cases: treeCases,
}

// flatShape and chainShape are the same in one folder, and in folders in one another.
var (
	flatShape  = &shape{name: "flat", meaning: "one folder of all the entries", entries: million, made: "flat", cases: treeCases}
	chainShape = &shape{name: "chain", meaning: "3000 folders in one another", entries: 3000, fixed: true, made: "chain", cases: treeCases}
)

var treeCases = []benchCase{
	{name: "paths, as found", args: "list TREE --depth all --as paths --order none", loop: "names", wall: 1.0, peak: 40},
	{name: "a table", args: "list TREE --depth all", loop: "facts", two: 2.2, peak: 200},
	{name: "facts as CSV, as found", args: "list TREE --depth all --as csv --columns path,size,modified,mode --order none", loop: "facts", wall: 1.0, two: 1.25, peak: 40},
	{name: "facts as CSV, by size", args: "list TREE --depth all --as csv --columns path,size,modified,mode,owner --order size", loop: "facts", wall: 1.5, peak: 250},
	{name: "the 20 largest", args: "list TREE --depth all --order size --first 20", loop: "facts", wall: 0.75, peak: 40},
	{name: "search by ending", args: "search TREE --count where name ends .wav", loop: "names", wall: 0.9, two: 1.15, peak: 40},
	{name: "search by pattern", args: "search TREE --count where name matches rec0*7.*\\.csv$", loop: "names", wall: 1.1, peak: 40},
	{name: "search by size and time", args: "search TREE where size over 4kB and modified within 1 day", loop: "facts", wall: 0.65, peak: 40},
	{name: "search by kind", args: "search TREE --count where kind is folder", loop: "names", wall: 0.9, peak: 40},
	{name: "search with 2 tests", args: "search TREE --count where size over 4kB and modified within 1 day", loop: "facts", wall: 0.65, peak: 40},
	{name: "search with 10 tests", args: "search TREE --count where size over 4kB and modified within 100 days and size under 1GB and links is 1 and mode has u+r and " +
		"owner is me and mode lacks o+w and size at least 1B and not modified before 2001 and age under 90 years", loop: "facts", wall: 0.78, peak: 40},
	{name: "weigh", args: "weigh TREE", loop: "facts", wall: 0.70, two: 1.15, peak: 60},
	{name: "weigh, every folder", args: "weigh TREE --depth all --as jsonl", loop: "facts", wall: 0.80, peak: 80},
	{name: "tally by extension", args: "tally TREE --by ext", loop: "facts", wall: 0.70, two: 1.15, peak: 40},
	{name: "outline of folders", args: "outline TREE --folders-only --depth 3", loop: "facts", wall: 0.75, peak: 60},
	{name: "a report", args: "report TREE", loop: "facts", wall: 1.1, peak: 250},
}
