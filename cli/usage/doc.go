// Package usage has what is wrong with a command line, the statuses that the program exits with, and the words
// that part one: where, and the marks of records and lists.
package usage
