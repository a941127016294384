// Package checksum takes the digests of files, finds those with the same content, and checks files against a list of
// digests.
package checksum

import (
	"context"
	"encoding/hex"
	"slices"
	"strings"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/core/source"
)

// Row is a digest of a file.
type Row struct {
	Entry     *entry.Entry
	Algorithm entry.Algorithm
	Digest    string // in hexadecimal; "" if the file could not be read
	Alike     int    // the number of the group of files with the same content, from 1; 0 if it stands alone
	Listed    string // the path that a list has for it
	first     bool   // row of its file
}

// Answer is the digests of files: for each file a row by each algorithm. The
// rows are made as they are asked for.
type Answer struct {
	Files  int   // with digests
	Groups []int // how many files have the same content, by group
	Alone  int   // files that stand alone
	Report source.Report
	// Listed returns the path that a list has for a file; nil if there is no
	// list.
	Listed func(*entry.Entry) string

	files      []*entry.Entry
	algorithms []entry.Algorithm
	alike      []int32 // by file, as Row.Alike
}

// Take takes the digests of files, which must come with their status. The names
// of one file are read once.
func Take(ctx context.Context, files []*entry.Entry, pool *digest.Pool, algorithms []entry.Algorithm) (*Answer, error) {
	var wanted entry.Facts
	for _, a := range algorithms {
		wanted |= a.Fact
	}
	for _, e := range files {
		pool.Expect(e.Size)
	}
	if err := pool.Digest(ctx, files, wanted); err != nil {
		return nil, err
	}
	return answer(files, algorithms), nil
}

// answer finds the files with the same content and numbers these groups in order
// of their first files.
func answer(files []*entry.Entry, algorithms []entry.Algorithm) *Answer {
	a := &Answer{files: files, algorithms: algorithms, alike: make([]int32, len(files))}
	first := make(map[string]int32, len(files)) // file with a digest
	for i, e := range files {
		sum := a.sum(e, algorithms[0])
		if sum == "" {
			continue
		}
		a.Files++
		at, known := first[sum]
		switch {
		case !known:
			first[sum] = int32(i)
		case a.alike[at] == 0:
			a.alike[at], a.alike[i] = -1, at+1 // numbered below
		default:
			a.alike[i] = at + 1
		}
	}
	for i, e := range files {
		switch alike := a.alike[i]; {
		case alike > 0:
			a.alike[i] = a.alike[alike-1]
			a.Groups[a.alike[i]-1]++
		case alike < 0:
			a.Groups = append(a.Groups, 1)
			a.alike[i] = int32(len(a.Groups))
		case a.sum(e, algorithms[0]) != "":
			a.Alone++
		}
	}
	return a
}

func (a *Answer) sum(e *entry.Entry, by entry.Algorithm) string {
	if !e.Known.Has(by.Fact) {
		return ""
	}
	return e.More.Digests.Sum(by.Fact)
}

// Sort puts the files in order of the paths that a list has for them, by bytes.
func (a *Answer) Sort() {
	listed := make(map[*entry.Entry]string, len(a.files))
	for _, e := range a.files {
		listed[e] = a.Listed(e)
	}
	a.Listed = func(e *entry.Entry) string { return listed[e] }
	slices.SortFunc(a.files, func(x, y *entry.Entry) int { return strings.Compare(listed[x], listed[y]) })
	a.alike = nil // was by file
}

// Len returns how many rows there are.
func (a *Answer) Len() int { return len(a.files) * len(a.algorithms) }

// At returns a row. It may be called from several goroutines.
func (a *Answer) At(i int) *Row {
	at, by := i/len(a.algorithms), i%len(a.algorithms)
	e := a.files[at]
	row := &Row{Entry: e, Algorithm: a.algorithms[by], first: by == 0, Digest: hex.EncodeToString([]byte(a.sum(e, a.algorithms[by])))}
	if a.alike != nil {
		row.Alike = int(a.alike[at])
	}
	if a.Listed != nil {
		row.Listed = a.Listed(e)
	}
	return row
}

// Mark is a short word for a number from 1: a, b, … z, aa, ab, ….
func Mark(n int) string {
	mark := ""
	for ; n > 0; n = (n - 1) / 26 {
		mark = string(rune('a'+(n-1)%26)) + mark
	}
	return mark
}

// Columns returns what rows are shown with. In a list to be kept, paths start from its
// folder.
func (a *Answer) Columns(c *entry.Context) []row.Column[*Row] {
	const programs, people = row.Programs, row.People
	in := func(r *Row) *entry.Entry { return r.Entry }
	facts := func(to row.Readers, name string) row.Column[*Row] {
		return row.Through(row.Choose(entry.ColumnsNamed(c, name), to)[0], in).For(to)
	}
	path := facts(programs, "path")
	if a.Listed != nil {
		path = row.TextColumn("path", "the path from the folder of the list", func(r *Row) (string, bool) { return r.Listed, true }).For(programs)
	}
	columns := []row.Column[*Row]{path, facts(people, "name")}
	if len(a.Groups) > 0 {
		columns = append(columns, row.TextColumn("same", "files with the same mark have the same content", func(r *Row) (string, bool) {
			return Mark(r.Alike), r.Alike > 0 && r.first
		}).LeftBlank().For(people))
	}
	algorithm := row.TextColumn("algorithm", "of the digest", func(r *Row) (string, bool) { return r.Algorithm.Name, true })
	if len(a.algorithms) < 2 {
		algorithm = algorithm.For(programs)
	}
	return append(columns, facts(row.Everyone, "size"), algorithm,
		row.DigitsColumn("digest", "of the content, in hexadecimal", func(r *Row) (string, bool) { return r.Digest, r.Digest != "" }),
		facts(programs, "modified"))
}
