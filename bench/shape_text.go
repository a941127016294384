package main

// textShape is about text in files, none of which is there.
var textShape = &shape{
	name: "text", meaning: "text to look through", entries: 8, fixed: true, made: "text",
	cases: []benchCase{
		{name: "a piece of text", args: "search TREE --count where text has bittern-call", loop: "read", wall: 1.5, peak: 64},
		{name: "letters that are common", args: "search TREE --count where text has thenheronson", loop: "read", wall: 1.5, peak: 64},
		{name: "an expression", args: "search TREE --count where text matches bittern.*[0-9]{3}", loop: "read", wall: 1.5, peak: 64},
	},
}
