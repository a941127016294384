package digestlist

import (
	"bufio"
	"bytes"
	"io"
	"regexp"
	"strings"
	"sync"
	"unsafe"

	"frankledger/core/entry"
)

// tagged is the form ALGORITHM (name) = digest.
var tagged = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?s)^([A-Za-z][A-Za-z0-9/_-]*) ?\((.*)\) ?= ?([^() ]*)$`)
})

func (l *reader) readLines(r *bufio.Reader) error {
	all, err := l.readAll(r)
	if err != nil {
		return err
	}
	all, l.list.Signed = unsigned(all)
	if inBlocks(all) {
		l.readBlocks(string(all))
		return nil
	}
	form := guess(all, l.fileName)
	l.list.Lines = make([]Line, 0, bytes.Count(all, []byte("\n"))+1)
	content := unsafe.String(unsafe.SliceData(all), len(all)) // names and digests are parts of it, and nobody else has it
	for number := l.before + 1; len(content) > 0; number++ {
		var line string
		line, content, _ = strings.Cut(content, "\n")
		line = strings.TrimSuffix(line, "\r")
		if blank := strings.TrimSpace(line); blank == "" || blank[0] == '#' || blank[0] == ';' {
			continue
		}
		l.line(number, line, form)
	}
	return nil
}

// readAll reads the rest of a list, in room for all of it if that is known.
func (l *reader) readAll(r io.Reader) ([]byte, error) {
	var all bytes.Buffer
	all.Grow(int(min(l.size, longestList)) + bytes.MinRead)
	_, err := all.ReadFrom(r)
	return all.Bytes(), err
}

// form is how the lines of a list part digests and names.
type form struct {
	oneSpace bool // an asterisk after it belongs to the name
	encoded  bool // with %0A, %0D and %25 in names
	exact    bool // names begin after two characters, and may begin with a space
}

// guess finds out from all lines how digests and names are parted: by one blank
// if in some line nothing else can be meant.
func guess(content []byte, fileName string) form {
	f := form{encoded: strings.Contains(fileName, "manifest-")}
	two, more, blanks := 0, 0, 0 // lines with so many blanks
	for len(content) > 0 {
		var line []byte
		line, content, _ = bytes.Cut(content, []byte("\n"))
		at := bytes.IndexAny(line, " \t")
		if at < 0 || len(ofLength(at)) == 0 || at+1 == len(line) || !isHex(line[:at]) {
			continue
		}
		if next := line[at+1]; next != ' ' && next != '\t' && next != '*' {
			return form{oneSpace: true, encoded: true}
		}
		if line[at] == '\t' || line[at+1] == '\t' {
			continue
		}
		name := bytes.TrimLeft(line[at:], " ")
		if blanks = len(line) - at - len(name); blanks <= 2 {
			two++
		} else {
			more++
		}
	}
	f.exact = two > 0 || more == 1 && blanks == 3 // else they stand in a column
	return f
}

func isHex[T string | []byte](text T) bool {
	for i := range len(text) {
		c := text[i]
		if !(c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'f') {
			return false
		}
	}
	return true
}

// unescaped is a name in a line that begins with a backslash.
var unescaped = strings.NewReplacer(`\\`, `\`, `\n`, "\n", `\r`, "\r")

// line reads one line of text.
func (l *reader) line(number int, line string, f form) {
	line = strings.TrimLeft(line, " \t")
	var m []string
	escaped := strings.HasPrefix(line, `\`)
	if strings.Contains(line, "(") {
		m = tagged().FindStringSubmatch(strings.TrimPrefix(line, `\`))
	}
	if m != nil {
		if escaped {
			m[2] = unescaped.Replace(m[2])
		}
		a, err := entry.LookupAlgorithm(m[1])
		if err != nil {
			l.mistake(number, "%v", err)
			return
		}
		value, err := parseHex(m[3], []entry.Algorithm{a})
		if err != nil {
			l.mistake(number, "%v", err)
			return
		}
		l.add(number, m[2], value)
		return
	}
	digits, name, named := strings.TrimPrefix(line, `\`), "", false
	if at := strings.IndexAny(digits, " \t"); at >= 0 {
		digits, name, named = digits[:at], digits[at+1:], true
	}
	value, err := ParseDigest(digits)
	if err != nil {
		last, before, is := nameFirst(line)
		if !is {
			l.mistake(number, "%v", err)
			return
		}
		value, _ = ParseDigest(last)
		l.add(number, before, value)
		return
	}
	if !named {
		if name = l.namedAfter(); name == "" {
			l.mistake(number, "there is no file name beside the digest, and the list is not named after a file; to check one file, use frank checksum FILE --expect DIGEST")
			return
		}
	} else if rest, starred := strings.CutPrefix(name, "*"); starred && !f.oneSpace {
		name = rest
	} else if rest, spaced := strings.CutPrefix(name, " "); spaced && f.exact {
		name = rest
	} else {
		name = strings.TrimLeft(name, " \t")
	}
	switch {
	case escaped:
		name = unescaped.Replace(name)
	case f.encoded:
		name = decoded.Replace(name)
	}
	l.add(number, name, value)
}

// namedAfter is the file that a list of one digest is named after: picture.iso
// for picture.iso.sha256.
func (l *reader) namedAfter() string {
	stem, ext := entry.SplitName(l.fileName)
	ext = strings.TrimSuffix(strings.ToLower(ext), "sum")
	if _, err := entry.LookupAlgorithm(ext); err != nil && ext != "" && ext != "digest" && ext != "check" {
		return ""
	}
	if stem == l.fileName {
		return ""
	}
	return stem
}

// In lines of RFC 8493 these, and only these, are encoded in names, after
// RFC 3986.
var (
	encoded = strings.NewReplacer("\n", "%0A", "\r", "%0D", "%", "%25")
	decoded = strings.NewReplacer("%0A", "\n", "%0a", "\n", "%0D", "\r", "%0d", "\r", "%25", "%")
)

// nameFirst parts a line that has the name before the digest.
func nameFirst(line string) (digits, name string, is bool) {
	line = strings.TrimRight(line, " \t")
	at := strings.LastIndexAny(line, " \t")
	if at < 0 {
		return "", "", false
	}
	digits = line[at+1:]
	if isHex(digits) && len(ofLength(len(digits))) == 0 {
		return "", "", false
	}
	if _, err := ParseDigest(digits); err != nil {
		return "", "", false
	}
	name = strings.TrimRight(line[:at], " \t")
	for _, sign := range []string{":", "="} {
		if rest, found := strings.CutSuffix(name, sign); found {
			name = strings.TrimRight(rest, " \t")
		}
	}
	return digits, name, name != ""
}
