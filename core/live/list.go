package live

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
	"unsafe"

	"frankledger/core/entry"
	"frankledger/core/limiter"
	"frankledger/core/source"
)

// List is a place that is a list of paths, such as a search has kept. Its
// entries are the things at these paths, as they are now.
type List struct {
	place  entry.Place
	paths  []string
	spares map[string]Spare
}

// OpenList reads a list from a file: paths with a line break after each, or, if
// there is a NUL in it, with a NUL after each, or JSON objects with a path in each
// line. The file "-" is the standard
// input.
func OpenList(file, given string, index int) (*List, error) {
	var content []byte
	var err error
	if file == "-" {
		content, err = readList(os.Stdin)
	} else {
		var opened *os.File
		if opened, err = os.Open(file); err != nil {
			return nil, err
		}
		defer opened.Close()
		content, err = readList(opened)
	}
	if err != nil {
		return nil, err
	}
	full, err := filepath.Abs(file)
	if err != nil {
		return nil, err
	}
	l := &List{place: entry.Place{Index: index, Given: given, Full: full, List: true}}
	if content = bytes.TrimLeft(content, "\n"); bytes.HasPrefix(content, []byte("{")) {
		if done, err := l.readLines(content); done || err != nil {
			return l, err
		}
		if l.readWhole(content) {
			return l, nil
		}
	}
	if done, err := l.readTable(content); done || err != nil {
		return l, err
	}
	end := "\n"
	if bytes.IndexByte(content, 0) >= 0 {
		end = "\x00"
	}
	text := unsafe.String(unsafe.SliceData(content), len(content)) // nobody has it any more
	for path := range strings.SplitSeq(text, end) {
		if len(path) > 0 {
			l.paths = append(l.paths, path)
		}
	}
	return l, nil
}

// longestList is how long a list can be, in bytes: that is some five million paths.
const longestList = 512 << 20

// ErrNoList is returned for what begins with no path that could be.
var ErrNoList = errors.New("this is not a list of paths")

// A list begins with a path in so many bytes, and no path is as long.
const (
	firstOfList = 64 << 10
	mostOfPath  = 16 << 10
)

// checkStart looks at the beginning of what is read as a list, before all of it is read.
func checkStart(start []byte) error {
	switch {
	case bytes.Contains(start, []byte{0, 0}): // there is no empty path
		return ErrNoList
	case len(start) < firstOfList || start[0] == '{':
		return nil
	}
	paths := bytes.FieldsFunc(start, func(r rune) bool { return r == '\n' || r == 0 })
	if len(paths) == 0 || slices.ContainsFunc(paths, func(path []byte) bool { return len(path) > mostOfPath }) {
		return ErrNoList
	}
	return nil
}

// ErrLongList is returned for a list that is longer.
var ErrLongList = errors.New("the list is longer than 512 MiB, the most that is read")

// readList reads a list, as long as it can be: what is no file may never end.
func readList(from io.Reader) ([]byte, error) {
	var content bytes.Buffer
	if _, err := content.ReadFrom(io.LimitReader(from, firstOfList)); err != nil {
		return nil, err
	}
	if err := checkStart(content.Bytes()); err != nil {
		return nil, err
	}
	if file, is := from.(*os.File); is {
		if info, err := file.Stat(); err == nil && info.Mode().IsRegular() {
			content.Grow(int(min(info.Size(), longestList)) + bytes.MinRead) // else it would be copied time and again
		}
	}
	_, err := content.ReadFrom(io.LimitReader(from, longestList+1-int64(content.Len())))
	if content.Len() > longestList {
		return nil, ErrLongList
	}
	return content.Bytes(), err
}

// Spare is what a list says about a spare file.
type Spare struct {
	Inode             uint64
	Size              int64
	Modified, Changed entry.Time
	Keeper            string // full path of the file that stays
	KeeperInode       uint64
	KeeperModified    entry.Time
	KeeperChanged     entry.Time
}

// Spares returns what the list says of its entries, by their full paths; nil if it
// is a list of paths only.
func (l *List) Spares() map[string]Spare { return l.spares }

// listLine is what is read of a line of a list in JSON.
type listLine struct {
	Path           *string    `json:"path"`
	PathBytes      []byte     `json:"path_base64"`
	FullPath       *string    `json:"full_path"`
	FullBytes      []byte     `json:"full_path_base64"`
	Inode          uint64     `json:"inode"`
	Size           int64      `json:"size"`
	Modified       *time.Time `json:"modified"`
	Changed        *time.Time `json:"changed"`
	Keeper         *string    `json:"keeper"`
	KeeperBytes    []byte     `json:"keeper_base64"`
	KeeperInode    uint64     `json:"keeper_inode"`
	KeeperModified *time.Time `json:"keeper_modified"`
	KeeperChanged  *time.Time `json:"keeper_changed"`
}

// ErrList is returned for a list in JSON that cannot be read to its end.
var ErrList = errors.New("not a list of JSON objects with a path in each line")

