// Package openat reaches entries by open folders, as the openat calls of POSIX do: a link that is put in the way
// after a folder was opened leads nowhere. [Folders] are folders by their full path, and [Walk] goes through all
// that is in one.
package openat
