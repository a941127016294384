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
// have been right. Package compile then settles what depends on the moment and the
// person (yesterday, me), and makes a program that decides on entries.
package condition
