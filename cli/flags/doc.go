// Package flags has the values of options, each of which says itself what it can be, and one table of the options
// that cannot stand together.
package flags
