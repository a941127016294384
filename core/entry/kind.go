package entry

import "slices"

// Kind is what sort of thing an entry is, after the file types of POSIX. The
// numbers are kept in ledgers and never change.
type Kind uint8

const (
	KindUnknown Kind = iota
	KindFile         // regular file
	KindFolder       // directory
	KindLink         // symbolic link
	KindPipe         // FIFO
	KindSocket
	KindBlock // block device
	KindChar  // character device
)

var kindWords = [...]string{"unknown", "file", "folder", "link", "pipe", "socket", "block", "char"}

// String returns the kind's word, as `kind` holds it in every format.
func (k Kind) String() string {
	if int(k) < len(kindWords) {
		return kindWords[k]
	}
	return kindWords[KindUnknown]
}

// KindNamed returns the kind of a word.
func KindNamed(word string) (k Kind, ok bool) {
	at := slices.Index(kindWords[:], word)
	return Kind(max(at, 0)), at >= 0
}

// KindWords lists the words of all known kinds.
func KindWords() []string { return kindWords[1:] }

// The file type bits of POSIX's st_mode, the same on every Unix.
const (
	typeMask   = 0o170000
	typePipe   = 0o010000
	typeChar   = 0o020000
	typeFolder = 0o040000
	typeBlock  = 0o060000
	typeFile   = 0o100000
	typeLink   = 0o120000
	typeSocket = 0o140000
)

// KindOfMode reads the kind from the file type bits of st_mode.
func KindOfMode(mode uint32) Kind {
	switch mode & typeMask {
	case typeFile:
		return KindFile
	case typeFolder:
		return KindFolder
	case typeLink:
		return KindLink
	case typePipe:
		return KindPipe
	case typeSocket:
		return KindSocket
	case typeBlock:
		return KindBlock
	case typeChar:
		return KindChar
	}
	return KindUnknown
}

// KindOfRecord reads the kind from d_type of a directory record, whose values
// are the file type bits shifted down by 12. Some file systems do not say.
func KindOfRecord(dtype uint8) Kind { return KindOfMode(uint32(dtype) << 12) }
