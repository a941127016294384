// Package typeset sets text on a terminal: what of a name may be shown as it is and what is escaped, how
// wide text is, where it is shortened and where it breaks, and how a name is quoted for a shell.
package typeset
