package ledger_test

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/upkeep"
	"frankledger/core/live"
	"frankledger/core/source"
)

// What is exported and imported is the same in everything, with its hashes and
// digests, and its export is the same to the byte.
func TestExportAndImport(t *testing.T) {
	ctx := context.Background()
	folder := t.TempDir()
	one, err := createNamed(ctx, filepath.Join(folder, "one"))
	require.NoError(t, err)
	defer one.Close()
	random := rand.New(rand.NewPCG(5, 5))
	places := []string{filepath.Join(folder, "a"), filepath.Join(folder, "b\xff")}
	want := map[int64]map[string]string{}
	for i := range 7 {
		root := places[i%2]
		require.NoError(t, os.MkdirAll(root, 0o755))
		edit(t, random, root, 25)
		var o recording.Options
		if i == 3 {
			o = recording.Options{Fact: entry.FactMD5, Pool: digest.NewPool(live.Files{}, &source.Progress{})}
		}
		o.MoveLabel = true
		r := recordWith(t, one, "weekly", root, o)
		want[r.Number] = kernel(t, root)
	}
	s, err := live.Open(places[1], 0)
	require.NoError(t, err)
	gone := source.Problem{Path: filepath.Join(places[1], "x\xff"), Tried: "look at", Err: os.ErrNotExist, Entries: 3, Vanished: true}
	_, _, err = recording.Write(ctx, one, ledger.Record{Label: "vanished", Host: "other", Place: "/elsewhere"}, recording.NewSnapshot(s.Place()), source.Report{Problems: []source.Problem{gone}}, recording.Options{})
	require.NoError(t, err)
	want[8] = map[string]string{}
	require.NoError(t, upkeep.Drop(ctx, one, 7)) // its number is not given again
	delete(want, 7)
	var lines bytes.Buffer
	saved, err := upkeep.Export(ctx, one, &lines)
	require.NoError(t, err)
	assert.Equal(t, 7, saved.Records)
	assert.Contains(t, lines.String(), `"vanished":true`)
	assert.Empty(t, saved.Lost)

	two, err := createNamed(ctx, filepath.Join(folder, "two"))
	require.NoError(t, err)
	defer two.Close()
	done, err := upkeep.Import(ctx, two, bytes.NewReader(lines.Bytes()))
	require.NoError(t, err)
	text := renumbered(lines.String(), done.Renumbered)
	for number, now := range done.Renumbered { // a database gives numbers out itself
		require.NotEmpty(t, os.Getenv(onPostgres))
		want[now] = want[number]
	}
	for _, r := range done.Records {
		assert.Equal(t, want[r.Number], recorded(t, two, r))
	}
	faults, err := upkeep.Check(ctx, two)
	require.NoError(t, err)
	assert.Empty(t, faults)
	var again bytes.Buffer
	_, err = upkeep.Export(ctx, two, &again)
	require.NoError(t, err)
	assert.Equal(t, text, again.String())

	_, err = upkeep.Import(ctx, two, bytes.NewReader(lines.Bytes()))
	assert.ErrorIs(t, err, upkeep.ErrThere)
	all := strings.SplitAfter(lines.String(), "\n")
	for text, want := range map[string]error{
		"":                                    ledger.ErrCutShort,
		"{}\n":                                ledger.ErrLines,
		"no lines at all":                     ledger.ErrLines,
		strings.Join(all[:len(all)/2], ""):    ledger.ErrCutShort,
		strings.Join(all[:1], "") + all[2]:    ledger.ErrLines,
		`{"frank_ledger":99}` + "\n" + all[1]: ledger.ErrNewer,
		strings.Replace(lines.String(), `"kind":"file"`, `"kind":"pipe"`, 1): ledger.ErrLines,
	} {
		three, err := createNamed(ctx, filepath.Join(t.TempDir(), "three"))
		require.NoError(t, err)
		_, err = upkeep.Import(ctx, three, strings.NewReader(text))
		assert.ErrorIs(t, err, want, "%.40s", text)
		records, err := three.Records(ctx)
		require.NoError(t, err)
		assert.Empty(t, records, "all or nothing")
		require.NoError(t, three.Close())
	}
}

