// Package units shows numbers of bytes and moments to people, and reads the words for how.
package units
