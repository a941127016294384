// Package source says how entries travel: what can be asked of a source, how it
// hands over what it finds, and what it reports at the end. A running system's
// folders are a source, and so is a record in the ledger; commands see no
// difference.
//
// A source may read with several goroutines. It asks the [Sink] for about as many
// [Visitor]s as there are cores, and calls each by one goroutine at a time. So a visitor
// needs no lock for what it keeps to itself, and what a command does with entries is
// spread over all cores without further ado.
package source

import (
	"bytes"
	"cmp"
	"context"
	"path"
	"slices"
	"strings"
	"sync/atomic"

	"frankledger/core/entry"
	"frankledger/core/textfile"
)

// Source is a place that entries can be read from.
type Source interface {
	Place() *entry.Place
	Capabilities() Capabilities
	// Read hands what the request asks for to the sink and reports what it left
	// out. What could not be read is no error but a Problem in the report. The
	// error is the context's, or the one a visitor returned.
	Read(ctx context.Context, request Request, sink Sink) (Report, error)
}

// Sink receives entries.
type Sink interface {
	// Visitor returns a visitor of its own to each caller. Several goroutines may call it at once.
	Visitor() Visitor
}

// Visitor is the type of the functions that a source calls with what it finds.
//
// The entries of one call are all of one folder, in no particular order, and there is at
// least one of them. Those of a large folder come in several calls, perhaps to several
// visitors. Nothing is said of the order of folders: what is in one may come before the
// entry of the folder itself.
//
// The slice, the entries, the bytes of their names and what More points to are lent for
// the call: they are overwritten after it. [entry.Entry.Keep] makes a copy that lasts.
// Folders are not lent, and may be kept.
//
// A visitor is called by one goroutine at a time, so that it needs no lock for what it
// keeps to itself; but not always by the same one. No visitor is called after Read has
// returned. If a visitor returns an error, the reading ends: Read returns that error, or
// one that another visitor returned, and calls may follow only for what other goroutines
// have at hand. There is no error that only steps over a folder: Skip and Depth of the
// request do that.
type Visitor func(entries []entry.Entry) error

// SinkFunc is a sink made of a function.
type SinkFunc func() Visitor

func (f SinkFunc) Visitor() Visitor { return f() }

// Nowhere is a sink that keeps nothing: the end of a row of sinks that do.
var Nowhere Sink = SinkFunc(func() Visitor { return func([]entry.Entry) error { return nil } })

// AllDepths as a request's depth means no limit.
const AllDepths = 1 << 30

// Hidden says what to do with hidden entries.
type Hidden uint8

const (
	ShowHidden Hidden = iota
	OmitHidden        // leave them out and do not go into hidden folders
	OnlyHidden        // leave all others out, but look for hidden ones everywhere
)

// LeavesOut reports whether something is left out, by its path from the place.
func (h Hidden) LeavesOut(rel string) bool {
	switch h {
	case OmitHidden:
		for name := range strings.SplitSeq(rel, "/") {
			if entry.HiddenName(name) {
				return true
			}
		}
	case OnlyHidden:
		return !entry.HiddenName(path.Base(rel))
	}
	return false
}

// Request is what is asked of a source.
type Request struct {
	Facts    entry.Facts // what must be known of each entry
	Aside    entry.Facts // those of them that are no problem where they cannot be told
	Depth    int         // how far down: 0 for the place itself, 1 for what is in it
	Self     bool        // the place itself too, whatever the depth
	Through  bool        // a place that is a link is taken for what it leads to
	Hidden   Hidden
	Follow   bool // go into folders that links lead to, each folder once
	SameDisk bool // do not go into other file systems
	// Skip reports whether not to go into a folder, by its name and its relative path from
	// the place. It may be nil. It is called from several goroutines.
	Skip func(folder *entry.Folder) bool
	// Condition chooses the entries to give. It may be nil. What it rejects is
	// still entered.
	Condition Condition
	// Sought is what is looked for in files where [entry.FactText] is asked for. It may be nil.
	Sought *textfile.Sought
	// Earlier knows what was in folders before, so that those about which nothing has
	// changed need not be read. It may be nil.
	Earlier Earlier
	// Progress is counted up while reading. It may be nil.
	Progress *Progress
}

// Earlier is what was recorded of a place before. It is asked by several goroutines.
type Earlier interface {
	// Unchanged reports whether a folder has the status that it had, and if so, which
	// folders were in it.
	Unchanged(folder *entry.Folder, now *entry.Entry) (inside []string, unchanged bool)
	// Keep is called for a folder that is not read therefore. Of what was in it only the
	// folders are given, as they are now.
	Keep(folder *entry.Folder)
}

