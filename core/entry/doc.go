// Package entry holds what is known about one thing on disk.
//
// An [Entry] is one name in a folder: always its name and kind, and beyond
// these whatever [Facts] a question asked for. Facts differ widely in price.
// The kernel hands out name and kind with the folder itself; size, times and
// permissions cost a call for each entry; a media type costs opening the file.
// So nothing is collected before somebody asks: each [Field] says what it
// needs, the needs of columns, conditions and order are joined, and the reader
// is told the union.
//
// The registry, [Fields], describes every field once: its name, what it means,
// the type of its values, what it needs, and how to get it from an entry.
// Columns, order keys, CSV headers, JSON keys, the printed reference and shell
// completion are all read off it. To add a field, add one line there.
//
// A [Folder] is a folder being read. Entries point to the folder they lie in
// and paths are put together only when somebody looks, so a million entries
// cost no million paths.
package entry