// Digests are carried over only where nothing about a file has changed, and a
// content that changed without a trace is found by reading again.
func TestDigestsOfRecords(t *testing.T) {
	ctx := context.Background()
	root := t.TempDir()
	write := func(name, content string) {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(content), 0o644))
	}
	write("kept", "one")
	write("edited", "two")
	require.NoError(t, os.Mkdir(filepath.Join(root, "folder"), 0o755))
	write("folder/deep", "deep")
	require.NoError(t, os.Link(filepath.Join(root, "kept"), filepath.Join(root, "linked")))
	l, err := createNamed(ctx, filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	progress := &source.Progress{}
	takeWith := func(files digest.Files, fact entry.Facts, recheck bool) recording.Changes {
		progress = &source.Progress{}
		r, changes := recordWithChanges(t, l, "l", root, recording.Options{Fact: fact, Recheck: recheck, Pool: digest.NewPool(files, progress)})
		faults, err := upkeep.Check(ctx, l)
		require.NoError(t, err)
		require.Empty(t, faults)
		require.NotZero(t, r.Number)
		return changes
	}
	take := func(fact entry.Facts, recheck bool) recording.Changes { return takeWith(live.Files{}, fact, recheck) }
	known := func(name string) entry.Facts {
		records, err := l.Records(ctx)
		require.NoError(t, err)
		s, err := replay.SourceOf(ctx, l, records[len(records)-1], name, "@l/"+name, 0)
		require.NoError(t, err)
		var facts entry.Facts
		_, err = s.Read(ctx, source.Request{Facts: entry.FactDigests}, source.SinkFunc(func() source.Visitor {
			return func(e []entry.Entry) error { facts = e[0].Known & entry.FactDigests; return nil }
		}))
		require.NoError(t, err)
		return facts
	}
	assert.EqualValues(t, 4, take(entry.FactSHA256, false).Digested)
	assert.EqualValues(t, 3+3+4, progress.Read.Load(), "names of one file are read once")
	assert.Zero(t, take(entry.FactSHA256, false).Digested)
	write("edited", "TWO")
	assert.EqualValues(t, 1, take(entry.FactSHA256, false).Digested)
	assert.EqualValues(t, 3, progress.Read.Load())
	write("edited", "two")
	changes := take(0, false)
	assert.EqualValues(t, 1, changes.Altered)
	assert.Zero(t, known("edited"), "it is not known any more")
	assert.Equal(t, entry.FactSHA256, known("folder/deep"), "carried over unasked")
	assert.EqualValues(t, 4, take(entry.FactBLAKE3, false).Digested)
	assert.Equal(t, entry.FactSHA256|entry.FactBLAKE3, known("kept"))

	// At first, content is read that is another than there is later.
	assert.EqualValues(t, 4, takeWith(otherContent{}, entry.FactMD5, false).Digested)
	changes = take(entry.FactMD5, true)
	assert.Equal(t, []string{"edited", "folder/deep", "kept", "linked"}, slices.Sorted(slices.Values(changes.Unexplained)))
	assert.EqualValues(t, 4, changes.Altered)
	assert.Empty(t, take(entry.FactMD5, true).Unexplained)
	assert.Equal(t, entry.FactMD5, known("kept"), "the others may be as wrong")
}

// overtaking opens files and, when the first is opened, has another recorder write a
// record in the meantime.
type overtaking struct {
	digest.Files
	once *sync.Once
	by   func()
}

func (o overtaking) Opener() digest.Opener {
	o.once.Do(o.by)
	return o.Files.Opener()
}

