// Package loop has the least that has to be done to see, or to read, what is in a tree. The bench
// measures the program against it.
package loop

import (
	"strconv"
	"strings"
)

// Run runs a loop over a tree: names or facts of its entries (with a number, by that many
// threads), hash for its content, read to read that alone, copies for the content that has copies, rename and reveal to
// hide files and to show them again.
func Run(name, tree string) error {
	switch name {
	case "hash":
		return hashAll(tree)
	case "read":
		return readAll(tree)
	case "copies":
		return hashCopies(tree)
	case "rename", "reveal":
		return renameAll(tree, name == "rename")
	}
	what := strings.TrimRight(name, "0123456789")
	if threads, err := strconv.Atoi(name[len(what):]); err == nil {
		_, err := entriesBy(threads, tree, what == "facts")
		return err
	}
	_, err := entries(tree, what == "facts")
	return err
}
