package ledger_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

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

var errInjected = errors.New("injected")

// works are what can be done with a ledger: what changes it first.
var works = []struct {
	name    string
	changes bool
	do      func(t *testing.T, l *ledger.Ledger, root string) error
}{
	{"record", true, func(t *testing.T, l *ledger.Ledger, root string) error { return write(l, root, recording.Options{}) }},
	{"record digests", true, func(t *testing.T, l *ledger.Ledger, root string) error {
		return write(l, root, recording.Options{Fact: entry.FactSHA256, Pool: digest.NewPool(live.Files{}, &source.Progress{})})
	}},
	{"recheck", true, func(t *testing.T, l *ledger.Ledger, root string) error {
		return write(l, root, recording.Options{Fact: entry.FactSHA256, Recheck: true, Pool: digest.NewPool(live.Files{}, &source.Progress{})})
	}},
	{"drop the first", true, func(t *testing.T, l *ledger.Ledger, root string) error {
		return upkeep.Drop(context.Background(), l, 1)
	}},
	{"drop the second", true, func(t *testing.T, l *ledger.Ledger, root string) error {
		return upkeep.Drop(context.Background(), l, 2)
	}},
	{"import", true, func(t *testing.T, l *ledger.Ledger, root string) error {
		other, err := createNamed(context.Background(), filepath.Join(t.TempDir(), "other"))
		require.NoError(t, err)
		defer other.Close()
		record(t, other, "from elsewhere", filepath.Dir(root))
		var lines bytes.Buffer
		_, err = upkeep.Export(context.Background(), other, &lines)
		require.NoError(t, err)
		_, err = upkeep.Import(context.Background(), l, &lines)
		return err
	}},
	{"compact", false, func(t *testing.T, l *ledger.Ledger, root string) error {
		return upkeep.Compact(context.Background(), l)
	}},
	{"check", false, func(t *testing.T, l *ledger.Ledger, root string) error {
		faults, err := upkeep.Check(context.Background(), l)
		if err == nil && len(faults) > 0 {
			err = fmt.Errorf("faults: %v", faults)
		}
		return err
	}},
	{"export", false, func(t *testing.T, l *ledger.Ledger, root string) error {
		saved, err := upkeep.Export(context.Background(), l, &bytes.Buffer{})
		if err == nil && len(saved.Lost) > 0 {
			err = fmt.Errorf("lost: %v", saved.Lost)
		}
		return err
	}},
	{"history", false, func(t *testing.T, l *ledger.Ledger, root string) error {
		spans, err := replay.History(context.Background(), l, "tern-point", filepath.Join(root, "in/c"), nil)
		if err == nil && len(spans) == 0 {
			err = errors.New("no history")
		}
		return err
	}},
	{"read", false, func(t *testing.T, l *ledger.Ledger, root string) error {
		r, err := l.Find(context.Background(), ledger.Reference{Label: "l"})
		if err != nil {
			return err
		}
		s, err := replay.SourceOf(context.Background(), l, r, "", "@l", 0)
		if err == nil {
			_, err = s.Read(context.Background(), source.Request{Facts: facts, Depth: source.AllDepths}, source.SinkFunc(func() source.Visitor { return func([]entry.Entry) error { return nil } }))
		}
		return err
	}},
}

func write(l *ledger.Ledger, root string, o recording.Options) error {
	s, err := live.Open(root, 0)
	if err != nil {
		return err
	}
	taken := recording.NewSnapshot(s.Place())
	report, err := s.Read(context.Background(), source.Request{Facts: facts, Depth: source.AllDepths, Self: true}, taken)
	if err == nil {
		_, _, err = recording.Write(context.Background(), l, ledger.Record{Label: "l", Host: "tern-point", Place: root, Taken: time.Now()}, taken, report, o)
	}
	return err
}

