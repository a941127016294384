package checksum

import (
	"bufio"
	"bytes"
	"cmp"
	"encoding/base64"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unsafe"

	"frankledger/core/entry"
)

// List is a list of digests and the names they belong to.
type List struct {
	Lines    []Line    // in order of names; the same is not said twice
	Mistakes []Mistake // lines that say nothing that can be checked, or contradict another
	Signed   bool      // there is a signature in it, which was not checked
}

// Line is one file of a list.
type Line struct {
	Number int    // of the line in the file, from 1; in JSON of the entry
	Name   string // exact bytes, a path as the list has it, cleaned
	Value  Value
	Size   int64 // of the file in bytes, if the list says that: if it is Sized; of a record, when that was made
	Sized  bool
}

// Mistake is a line that could not be read, or contradicts another.
type Mistake struct {
	Number int
	Reason string
}

// ReadList reads a list of digests, in any of these forms, which it recognises
// by themselves:
//
//   - lines of digest, white space, path, as payload manifests of RFC 8493 have
//     them, with %0A, %0D and %25 for line feed, carriage return and per cent;
//   - the same with two spaces, or a space and an asterisk, before the name, as
//     publishers write them, where names are not encoded, or with a backslash
//     before the line and \n, \r and \\ in the name;
//   - ALGORITHM (name) = digest;
//   - the name before the digest;
//   - a digest alone, which is of the file that the list is named after;
//   - blocks of digest, size and name below the name of an algorithm, as archives of
//     packages have them;
//   - a table parted by commas, semicolons or tabs, with a heading that names a column of
//     paths and one of digests, in any order;
//   - JSON as this program writes it, or an object of names and digests.
//
// A signature around it (RFC 9580) is not checked. Text marked as UTF-16 is read so.
// Empty lines, comments after #, CR LF and a byte-order mark are passed over.
// The name of the file tells the algorithm where neither line nor length does,
// and may be empty. The error is one of reading; what is wrong in a line is a
// Mistake of the list.
func ReadList(content io.Reader, fileName string) (*List, error) {
	limited := &io.LimitedReader{R: content, N: longestList + 1}
	r := bufio.NewReaderSize(inUTF8(limited), 64<<10)
	if mark, _ := r.Peek(3); string(mark) == "\ufeff" {
		r.Discard(3)
	}
	l := &reader{fileName: path.Base(fileName)}
	if file, is := content.(*os.File); is {
		if info, err := file.Stat(); err == nil && info.Mode().IsRegular() {
			l.size = info.Size()
		}
	}
	for {
		start, err := r.Peek(1)
		if err != nil || start[0] > ' ' || start[0] == 0 {
			break
		}
		if start[0] == '\n' {
			l.before++
		}
		r.Discard(1)
	}
	start, _ := r.Peek(4096)
	if bytes.IndexByte(start, 0) >= 0 {
		return nil, ErrNoList
	}
	var err error
	switch {
	case len(start) > 0 && (start[0] == '{' || start[0] == '['):
		err = l.readJSON(r)
	case tableComma(start) != 0:
		err = l.readCSV(r, tableComma(start))
	default:
		err = l.readLines(r)
	}
	if err == nil && limited.N <= 0 {
		err = ErrLongList
	}
	l.sort()
	return &l.list, err
}

// longestList is how long a list of digests can be, in bytes.
const longestList = 512 << 20

// Errors of what is read as a list.
var (
	ErrNoList   = errors.New("this is no list of digests, but binary data")
	ErrLongList = errors.New("the list is longer than 512 MiB, the most that is read")
)

// reader is a list being read.
type reader struct {
	fileName string
	size     int64 // in bytes, if that is known
	list     List
	before   int // lines before the first with anything in it
}

func (l *reader) mistake(number int, format string, args ...any) {
	l.list.Mistakes = append(l.list.Mistakes, Mistake{number, fmt.Sprintf(format, args...)})
}

