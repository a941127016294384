package checksum

import (
	"bufio"
	"bytes"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"golang.org/x/text/encoding/unicode"

	"frankledger/core/entry"
)

// inUTF8 returns text that is marked as UTF-16 (RFC 2781) in UTF-8, and other text as it
// is.
func inUTF8(content io.Reader) io.Reader {
	r := bufio.NewReader(content)
	if mark, _ := r.Peek(2); string(mark) == "\xff\xfe" || string(mark) == "\xfe\xff" {
		return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Reader(r)
	}
	return r
}

const (
	signedBegin    = "-----BEGIN PGP SIGNED MESSAGE-----"
	signatureBegin = "-----BEGIN PGP SIGNATURE-----"
)

// unsigned takes out of a text that is signed in the clear (RFC 9580, section 7) what
// belongs to the signature. Lines keep their numbers. It returns whether there was one.
func unsigned(text []byte) (content []byte, signed bool) {
	if !bytes.Contains(text, []byte(signedBegin)) {
		return text, false
	}
	const (
		outside = iota
		headers
		message
	)
	var b bytes.Buffer
	state := outside
	for line := range bytes.Lines(text) {
		plain := strings.TrimRight(string(line), "\r\n")
		switch {
		case plain == signedBegin:
			state = headers
		case plain == signatureBegin:
			state = outside
		case state == headers && plain == "":
			state = message
		case state == message:
			b.Write(bytes.TrimPrefix(line, []byte("- ")))
			continue
		}
		b.WriteByte('\n')
	}
	return b.Bytes(), true
}

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

// Columns of tables by other programs, by what they are here; the names of algorithms are
// digests by these.
var columnNames = map[string]string{
	"path": "path", "filepath": "path", "fullpath": "path", "file": "name", "filename": "name", "name": "name",
	"digest": "digest", "hash": "digest", "checksum": "digest", "hashvalue": "digest",
	"algorithm": "algorithm", "hashtype": "algorithm", "method": "algorithm",
	"size": "size", "bytes": "size", "length": "size", "filesize": "size",
	"pathbase64": "path_base64",
}

// column is what a column of a table is.
type column struct {
	what string // a word of columnNames, or nothing that matters here
	by   string // of digests, if the heading names their algorithm
}

// columnsMeant returns what the columns of a table are. Where there are paths, a name is
// only the end of one.
func columnsMeant(headings []string) []column {
	columns, paths, name := make([]column, len(headings)), false, -1
	for i, heading := range headings {
		plain := strings.NewReplacer(" ", "", "_", "", "-", "", `"`, "").Replace(strings.ToLower(strings.TrimSpace(heading)))
		switch what := columnNames[plain]; what {
		case "":
			if a, err := entry.LookupAlgorithm(plain); err == nil {
				columns[i] = column{what: "digest", by: a.Name}
			}
		case "name":
			name = i
		default:
			columns[i].what = what
			paths = paths || what == "path"
		}
	}
	if !paths && name >= 0 {
		columns[name].what = "path"
	}
	return columns
}

// tableComma returns what parts the columns of a table that has a heading with a path and
// a digest; 0 if a list is none.
func tableComma(start []byte) rune {
	line, _, _ := bytes.Cut(start, []byte("\n"))
	if first, _, _ := bytes.Cut(line, []byte(" ")); isHex(first) && len(ofLength(len(first))) > 0 {
		return 0 // whatever the name beside it is
	}
	for _, comma := range ",\t;" {
		columns := columnsMeant(strings.Split(strings.TrimSpace(string(line)), string(comma)))
		has := func(what string) bool {
			return slices.ContainsFunc(columns, func(c column) bool { return c.what == what })
		}
		if has("path") && has("digest") {
			return comma
		}
	}
	return 0
}

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
	if _, err := ParseValue(digits); err != nil {
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
