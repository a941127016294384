// Package layout lines text up: rows under one another, paragraphs in a width.
package layout
