// Package sums adds up entries: the sums that all commands share, in all and folder by folder.
//
// A [Sum] is a number of entries and the bytes they hold. A [Counter] stands in front of another sink and counts what
// passes. [Totals] have the sum of every folder, at any depth, or, of totals made by [NewTotalsOf], what is in those
// that a condition chose. A [Measure] is what of a sum things are ordered and shown by.
//
// A file with several names is counted once, wherever its names lie: see [CountOnce]. Sums count what is there, not
// what is listed. What is not known is never 0: a sum knows whether it is [Sum.Whole].
package sums
