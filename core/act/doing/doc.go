// Package doing has what a verb is given: a [Planning] to plan a step with, a [Task] to do one, and an [Undoing] to
// undo one; and it says what a [Verb] is.
package doing
