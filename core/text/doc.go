// Package text compares text as people read it, and tells which of it can be shown.
//
// [Fold] and [Plain] bring text into the form in which equal text has equal bytes: however it was
// composed, in capitals or small letters, with accents or without. [CompareNatural] orders names, with
// numbers in them by what they amount to. [Nearest] finds the word that was likely meant.
// [IsPrintable] tells characters that are simply shown from those that act on a terminal.
package text
