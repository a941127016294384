// Package weigh tells which folders and files are heavy, by content, by room on disk or by number, and
// which became heavier or lighter.
//
// [Run] reads places and answers with rows as a [Plan] wants them; [Since] holds two sides against one
// another. What things come to is added up by package sums.
package weigh
