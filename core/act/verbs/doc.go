// Package verbs has the verbs, one a file. What a verb does besides planning, doing and undoing a step is in its
// traits and in the faces of package doing.
package verbs
