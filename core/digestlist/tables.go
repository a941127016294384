package digestlist

import (
	"bytes"
	"encoding/base64"
	"encoding/csv"
	"encoding/json"
	"errors"
	"io"
	"slices"
	"strconv"
	"strings"

	"frankledger/core/entry"
)

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
		var value Digest
		if err == nil && is {
			value, err = ParseDigest(digest)
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