// begun makes a ledger of two records of a place that was altered since, in a folder
// of its own, and returns the place and the ledger's file.
func begun(t *testing.T) (root, file string) {
	folder := t.TempDir()
	root, file = filepath.Join(folder, "tree"), filepath.Join(folder, "ledger")
	put := func(name, content string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(root, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(content), 0o644))
	}
	for _, name := range []string{"a", "b", "in/c", "in/deep/d", "gone/e"} {
		put(name, name)
	}
	l, err := createNamed(t.Context(), file)
	require.NoError(t, err)
	require.NoError(t, write(l, root, recording.Options{Fact: entry.FactSHA256, Pool: digest.NewPool(live.Files{}, &source.Progress{})}))
	put("in/new", "new")
	require.NoError(t, os.RemoveAll(filepath.Join(root, "gone")))
	require.NoError(t, write(l, root, recording.Options{}))
	put("in/deep/f", "f")
	put("a", "altered")
	require.NoError(t, os.Rename(filepath.Join(root, "in/new"), filepath.Join(root, "moved")))
	require.NoError(t, l.Close())
	return root, file
}

// all is all that a ledger says, as it is exported, but for when it was written.
func all(t *testing.T, file string) string {
	t.Helper()
	l, err := openNamed(t.Context(), file)
	require.NoError(t, err)
	defer l.Close()
	faults, err := upkeep.Check(t.Context(), l)
	require.NoError(t, err)
	require.Empty(t, faults)
	var lines bytes.Buffer
	saved, err := upkeep.Export(t.Context(), l, &lines)
	require.NoError(t, err)
	require.Empty(t, saved.Lost)
	return lines.String()
}

// nextCall is the call after one to try something at: the next one or, where that takes long, one
// of the next ones.
func nextCall(at int) int {
	if fewer(2) == 2 {
		return at + 1
	}
	return at + 1 + rand.IntN(120)
}

// Whatever call to the store fails, that error is what is told, and never damage; and
// the ledger is as it was, or has all of what was to be done if that is what was said.
func TestEachCallFails(t *testing.T) {
	if testing.Short() {
		t.Skip("long, and of one goroutine")
	}
	for _, work := range works {
		t.Run(work.name, func(t *testing.T) {
			root, file := begun(t)
			before := all(t, file)
			for at := 0; ; at = nextCall(at) {
				if at > 0 && all(t, file) != before {
					t.Fatalf("the ledger was changed by what had failed before call %d", at)
				}
				l, err := createNamed(t.Context(), file)
				require.NoError(t, err)
				n := 0
				l.Interpose(func(bool) error {
					if n++; n-1 == at {
						return fmt.Errorf("call %d: %w", at, errInjected)
					}
					return nil
				})
				err = work.do(t, l, root)
				require.NoError(t, l.Close())
				if n <= at { // none failed
					require.NoError(t, err)
					assert.Greater(t, at, 0)
					break
				}
				require.ErrorIs(t, err, errInjected)
				require.NotErrorIs(t, err, ledger.ErrDamaged)
			}
			if work.changes {
				assert.NotEqual(t, before, all(t, file))
			} else {
				assert.Equal(t, before, all(t, file))
			}
		})
	}
}

