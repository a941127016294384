package main

// slowShape is a file system that takes its time to answer. It is held against one reader: a twentieth of the time is wanted.
var slowShape = &shape{
	name: "slow", meaning: "a file system that takes 5 ms to answer, against one reader (root)",
	entries: slowFolders * slowFiles, mount: mountSlow,
	cases: []benchCase{
		{name: "weigh", args: "weigh TREE", loop: "facts1", wall: 0.05, peak: 60},
		{name: "checksum", args: "checksum TREE --as csv", loop: "hash", wall: 0.05, peak: 64},
	},
}
