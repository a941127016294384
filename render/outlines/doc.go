// Package outlines writes outlines: for people, as nested lists in Markdown, as a page in
// which folders can be folded, and as one JSON document.
package outlines
