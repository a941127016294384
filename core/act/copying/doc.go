// Package copying copies entries, with all that a file system can keep of them, and moves them to another file
// system: the copy is made under a passing name, read back, and only then takes the name, or the place, of the
// original.
package copying
