package digestlist

import (
	"bufio"
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strings"
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
	Digest Digest
	Size   int64 // of the file in bytes, if the list says that: if it is Sized; of a record, when that was made
	Sized  bool
}

// Mistake is a line that could not be read, or contradicts another.
type Mistake struct {
	Number int
	Reason string
}

// Read reads a list of digests, in any of these forms, which it recognises
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
func Read(content io.Reader, fileName string) (*List, error) {
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
		return nil, ErrNone
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
	ErrNone     = errors.New("this is binary data, not a list of digests")
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
func (l *reader) add(number int, name string, value Digest) (added bool) {
	if name == "" {
		l.mistake(number, "there is no file name beside the digest")
		return false
	}
	if strings.IndexByte(name, 0) >= 0 {
		l.mistake(number, "the name contains a NUL, which no file name can")
		return false
	}
	if len(value.Algorithms) > 1 { // the name of the list may tell
		all := value.Algorithms
		for i, a := range all {
			if strings.Contains(strings.ReplaceAll(strings.ToLower(l.fileName), "-", ""), strings.ReplaceAll(a.Name, "-", "")) {
				value.Algorithms = all[i : i+1 : i+1] // which takes no room
			}
		}
	}
	l.list.Lines = append(l.list.Lines, Line{Number: number, Name: path.Clean(name), Digest: value})
	return true
}

// sort puts the lines in order, drops what was said before, and finds what
// contradicts.
func (l *reader) sort() {
	compare := func(a, b Line) int {
		return cmp.Or(strings.Compare(a.Name, b.Name), cmp.Compare(a.Digest.Algorithms[0].Fact, b.Digest.Algorithms[0].Fact))
	}
	slices.SortStableFunc(l.list.Lines, compare)
	first := 0
	kept := l.list.Lines[:0]
	for _, line := range l.list.Lines {
		if len(kept) > 0 && compare(kept[first], line) == 0 {
			if slices.ContainsFunc(kept[first:], func(before Line) bool { return before.Digest.Hex == line.Digest.Hex }) {
				continue
			}
			l.mistake(line.Number, "its digest of %q differs from that in line %d", line.Name, kept[first].Number)
		} else {
			first = len(kept)
		}
		kept = append(kept, line)
	}
	l.list.Lines = kept
	slices.SortStableFunc(l.list.Mistakes, func(a, b Mistake) int { return cmp.Compare(a.Number, b.Number) })
}

// AppendLine appends a line of a payload manifest (RFC 8493): digest,
// space, path. A path that would not stand out from the space begins with ./
func AppendLine(dst []byte, digest, path string) []byte {
	dst = append(append(dst, digest...), ' ')
	if path != "" && strings.IndexByte(" \t*", path[0]) >= 0 {
		dst = append(dst, "./"...)
	}
	return append(append(dst, encoded.Replace(path)...), '\n')
}

// LeadsOut reports whether a name leads out of the folder that a list is about.
func LeadsOut(name string) bool {
	return path.IsAbs(name) || name == ".." || strings.HasPrefix(name, "../")
}
