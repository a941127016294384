// Package textfile reads files of text: it recognises them and their encoding, reads them line by line, and searches
// them.
//
// A file is text if it has no NUL and no control character but those that stand in texts, as far as its first 8
// KiB go. Its encoding is UTF-16 if it begins with the mark of that, UTF-8 if it is valid UTF-8, and otherwise taken
// for Latin-1 (ISO/IEC 8859-1), which is a guess.
package textfile
