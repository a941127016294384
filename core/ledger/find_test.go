package ledger_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/replay"
	"frankledger/core/live"
	"frankledger/core/source"
)

func TestParseReference(t *testing.T) {
	zone := time.FixedZone("east", 3600)
	for text, want := range map[string]ledger.Reference{
		"weekly":               {Label: "weekly"},
		"weekly:0":             {Label: "weekly"},
		"weekly:3/a/b c/":      {Label: "weekly", Back: 3, Path: "a/b c"},
		"weekly:2026-11-01":    {Label: "weekly", By: time.Date(2026, 11, 2, 0, 0, 0, 0, zone)},
		"17":                   {Number: 17},
		"17/folder/with:colon": {Number: 17, Path: "folder/with:colon"},
		"card 7":               {Label: "card 7"},
		"7up":                  {Label: "7up"},
		"etc@web01":            {Label: "etc", Host: "web01"},
		"etc:2@web01/ssh/@x":   {Label: "etc", Host: "web01", Back: 2, Path: "ssh/@x"},
	} {
		got, err := ledger.ParseReference(text, time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC), zone)
		require.NoError(t, err, text)
		assert.True(t, want.By.Equal(got.By), text)
		want.By, got.By = time.Time{}, time.Time{}
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "/a", ":1", "weekly:", "weekly:-1", "weekly:soon", "weekly:2026-13-01", "7:1", "7@web01", "etc@", "@web01", "a*", "99999999999999999999"} {
		_, err := ledger.ParseReference(text, time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC), zone)
		assert.Error(t, err, text)
	}
}

// The record that is meant is found by how many before the newest, by day, or by
// number, among those of the label only.
func TestFind(t *testing.T) {
	ctx := context.Background()
	root := t.TempDir()
	l, err := createNamed(ctx, filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	day := func(d, hour int) time.Time { return time.Date(2026, 11, d, hour, 0, 0, 0, time.UTC) }
	for _, r := range []ledger.Record{{Label: "a", Taken: day(1, 12)}, {Label: "b", Taken: day(2, 1)}, {Label: "a", Taken: day(2, 23)}, {Label: "a", Taken: day(5, 0)}} {
		r.Host, r.Place = "tern-point", root
		_, _, err := recording.Write(ctx, l, r, recording.NewSnapshot(s.Place()), source.Report{}, recording.Options{})
		require.NoError(t, err)
	}
	for text, want := range map[string]int64{"a": 4, "a:1": 3, "a:2": 1, "b": 2, "3": 3, "a:2026-11-30": 4, "a:2026-11-04": 3, "a:2026-11-02": 3, "a:2026-11-01": 1, "b:2026-11-02": 2} {
		ref, err := ledger.ParseReference(text, time.Now(), time.UTC)
		require.NoError(t, err)
		r, err := l.Find(ctx, ref)
		require.NoError(t, err, text)
		assert.Equal(t, want, r.Number, text)
	}
	for text, want := range map[string]error{"a:3": ledger.ErrNoRecord, "a:2026-10-31": ledger.ErrNoRecord, "9": ledger.ErrNoRecord, "c": ledger.ErrLabel} {
		ref, err := ledger.ParseReference(text, time.Now(), time.UTC)
		require.NoError(t, err)
		_, err = l.Find(ctx, ref)
		assert.ErrorIs(t, err, want, text)
	}
}

// Of several hosts, each has its own newest record of a label; those are late that have none for longer
// than twice the time that usually lies between two of theirs.
func TestFindAllAndLate(t *testing.T) {
	ctx := context.Background()
	root := t.TempDir()
	l, err := createNamed(ctx, filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	now := time.Date(2026, 11, 20, 6, 0, 0, 0, time.UTC)
	for _, one := range []struct {
		host, label string
		days        []int // before now
	}{
		{"daily", "etc", []int{4, 3, 2, 1, 0}},
		{"late", "etc", []int{8, 7, 6, 5, 3}},
		{"weekly", "etc", []int{16, 9}},
		{"once", "etc", []int{1}},         // others record once a day
		{"forgotten", "etc", []int{40}},   // so this one, too, should have
		{"other", "srv", []int{90}},       // nothing is known of how often that should be
		{"ahead", "etc", []int{1, 0, -3}}, // its clock is wrong
	} {
		for _, days := range one.days {
			r := ledger.Record{Host: one.host, Label: one.label, Place: root, Taken: now.AddDate(0, 0, -days)}
			_, _, err := recording.Write(ctx, l, r, recording.NewSnapshot(s.Place()), source.Report{}, recording.Options{})
			require.NoError(t, err)
		}
	}
	all := func(text string, hosts ...string) (found []string) {
		ref, err := ledger.ParseReference(text, time.Now(), time.UTC)
		require.NoError(t, err)
		records, err := l.FindAll(ctx, ref, hosts)
		if err != nil {
			return []string{err.Error()}
		}
		for _, r := range records {
			found = append(found, r.Host+" "+r.Taken.Format("01-02"))
		}
		return found
	}
	assert.Equal(t, []string{"ahead 11-23", "daily 11-20", "forgotten 10-11", "late 11-17", "once 11-19", "weekly 11-11"}, all("etc"))
	assert.Equal(t, []string{"daily 11-19", "late 11-15"}, all("etc:1", "late", "daily", "once"))
	assert.Equal(t, []string{"late 11-12", "weekly 11-11"}, all("etc:2026-11-12", "late", "weekly"))
	assert.Equal(t, []string{"there is no such label: nope; there are srv"}, all("nope", "other"))
	assert.Equal(t, []string{"there is no such record: no machine has more than 5 records of etc"}, all("etc:5"))
	assert.Equal(t, []string{"there is no such record: no machine has more than 1 record of etc"}, all("etc:1", "once", "forgotten"))
	ref, err := ledger.ParseReference("etc:1@weekly", time.Now(), time.UTC)
	require.NoError(t, err)
	r, err := l.Find(ctx, ref)
	require.NoError(t, err)
	assert.Equal(t, now.AddDate(0, 0, -16), r.Taken.UTC())

	late, err := l.Late(ctx, "", nil, now)
	require.NoError(t, err)
	var names []string
	for _, one := range late {
		names = append(names, one.Host)
	}
	assert.Equal(t, []string{"forgotten", "late"}, names)
	latest, err := l.Latest(ctx, []string{"late", "daily", "other"}, now)
	require.NoError(t, err)
	var told []string
	for _, one := range latest {
		told = append(told, fmt.Sprint(one.Host, " ", one.Taken.Format("01-02"), " ", one.Usual, " ", one.Late))
	}
	assert.Equal(t, []string{"daily 11-20 24h0m0s false", "late 11-17 24h0m0s true", "other 08-22 0s false"}, told)
	late, err = l.Late(ctx, "etc", []string{"weekly"}, now.AddDate(0, 0, 9))
	require.NoError(t, err)
	require.Len(t, late, 1)
	assert.Equal(t, 7*24*time.Hour, late[0].Usual)
}

// chosen reads what a request asks for, as paths with what is known, and counts.
func chosen(t *testing.T, s source.Source, request source.Request) ([]string, source.Report) {
	var mu sync.Mutex
	var got []string
	report, err := s.Read(context.Background(), request, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			mu.Lock()
			defer mu.Unlock()
			for _, e := range entries {
				words := []string{e.Path()[len(s.Place().Given):], e.Kind.String()}
				if request.Facts != 0 {
					words = append(words, e.Modified.Std().String(), e.Permissions.Octal())
				}
				if e.Inside != nil {
					words = append(words, "entered")
				}
				got = append(got, strings.Join(words, " "))
			}
			return nil
		}
	}))
	require.NoError(t, err)
	slices.Sort(got)
	return got, report
}