// readLines reads a list in JSON, an object in each line, as a command writes it
// with --as jsonl. It returns false if the first line is none: a path can begin
// with a brace.
func (l *List) readLines(content []byte) (done bool, err error) {
	for n, text := range bytes.Split(bytes.TrimRight(content, "\n"), []byte("\n")) {
		var line listLine
		if err := json.Unmarshal(text, &line); err != nil || line.path() == "" {
			if n == 0 {
				return false, nil
			}
			return false, fmt.Errorf("line %d: %w", n+1, ErrList)
		}
		path := line.path()
		l.paths = append(l.paths, path)
		keeper := textOf(line.Keeper, line.KeeperBytes)
		if keeper == "" || line.Modified == nil || line.Changed == nil || line.KeeperModified == nil || line.KeeperChanged == nil {
			continue
		}
		full, err := filepath.Abs(path)
		if err != nil {
			return false, err
		}
		if l.spares == nil {
			l.spares = map[string]Spare{}
		}
		l.spares[full] = Spare{Inode: line.Inode, Size: line.Size, Modified: entry.TimeOf(*line.Modified), Changed: entry.TimeOf(*line.Changed), Keeper: keeper,
			KeeperInode: line.KeeperInode, KeeperModified: entry.TimeOf(*line.KeeperModified), KeeperChanged: entry.TimeOf(*line.KeeperChanged)}
	}
	return true, nil
}

// readWhole reads an answer in JSON, as a command writes it with --as json. It returns false if
// it is none.
func (l *List) readWhole(content []byte) bool {
	var answer struct{ Entries []listLine }
	if json.Unmarshal(content, &answer) != nil {
		return false
	}
	for i := range answer.Entries {
		path := answer.Entries[i].path()
		if path == "" {
			return false
		}
		l.paths = append(l.paths, path)
	}
	return true
}

// ErrTable is returned for a table of entries that does not tell where they are.
var ErrTable = errors.New("a table without the column path or full_path")

// readTable reads a table in CSV (RFC 4180), as a command writes it with --as csv. It returns false if
// it is none: its first line names columns that such a table has.
func (l *List) readTable(content []byte) (done bool, err error) {
	first, _, _ := bytes.Cut(content, []byte("\n"))
	heading, err := csv.NewReader(bytes.NewReader(first)).Read()
	if err != nil || bytes.IndexByte(content, 0) >= 0 {
		return false, nil
	}
	if _, err := os.Lstat(string(first)); err == nil { // something is called so
		return false, nil
	}
	at := slices.Index(heading, entry.FullPath.Name)
	if at < 0 {
		at = slices.Index(heading, "path")
	}
	switch {
	case at >= 0:
	case len(heading) > 1 && !slices.ContainsFunc(heading, func(name string) bool { return entry.FieldNamed(name) == nil }):
		return false, ErrTable
	default:
		return false, nil
	}
	table := csv.NewReader(bytes.NewReader(content))
	table.FieldsPerRecord = len(heading)
	rows, err := table.ReadAll()
	if err != nil {
		return false, err
	}
	for _, row := range rows[1:] {
		l.paths = append(l.paths, row[at])
	}
	return true, nil
}

// Paths returns what is on the list.
func (l *List) Paths() []string { return l.paths }

// path returns the path of a line, from the root if it has that.
func (l *listLine) path() string {
	if full := textOf(l.FullPath, l.FullBytes); full != "" {
		return full
	}
	return textOf(l.Path, l.PathBytes)
}

// textOf returns text from JSON: its exact bytes, where they stand beside it.
func textOf(text *string, exact []byte) string {
	if len(exact) > 0 {
		return string(exact)
	}
	if text == nil {
		return ""
	}
	return *text
}

// Place implements source.Source.
func (l *List) Place() *entry.Place { return &l.place }

// Of what a list has not got.
var (
	errNamed     = errors.New("is a list: frank takes its entries as they are, and does not read folders on it")
	errNotListed = errors.New("it is not in this list")
)

// Capabilities implements source.Source.
func (l *List) Capabilities() source.Capabilities {
	return source.Capabilities{Content: true, Facts: entry.AllFacts, Limits: errNamed, Untold: errNotListed}
}

// Read implements source.Source. The things on the list are given, and not gone
// into.
func (l *List) Read(ctx context.Context, request source.Request, sink source.Sink) (source.Report, error) {
	if err := l.Capabilities().Check(&request); err != nil {
		return source.Report{}, err
	}
	run := &run{ctx: ctx, request: request, sink: sink, queue: newQueue(limiter.New()), seats: make([]seat, 1)}
	w := run.newWorker()
	type one struct { // each has a place and a folder of its own
		place  entry.Place
		folder entry.Folder
	}
	var room []one
	met := make(map[string]struct{}, len(l.paths))
	for _, path := range l.paths {
		if err := ctx.Err(); err != nil {
			return w.report, err
		}
		full, err := filepath.Abs(path)
		if err != nil {
			return w.report, err
		}
		if _, again := met[full]; again {
			w.report.Again++
			continue
		}
		met[full] = struct{}{}
		if len(room) == 0 {
			room = make([]one, min(256, len(l.paths)))
		}
		o := &room[0]
		room = room[1:]
		o.place = entry.Place{Index: l.place.Index, Given: path, Full: full, Leaf: true}
		o.folder.Place = &o.place
		if err := w.lookAtPlace(&o.folder); err != nil {
			return w.report, err
		}
	}
	w.report.SortProblems()
	return w.report, nil
}
