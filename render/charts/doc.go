// Package charts draws what was weighed, tallied or recorded: a treemap, bars, a heat map,
// lines over time. It chooses what a picture shows; package picture draws it.
package charts
