// Package session is one run of the program as its surroundings see it: the streams, the terminal, the signals that
// stop it, how far something has come, and what developers ask to be told.
package session
