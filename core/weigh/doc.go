// Package weigh says how much folders and files take, by content, by space on disk or by number, and which grew or
// shrank.
//
// [Run] reads places and answers with rows as a [Plan] wants them; [Since] compares two sides. What things come to is
// added up by package sums.
package weigh