// add notes a line, if there is a name that can be. It returns whether it did.
func (l *reader) add(number int, name string, value Value) (added bool) {
	if name == "" {
		l.mistake(number, "there is no name next to the digest")
		return false
	}
	if strings.IndexByte(name, 0) >= 0 {
		l.mistake(number, "there is a NUL in the name, which no file has")
		return false
	}
	if len(value.Algorithms) > 1 { // the name of the list may tell
		for _, a := range value.Algorithms {
			if strings.Contains(strings.ReplaceAll(strings.ToLower(l.fileName), "-", ""), strings.ReplaceAll(a.Name, "-", "")) {
				value.Algorithms = []entry.Algorithm{a}
			}
		}
	}
	l.list.Lines = append(l.list.Lines, Line{Number: number, Name: path.Clean(name), Value: value})
	return true
}

// sort puts the lines in order, drops what was said before, and finds what
// contradicts.
func (l *reader) sort() {
	compare := func(a, b Line) int {
		return cmp.Or(strings.Compare(a.Name, b.Name), cmp.Compare(a.Value.Algorithms[0].Fact, b.Value.Algorithms[0].Fact))
	}
	slices.SortStableFunc(l.list.Lines, compare)
	first := 0
	kept := l.list.Lines[:0]
	for _, line := range l.list.Lines {
		if len(kept) > 0 && compare(kept[first], line) == 0 {
			if slices.ContainsFunc(kept[first:], func(before Line) bool { return before.Value.Hex == line.Value.Hex }) {
				continue
			}
			l.mistake(line.Number, "it gives %q another digest than line %d does", line.Name, kept[first].Number)
		} else {
			first = len(kept)
		}
		kept = append(kept, line)
	}
	l.list.Lines = kept
	slices.SortStableFunc(l.list.Mistakes, func(a, b Mistake) int { return cmp.Compare(a.Number, b.Number) })
}

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
	value, err := ParseValue(digits)
	if err != nil {
		last, before, is := nameFirst(line)
		if !is {
			l.mistake(number, "%v", err)
			return
		}
		value, _ = ParseValue(last)
		l.add(number, before, value)
		return
	}
	if !named {
		if name = l.namedAfter(); name == "" {
			l.mistake(number, "there is no name next to the digest, and the list is not named after a file; frank checksum FILE --expect takes a digest alone")
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

// AppendManifestLine appends a line of a payload manifest (RFC 8493): digest,
// space, path. A path that would not stand out from the space begins with ./
func AppendManifestLine(dst []byte, digest, path string) []byte {
	dst = append(append(dst, digest...), ' ')
	if path != "" && strings.IndexByte(" \t*", path[0]) >= 0 {
		dst = append(dst, "./"...)
	}
	return append(append(dst, encoded.Replace(path)...), '\n')
}

// record is a line of our own CSV or JSON.
type record struct {
	Path       *string `json:"path"`
	PathBase64 string  `json:"path_base64"`
	Algorithm  string  `json:"algorithm"`
	Digest     *string `json:"digest"`
	Size       *int64  `json:"size"`
}

func (l *reader) record(number int, r record) {
	if r.Path == nil || r.Digest == nil || *r.Digest == "" {
		l.mistake(number, "there is no path, or no digest")
		return
	}
	name := *r.Path
	if r.PathBase64 != "" {
		exact, err := base64.StdEncoding.DecodeString(r.PathBase64)
		if err != nil {
			l.mistake(number, "path_base64 is not base64")
			return
		}
		name = string(exact)
	}
	var of []entry.Algorithm
	if r.Algorithm != "" {
		a, err := entry.LookupAlgorithm(r.Algorithm)
		if err != nil {
			l.mistake(number, "%v", err)
			return
		}
		of = append(of, a)
	}
	value, err := parseHex(*r.Digest, of)
	if err != nil {
		l.mistake(number, "%v", err)
		return
	}
	if l.add(number, name, value) && r.Size != nil && *r.Size >= 0 {
		l.sized(*r.Size)
	}
}

// readJSON reads a document with entries, a list of them, or one after another.
func (l *reader) readJSON(r io.Reader) error {
	d := json.NewDecoder(r)
	number := 0
	for {
		var raw json.RawMessage
		if err := d.Decode(&raw); errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			var syntax *json.SyntaxError
			if !errors.As(err, &syntax) && !errors.Is(err, io.ErrUnexpectedEOF) {
				return err
			}
			l.mistake(number+1, "not JSON: %v", err)
			return nil
		}
		var document struct{ Entries []record }
		records := []record{}
		if raw[0] == '[' {
			if err := json.Unmarshal(raw, &records); err != nil {
				l.mistake(number+1, "not entries: %v", err)
			}
		} else if err := json.Unmarshal(raw, &document); err == nil && document.Entries != nil {
			records = document.Entries
		} else if number == 0 && l.namesJSON(raw) {
			continue
		} else {
			var one record
			if err := json.Unmarshal(raw, &one); err != nil {
				number++
				l.mistake(number, "not an entry: %v", err)
				continue
			}
			records = append(records, one)
		}
		for _, one := range records {
			number++
			l.record(number, one)
		}
	}
}

// namesJSON reads an object of names and digests, and returns whether it is one.
func (l *reader) namesJSON(raw []byte) bool {
	d := json.NewDecoder(bytes.NewReader(raw))
	if open, err := d.Token(); err != nil || open != json.Delim('{') {
		return false
	}
	lines, mistakes := len(l.list.Lines), len(l.list.Mistakes)
	for number := 1; d.More(); number++ {
		name, _ := d.Token()
		text, err := d.Token()
		digest, is := text.(string)
		var value Value
		if err == nil && is {
			value, err = ParseValue(digest)
		}
		if err != nil || !is {
			l.list.Lines, l.list.Mistakes = l.list.Lines[:lines], l.list.Mistakes[:mistakes]
			return false
		}
		l.add(number, name.(string), value)
	}
	return len(l.list.Lines) > lines
}

// readCSV reads a table with a heading.
func (l *reader) readCSV(r io.Reader, comma rune) error {
	c := csv.NewReader(r)
	c.FieldsPerRecord, c.Comma, c.LazyQuotes = -1, comma, comma == '\t'
	headings, err := c.Read()
	if err != nil {
		return err
	}
	columns := columnsMeant(headings)
	for {
		row, err := c.Read()
		var broken *csv.ParseError
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case errors.As(err, &broken):
			l.mistake(broken.Line+l.before, "%v", broken.Err)
			continue
		case err != nil:
			return err
		}
		number, _ := c.FieldPos(0)
		l.tableRow(number+l.before, columns, row)
	}
}

// tableRow reads a row, which may have several digests of the same file.
func (l *reader) tableRow(number int, columns []column, row []string) {
	var one record
	var digests []record
	for i := range min(len(columns), len(row)) {
		switch columns[i].what {
		case "path":
			one.Path = &row[i]
		case "path_base64":
			one.PathBase64 = row[i]
		case "algorithm":
			one.Algorithm = row[i]
		case "size":
			if size, err := strconv.ParseInt(row[i], 10, 64); err == nil {
				one.Size = &size
			}
		case "digest":
			if by := columns[i].by; by == "" {
				one.Digest = &row[i]
			} else if row[i] != "" {
				digests = append(digests, record{Digest: &row[i], Algorithm: by})
			}
		}
	}
	if one.Digest != nil || len(digests) == 0 {
		l.record(number, one)
	}
	for _, d := range digests {
		d.Path, d.PathBase64, d.Size = one.Path, one.PathBase64, one.Size
		l.record(number, d)
	}
}

// Leads reports whether a name of a list leads out of the folder it is about.
func (l Line) Leads() bool { return leads(l.Name) }

func leads(name string) bool {
	return path.IsAbs(name) || name == ".." || strings.HasPrefix(name, "../")
}
