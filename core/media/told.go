package media

import (
	"bytes"
	"encoding/binary"
	"strings"
)

// corrected is a media type told from the start of content, where the library that tells it goes by too little.
func corrected(found string, head []byte, ext string) string {
	switch found {
	case "application/x-sharedlib":
		if namesLoader(head) {
			return "application/x-executable"
		}
	case "text/csv", "text/tab-separated-values":
		if ext = strings.ToLower(ext); ext != "csv" && ext != "tsv" && isProse(head) {
			return "text/plain"
		}
	}
	return found
}

// isProse reports whether most commas are followed by a space, or end a line, as in sentences, or there are too few
// lines to tell columns.
func isProse(head []byte) bool {
	commas := bytes.Count(head, []byte(","))
	spaced := bytes.Count(head, []byte(", ")) + bytes.Count(head, []byte(",\n")) + bytes.Count(head, []byte(",\r\n"))
	return commas > 0 && 2*spaced >= commas || bytes.Count(head, []byte("\n")) < 2
}

// namesLoader reports whether a file in the Executable and Linking Format names the program that loads it, as programs
// do that can be loaded anywhere, and libraries mostly do not (System V ABI, program header PT_INTERP).
func namesLoader(head []byte) bool {
	const loader = 3
	if len(head) < 64 || !bytes.HasPrefix(head, []byte("\x7fELF")) {
		return false
	}
	var order binary.ByteOrder = binary.LittleEndian
	if head[5] == 2 {
		order = binary.BigEndian
	}
	var at uint64
	var size, count uint16
	if head[4] == 2 { // 64 bits
		at, size, count = order.Uint64(head[32:]), order.Uint16(head[54:]), order.Uint16(head[56:])
	} else {
		at, size, count = uint64(order.Uint32(head[28:])), order.Uint16(head[42:]), order.Uint16(head[44:])
	}
	for range count {
		if at > uint64(len(head)) || uint64(len(head))-at < 4 {
			return false
		}
		if order.Uint32(head[at:]) == loader {
			return true
		}
		at += uint64(size)
	}
	return false
}
