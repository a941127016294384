// Package suggest finds the command lines that were likely meant by one that was not understood. It works on the
// words of the command line and on errors that say which option they are about; it never reads what an error says.
package suggest
