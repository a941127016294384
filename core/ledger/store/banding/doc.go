// Package banding makes the summaries of a record's segments, while these are being written. Both engines
// keep what it makes.
package banding