// Whatever another program does between any two calls to the store, as a recording, or
// dropping a record that is being looked at, nothing is called damaged, what was found
// is told, and what was recorded is what was there.
func TestOvertakenAtEachCall(t *testing.T) {
	if testing.Short() {
		t.Skip("long, and of one goroutine")
	}
	overtakers := map[string]func(t *testing.T, l *ledger.Ledger, root string) error{
		"recorded": func(t *testing.T, l *ledger.Ledger, root string) error {
			if err := os.WriteFile(filepath.Join(root, "another"), []byte("x"), 0o644); err != nil {
				return err
			}
			return write(l, root, recording.Options{})
		},
		"rechecked": func(t *testing.T, l *ledger.Ledger, root string) error {
			return write(l, root, recording.Options{Fact: entry.FactSHA256, Recheck: true, Pool: digest.NewPool(live.Files{}, &source.Progress{})})
		},
		"dropped": func(t *testing.T, l *ledger.Ledger, root string) error {
			records, err := l.Records(t.Context())
			if err == nil {
				err = upkeep.Drop(t.Context(), l, records[0].Number)
			}
			return err
		},
		"dropped the last": func(t *testing.T, l *ledger.Ledger, root string) error {
			records, err := l.Records(t.Context())
			if err == nil {
				err = upkeep.Drop(t.Context(), l, records[len(records)-1].Number)
			}
			return err
		},
		"compacted": func(t *testing.T, l *ledger.Ledger, root string) error { return upkeep.Compact(t.Context(), l) },
	}
	for _, work := range works {
		if !work.changes { // see TestReadersOvertakenAtEachCall
			continue
		}
		for name, overtake := range overtakers {
			if nextCall(0) > 1 && rand.IntN(3) > 0 { // one of three of them where it takes its time
				continue
			}
			t.Run(work.name+" "+name, func(t *testing.T) {
				t.Parallel()
				for at, met := 0, true; met; at = nextCall(at) {
					root, file := begun(t)
					l, err := createNamed(t.Context(), file)
					require.NoError(t, err)
					other, err := createNamed(t.Context(), file)
					require.NoError(t, err)
					n := 0
					met = false
					l.Interpose(func(inside bool) error {
						if n++; n-1 == at && !inside {
							met = true
							require.NoError(t, overtake(t, other, root))
						}
						return nil
					})
					err = work.do(t, l, root)
					met = met || n > at
					require.NoError(t, l.Close())
					require.NoError(t, other.Close())
					if strings.HasPrefix(work.name, "drop") && strings.HasPrefix(name, "dropped") && errors.Is(err, ledger.ErrNoRecord) {
						continue
					}
					require.NoError(t, err, "%d", at)
					all(t, file)
				}
			})
		}
	}
}

// Reading a ledger while another program changes it gives what there was at one moment.
func TestReadersOvertakenAtEachCall(t *testing.T) {
	for _, work := range works {
		if work.changes || work.name == "compact" {
			continue
		}
		t.Run(work.name, func(t *testing.T) {
			root, file := begun(t)
			for at, met := 0, true; met; at = nextCall(at) {
				l, err := openNamed(t.Context(), file)
				require.NoError(t, err)
				n := 0
				met = false
				done := make(chan error, 1)
				l.Interpose(func(bool) error {
					if n++; n-1 == at {
						met = true
						other, err := createNamed(t.Context(), file)
						require.NoError(t, err)
						begun := make(chan struct{})
						go func() { // which waits until the reader is done
							defer other.Close()
							close(begun)
							records, err := other.Records(context.Background())
							if err == nil && len(records) > 1 {
								err = upkeep.Drop(context.Background(), other, records[0].Number)
							}
							done <- errors.Join(err, write(other, root, recording.Options{}))
						}()
						<-begun
					}
					return nil
				})
				err = work.do(t, l, root)
				require.NoError(t, l.Close())
				require.NoError(t, err, "%d", at)
				if met {
					require.NoError(t, <-done)
				}
				all(t, file)
			}
		})
	}
}

