// Package render writes rows: as a table for people, and in the formats that programs
// read; and it has the ways in which sizes, times, names and styles are shown.
//
// A [Format] turns rows, and the [Frame] around them, into bytes, and knows nothing of
// where these go or of the command they are of. [All] writes rows that are all there;
// a [Stream] is a sink that writes entries as they are found, each visitor formatting
// on its own core. What is said in words is in package report.
package render