// Condition decides which entries are given.
type Condition interface {
	// Needs returns all the facts it may look at.
	Needs() entry.Facts
	// Test is called once for each goroutine that reads.
	Test() Test
}

// Test decides on an entry by the facts that were asked for so far, and its
// name and kind. It is asked again with more of them while it leaves the answer
// open, and no more once it has decided.
type Test func(e *entry.Entry, asked entry.Facts) Verdict

// Verdict is what a test decides.
type Verdict uint8

const (
	No Verdict = iota
	Yes
	Open    // more facts are needed
	Unknown // all that was asked for is there, and does not tell
)

// Stages are the facts by what they cost, the cheapest first. The reader asks
// for those of one stage together.
var Stages = [...]entry.Facts{
	entry.FactStatus | entry.FactCreated,
	entry.FactTarget | entry.FactReach | entry.FactReadable | entry.FactWritable | entry.FactExecutable | entry.FactXattrs | entry.FactFlags | entry.FactMount,
	entry.FactInside | entry.FactContent | entry.FactTwins,
	entry.FactDigests | entry.FactText,
}

// Progress is how far a reading has come. It may be read at any time.
type Progress struct {
	Entries atomic.Int64
	Bytes   atomic.Int64 // of content of files, where their status was asked for
	Folders atomic.Int64 // read
	Found   atomic.Int64 // found so far and to be read
	Read    atomic.Int64 // bytes of content read
	ToRead  atomic.Int64 // bytes of content that will have been read in the end, where that is known; else 0
}

// Amount is how much there is: entries, and the content of files among them.
type Amount struct {
	Entries int64
	Bytes   int64 // as far as the sizes of the files are known
	Unsized int64 // files whose size is not known
}

// Report is what a reading left out, and why.
type Report struct {
	Folders    int64 // folders read
	Tested     int64 // entries that the condition was asked about
	Unknown    int64 // entries of which it is not known whether they meet it
	Hidden     int64 // entries left out because they are hidden
	Skipped    int64 // folders not entered because the request said so
	OtherDisks int64 // folders not entered because another file system starts there
	Again      int64 // entries that another place has, too, and that were given once
	Repeated   int64 // links not followed because they lead to a folder already read
	Texts      Texts
	Groups     int64 // groups of entries of records of which summaries were read
	GroupsRead int64 // those of them that were read, as some in them could be wanted
	Problems   []Problem
}

// Add joins the report of another reading to this one.
func (r *Report) Add(other Report) {
	r.Folders += other.Folders
	r.Tested += other.Tested
	r.Unknown += other.Unknown
	r.Hidden += other.Hidden
	r.Skipped += other.Skipped
	r.OtherDisks += other.OtherDisks
	r.Repeated += other.Repeated
	r.Again += other.Again
	r.Texts.add(other.Texts)
	r.Groups += other.Groups
	r.GroupsRead += other.GroupsRead
	r.Problems = append(r.Problems, other.Problems...)
}

// Texts is how much was read to look for text in files.
type Texts struct {
	Files   int64 // whose content was read
	Bytes   int64
	Others  int64 // of these files, those that are no text
	Guessed int64 // and those that are not UTF-8 and were read as Latin-1
}

func (t *Texts) add(other Texts) {
	t.Files += other.Files
	t.Bytes += other.Bytes
	t.Others += other.Others
	t.Guessed += other.Guessed
}

// SortProblems puts the problems in order of their paths, so that it does not
// depend on timing.
func (r *Report) SortProblems() {
	slices.SortFunc(r.Problems, func(a, b Problem) int {
		return cmp.Or(bytes.Compare([]byte(a.Path), []byte(b.Path)), cmp.Compare(a.Tried, b.Tried))
	})
}

// Problem is something that could not be read.
type Problem struct {
	Path     string
	Tried    string // what was being done, to follow "could not"
	Err      error  // the system's reason
	Entries  int64  // how many entries it concerns; at least 1
	Vanished bool   // it was gone before it could be looked at
	// Untold is the field that is not known of the entries, so that it is not known either
	// whether they meet the condition; nil for other problems. Path is the place then.
	Untold *entry.Field
	// Shut says that it is of a folder that could not be read, or not to its end.
	Shut bool
	// Unclear says that a record of what met a condition does not tell whether the entries were
	// there, too. Path is the record then.
	Unclear bool
}

// OpenFolder is what was tried where a place itself could not be read.
const OpenFolder = "open the folder"

// Reason is the system's reason in words.
func (p Problem) Reason() string {
	if p.Vanished {
		return "it vanished during the run"
	}
	return p.Err.Error()
}
