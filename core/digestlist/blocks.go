package digestlist

import (
	"regexp"
	"strconv"
	"strings"
	"sync"

	"frankledger/core/entry"
)

// heads begin the blocks of lists as archives of packages have them: a line that names an
// algorithm, and below it, standing in, lines of digest, size and name.
var heads = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?mi)^(MD5Sum|Files|SHA[0-9-]+|Checksums-[A-Za-z0-9-]+):[ \t]*\r?\n[ \t]+[0-9a-f]{32,128}[ \t]+\d+[ \t]+\S`)
})

// inBlocks reports whether a list is in blocks.
func inBlocks(content []byte) bool { return heads().Match(content) }

// readBlocks reads a list in blocks. What else such files tell is passed over.
func (l *reader) readBlocks(content string) {
	var of []entry.Algorithm
	unknown := ""
	for number := l.before + 1; len(content) > 0; number++ {
		var line string
		line, content, _ = strings.Cut(content, "\n")
		line = strings.TrimRight(line, "\r")
		if line == "" || line[0] != ' ' && line[0] != '\t' {
			of, unknown = nil, ""
			name, rest, head := strings.Cut(line, ":")
			if !head || strings.TrimSpace(rest) != "" {
				continue
			}
			name = strings.TrimPrefix(strings.ToLower(name), "checksums-")
			if name == "files" || name == "md5sum" {
				name = "md5"
			}
			if a, err := entry.LookupAlgorithm(name); err == nil {
				of = []entry.Algorithm{a}
			} else {
				unknown = err.Error()
			}
			continue
		}
		fields := strings.Fields(line)
		if len(fields) < 3 || !isHex(fields[0]) {
			continue
		}
		size, err := strconv.ParseInt(fields[1], 10, 64)
		if err != nil || size < 0 {
			continue
		}
		if unknown != "" {
			l.mistake(number, "%s", unknown)
			unknown = ""
		}
		if of == nil {
			continue
		}
		value, err := parseHex(fields[0], of)
		if err != nil {
			l.mistake(number, "%v", err)
			continue
		}
		if l.add(number, fields[len(fields)-1], value) {
			l.sized(size)
		}
	}
}

// sized notes the size of the file that was added last.
func (l *reader) sized(size int64) {
	last := &l.list.Lines[len(l.list.Lines)-1]
	last.Size, last.Sized = size, true
}
