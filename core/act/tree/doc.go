// Package tree deals with a folder and all in it as one thing: it surveys what it holds, compares two, and removes
// one without touching what has come into it since.
package tree