// large chooses entries by size, and what has an x in its name without asking for
// more.
type large struct{}

func (large) Needs() entry.Facts { return entry.FactStatus }
func (large) Test() source.Test {
	return func(e *entry.Entry, asked entry.Facts) source.Verdict {
		switch {
		case strings.Contains(e.Name, "x"):
			return source.Yes
		case e.Kind != entry.KindFile:
			return source.No
		case !asked.Has(entry.FactStatus):
			return source.Open
		case e.Size > 5:
			return source.Yes
		}
		return source.No
	}
}

// A record answers every request as the folder itself did.
func TestRecordAnswersAsTheFolder(t *testing.T) {
	root := t.TempDir()
	for name, size := range map[string]int{"a/x": 1, "a/.hidden/deep/y": 9, "a/b/c/d": 6, ".top": 7, "skipped/z": 8, "x/one": 2, "empty": 0} {
		path := filepath.Join(root, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, make([]byte, size), 0o640))
	}
	l, err := createNamed(context.Background(), filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	record(t, l, "other", t.TempDir())
	r := record(t, l, "weekly", root)
	require.NoError(t, os.Chmod(filepath.Join(root, "a/x"), 0o600))
	later := record(t, l, "weekly", root) // of two pieces
	require.NoError(t, os.Chmod(filepath.Join(root, "a/x"), 0o640))
	for _, rel := range []string{"", "a", "a/.hidden", "a/x"} {
		folder, err := live.Open(filepath.Join(root, rel), 0)
		require.NoError(t, err)
		recorded, err := replay.SourceOf(context.Background(), l, r, rel, "@weekly", 0)
		require.NoError(t, err)
		for _, condition := range []source.Condition{nil, large{}} {
			for _, wanted := range []entry.Facts{0, entry.FactStatus} {
				for _, depth := range []int{0, 1, 2, source.AllDepths} {
					for hidden := range source.OnlyHidden + 1 {
						for _, skip := range []func(*entry.Folder) bool{nil, func(f *entry.Folder) bool { return f.Name == "skipped" || f.Name == "c" }} {
							request := source.Request{Facts: wanted, Depth: depth, Hidden: hidden, Skip: skip, Condition: condition}
							want, wantReport := chosen(t, folder, request)
							got, report := chosen(t, recorded, request)
							require.Equal(t, want, got, "%+v", request)
							require.Equal(t, wantReport, report, "%+v", request)
						}
					}
				}
			}
		}
	}
	s, err := replay.SourceOf(context.Background(), l, later, "a", "@weekly", 0)
	require.NoError(t, err)
	got, _ := chosen(t, s, source.Request{Facts: entry.FactStatus, Depth: 1, Condition: large{}})
	require.Len(t, got, 1)
	assert.True(t, strings.HasSuffix(got[0], "0600"), got[0])

	// A visitor's error ends it, and so does the context.
	stop := errors.New("stop")
	_, err = s.Read(context.Background(), source.Request{Depth: 9}, source.SinkFunc(func() source.Visitor { return func([]entry.Entry) error { return stop } }))
	assert.ErrorIs(t, err, stop)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = s.Read(ctx, source.Request{Depth: 9}, source.Nowhere)
	assert.ErrorIs(t, err, context.Canceled)
	for _, rel := range []string{"nowhere", "a/x/y", "a/nowhere"} {
		_, err := replay.SourceOf(context.Background(), l, r, rel, "@weekly", 0)
		assert.ErrorIs(t, err, replay.ErrNoEntry, rel)
	}
}
