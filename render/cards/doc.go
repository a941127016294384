// Package cards writes what there is to know of single entries: as a card for people, or as
// one JSON document.
package cards