// What is found by reading again is told and recorded, whenever another recorder comes
// in between.
func TestFindingsOvertakenAtEachCall(t *testing.T) {
	for name, other := range map[string]recording.Options{
		"without digests": {}, "with digests": {Fact: entry.FactSHA256, Pool: digest.NewPool(live.Files{}, &source.Progress{})},
	} {
		t.Run(name, func(t *testing.T) {
			for at, met := 0, true; met; at = nextCall(at) {
				root, file := t.TempDir(), filepath.Join(t.TempDir(), "ledger")
				for _, name := range []string{"a", "in/b"} {
					require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(root, name)), 0o755))
					require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(name), 0o644))
				}
				l, err := createNamed(t.Context(), file)
				require.NoError(t, err)
				recordWith(t, l, "l", root, recording.Options{Fact: entry.FactSHA256, Pool: digest.NewPool(otherContent{}, &source.Progress{})})
				n := 0
				met = false
				l.Interpose(func(inside bool) error {
					if n++; n-1 == at && !inside {
						require.NoError(t, os.WriteFile(filepath.Join(root, "new"), nil, 0o644))
						two, err := createNamed(t.Context(), file)
						require.NoError(t, err)
						recordWith(t, two, "l", root, other)
						require.NoError(t, two.Close())
					}
					return nil
				})
				r, changes := recordWithChanges(t, l, "l", root, recording.Options{Fact: entry.FactSHA256, Recheck: true, Pool: digest.NewPool(live.Files{}, &source.Progress{})})
				met = n > at
				assert.Equal(t, []string{"a", "in/b"}, slices.Sorted(slices.Values(changes.Unexplained)), "%d", at)
				sum := sha256.Sum256([]byte("a"))
				assert.Equal(t, hex.EncodeToString(sum[:]), digestOf(t, l, r, "a"), "%d", at)
				require.NoError(t, l.Close())
				all(t, file)
			}
		})
	}
}

func digestOf(t *testing.T, l *ledger.Ledger, r ledger.Record, rel string) (found string) {
	s, err := replay.SourceOf(t.Context(), l, r, rel, "@l", 0)
	require.NoError(t, err)
	_, err = s.Read(t.Context(), source.Request{Facts: facts | entry.FactSHA256, Depth: source.AllDepths, Self: true}, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			for _, e := range entries {
				found = hex.EncodeToString([]byte(e.More.Digests.Sum(entry.FactSHA256)))
			}
			return nil
		}
	}))
	require.NoError(t, err)
	return found
}

// A file that was cut short anywhere, or has other bytes in it anywhere, is never read
// as if it were whole.
func TestCutShort(t *testing.T) {
	fileOnly(t)
	if testing.Short() {
		t.Skip("long, and of one goroutine")
	}
	_, file := begun(t)
	whole, err := os.ReadFile(file)
	require.NoError(t, err)
	turns := regexp.MustCompile(`"turn":-?\d+,`)      // the seal of a record does not cover its turn
	told := func(lines string) (records [][]string) { // in whatever order its folders are numbered
		for _, one := range strings.Split(turns.ReplaceAllString(lines, ""), `{"record"`) {
			records = append(records, slices.Sorted(strings.Lines(one)))
		}
		return records
	}
	before := told(all(t, file))
	refused, held := 0, 0
	said := func(content []byte, what string) {
		require.NoError(t, os.WriteFile(file, content, 0o600))
		l, err := openNamed(t.Context(), file)
		if err != nil {
			refused++
			return
		}
		defer l.Close()
		faults, err := upkeep.Check(t.Context(), l)
		if err != nil || len(faults) > 0 {
			refused++
			return
		}
		var lines bytes.Buffer
		saved, err := upkeep.Export(t.Context(), l, &lines)
		if err != nil || len(saved.Lost) > 0 {
			refused++
			return
		}
		held++
		require.Equal(t, before, told(lines.String()), what)
	}
	for length := 0; length < len(whole); length += 1531 {
		said(whole[:length], fmt.Sprint("cut at ", length))
	}
	assert.Zero(t, held, "no part is taken for the whole")
	said(whole, "whole")
	assert.Equal(t, 1, held)
	refused, held = 0, 0
	seed := rand.Uint64()
	t.Logf("seed %d", seed)
	random := rand.New(rand.NewPCG(seed, 4))
	for range 300 {
		content := slices.Clone(whole)
		at := random.IntN(len(content))
		for content[at] == 0 { // most of what holds nothing
			at = random.IntN(len(content))
		}
		content[at] ^= byte(1 + random.IntN(255))
		said(content, fmt.Sprint("another byte at ", at))
	}
	assert.Greater(t, refused, 30)
	assert.Positive(t, held, "there are bytes that hold nothing")
}
