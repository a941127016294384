// Package inventorypage writes the page of a report: maps, bars, lines and lists, and beside each number the
// command line that tells it.
package inventorypage