// What is found by reading again is told also where other recorders are done first,
// whatever these recorded; and no record takes a digest for right that another one
// had found wrong.
func TestRecheckOvertaken(t *testing.T) {
	ctx := context.Background()
	for name, other := range map[string]recording.Options{
		"without digests": {}, "with digests": {Fact: entry.FactSHA256, Pool: digest.NewPool(live.Files{}, &source.Progress{})},
		"by another algorithm": {Fact: entry.FactMD5, Pool: digest.NewPool(live.Files{}, &source.Progress{})},
		"rechecked":            {Fact: entry.FactSHA256, Recheck: true, Pool: digest.NewPool(live.Files{}, &source.Progress{})},
	} {
		for _, rounds := range []int{1, 2} {
			t.Run(fmt.Sprint(name, " ", rounds), func(t *testing.T) {
				root := t.TempDir()
				for _, name := range []string{"a", "b", "in/c"} {
					require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(root, name)), 0o755))
					require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(name), 0o644))
				}
				file := filepath.Join(t.TempDir(), "ledger")
				l, err := createNamed(ctx, file)
				require.NoError(t, err)
				defer l.Close()
				take := func(l *ledger.Ledger, files digest.Files, o recording.Options) recording.Changes {
					if o.Pool == nil && o.Fact != 0 {
						o.Pool = digest.NewPool(files, &source.Progress{})
					}
					_, changes := recordWithChanges(t, l, "l", root, o)
					return changes
				}
				take(l, otherContent{}, recording.Options{Fact: entry.FactSHA256}) // all of which is wrong
				second, err := createNamed(ctx, file)
				require.NoError(t, err)
				defer second.Close()
				overtake := func() {
					for i := range rounds {
						require.NoError(t, os.WriteFile(filepath.Join(root, "new"), []byte(fmt.Sprint(i)), 0o644))
						take(second, live.Files{}, other)
					}
				}
				changes := take(l, overtaking{live.Files{}, &sync.Once{}, overtake}, recording.Options{Fact: entry.FactSHA256, Recheck: true})
				want := []string{"a", "b", "in/c"}
				if name == "rechecked" {
					want = nil // the other one has told it, and its record says so
				}
				assert.Equal(t, want, slices.Sorted(slices.Values(changes.Unexplained)))
				assert.GreaterOrEqual(t, changes.Digested, int64(3))
				faults, err := upkeep.Check(ctx, l)
				require.NoError(t, err)
				assert.Empty(t, faults)

				// A record that only carries digests over does not bring back wrong ones.
				changes = take(l, live.Files{}, recording.Options{Fact: entry.FactSHA256, Recheck: true})
				assert.Empty(t, changes.Unexplained)
			})
		}
	}
}

// otherContent opens files whose content begins with another byte.
type otherContent struct{}

func (otherContent) Opener() digest.Opener { return otherOpener{live.Files{}.Opener()} }

type otherOpener struct{ digest.Opener }

func (o otherOpener) Open(e *entry.Entry) (digest.File, error) {
	file, err := o.Opener.Open(e)
	return &otherFile{File: file}, err
}

type otherFile struct{ digest.File }

func (f *otherFile) Read(p []byte) (int, error) {
	n, err := f.File.Read(p)
	if n > 0 {
		p[0]++
	}
	return n, err
}

// What was altered behind the hashes, so that it reads well, is not exported as if
// nothing were; and what is saved can be imported, with a problem that says so.
func TestExportOfAltered(t *testing.T) {
	fileOnly(t)
	ctx := context.Background()
	root, file := t.TempDir(), filepath.Join(t.TempDir(), "ledger")
	for i := range 50 {
		require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprint("name of file ", i)), nil, 0o644))
	}
	l, err := createNamed(ctx, file)
	require.NoError(t, err)
	record(t, l, "l", root)
	require.NoError(t, l.Close())
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	at := bytes.Index(content, []byte("name of file "))
	require.Positive(t, at)
	content[at] = 'g'
	require.NoError(t, os.WriteFile(file, content, 0o644))
	l, err = openNamed(ctx, file)
	require.NoError(t, err)
	defer l.Close()
	faults, err := upkeep.Check(ctx, l)
	require.NoError(t, err)
	require.Len(t, faults, 1)
	var lines bytes.Buffer
	saved, err := upkeep.Export(ctx, l, &lines)
	require.NoError(t, err)
	assert.Equal(t, []string{`record 1, "": its entries were altered`}, saved.Lost)
	other, err := createNamed(ctx, filepath.Join(t.TempDir(), "other"))
	require.NoError(t, err)
	defer other.Close()
	done, err := upkeep.Import(ctx, other, &lines)
	require.NoError(t, err)
	assert.Equal(t, 1, done.Lost)
	require.Len(t, done.Records, 1)
	assert.EqualValues(t, 1, done.Records[0].Problems)
	assert.EqualValues(t, 50, done.Records[0].Entries)
}

// renumbered is an export in which records have other numbers.
func renumbered(text string, to map[int64]int64) string {
	return regexp.MustCompile(`(?m)^\{"record":\{"number":\d+`).ReplaceAllStringFunc(text, func(begin string) string {
		head, number, _ := strings.Cut(begin, `"number":`)
		was, _ := strconv.ParseInt(number, 10, 64)
		if now, is := to[was]; is {
			was = now
		}
		return fmt.Sprint(head, `"number":`, was)
	})
}
