// Package digestlist reads and writes lists of digests: files that name other files, each with the digest
// that its content is to have.
//
// [Read] recognises by itself which form a list has: the payload manifest of RFC 8493, the lines in which
// publishers write digests beside what they offer, the indexes of package archives, tables and JSON. What
// cannot be read is a [Mistake] of the list, and the lines around it are read all the same. A [Digest] is
// what one line says: hexadecimal digits, and the algorithms that they may be of. [AppendLine] writes
// RFC 8493.
//
// Nothing here looks at the files that are named: package checksum does. Whether a name leads out of the
// folder that a list is about, [LeadsOut] tells.
package digestlist
