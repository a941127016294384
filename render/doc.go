// Package render writes entries: as a table for people, and in the formats
// that programs read.
//
// A [Format] turns a heading, single entries and a summary into bytes and
// knows nothing of where these go. [All] writes entries that are in order
// already; a [Stream] is a sink that writes them as they are found, each
// visitor formatting on its own core.
package render
