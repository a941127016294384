package main

import "fmt"

// coldShape has nothing in memory before each run. It is held against the best of loops with several threads.
var coldShape = &shape{
	name: "cold", meaning: "with nothing in memory, against loops of 1 to 64 threads (root)",
	entries: million, made: "tree",
	ready: func() error {
		if err := dropCaches(); err != nil {
			return fmt.Errorf("the shape cold needs root on Linux: %w", err)
		}
		return nil
	},
	cases: []benchCase{
		{name: "weigh", args: "weigh TREE", loop: "facts", wall: 1.1, peak: 60, cold: true},
		{name: "search by ending", args: "search TREE --count where name ends .wav", loop: "names", wall: 1.1, peak: 40, cold: true},
	},
}

// coldThreads are how many the loops have.
var coldThreads = []int{1, 2, 4, 8, 16, 32, 64}
