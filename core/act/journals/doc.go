// Package journals writes down what is done while it is done, and reads it back as a [Past]. Each step is noted
// before it begins and after it ends, so that one that was broken off is known. docs/acting.md has the format.
package journals
