// Package compile makes a condition ready to decide on entries: it resolves moments and accounts, as of a
// moment and for a person, and makes a [Program].
//
// A program decides on an entry of which little is known yet, as far as it can: the reader asks it first with
// the name alone, and gets further facts only while the answer is open. Tests that need less come first,
// whatever the order they were written in; the meaning is the same. [Program.Need] tells what entries that meet
// it have among them, so that a source need not look at others.
package compile
