// Package condition is the language in which a person says what they look for:
//
//	ext is wav and size over 10MB and (modified within 7 days or not owner is me)
//
// It is made to pass through any shell unharmed: each shell word is one token,
// and nothing needs quoting but a value with spaces. A condition that comes in
// one piece is parted at white space, with quotes and parentheses of its own.
//
// [Parse] reads a condition into nodes that print themselves back in one normal
// form. Mistakes are an [Error], which knows where it stands and what would
// have been right. Then [Condition.Compile] settles what depends on the moment
// and the person (yesterday, me) and makes a [Program].
//
// A program decides on an entry of which little is known yet, as far as it can:
// the reader asks it first with the name alone, and gets further facts only
// while the answer is open. Tests that need less come first, whatever the order
// they were written in; the meaning is the same.
package condition
