package ledger_test

import (
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/account"
	"frankledger/core/condition"
	"frankledger/core/condition/compile"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/internal/tuning"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/upkeep"
	"frankledger/core/source"
)

// whole is a condition that does not tell what it needs, so that everything is read.
type whole struct{ source.Condition }

// found returns what a record has that meets a condition, and what is reported.
func found(t *testing.T, l *ledger.Ledger, r ledger.Record, c source.Condition, hidden source.Hidden) (lines []string, report source.Report) {
	s, err := replay.SourceOf(t.Context(), l, r, "", "@x", 0)
	require.NoError(t, err)
	var mu sync.Mutex
	report, err = s.Read(context.Background(), source.Request{Condition: c, Facts: facts, Depth: source.AllDepths, Hidden: hidden}, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			mu.Lock()
			defer mu.Unlock()
			for _, e := range entries {
				inside := ""
				if e.Inside != nil {
					inside = fmt.Sprint(e.Inside.Path(), e.Inside.Unread())
				}
				lines = append(lines, fmt.Sprintf("%s %v %d %v %v %s", e.Path(), e.Kind, e.Size, e.Modified, e.Inode, inside))
			}
			return nil
		}
	}))
	require.NoError(t, err)
	slices.Sort(lines)
	report.Folders, report.Groups, report.GroupsRead = 0, 0, 0 // those read are fewer
	return lines, report
}

// A search that passes over most finds what one that reads everything does, and reports the
// same, whatever records there are and whichever were dropped.
func TestNarrowedSearch(t *testing.T) {
	defer tuning.NarrowAlways()()
	seed := rand.Uint64()
	t.Logf("seed %d", seed)
	random := rand.New(rand.NewPCG(seed, 5))
	root, file := t.TempDir(), filepath.Join(t.TempDir(), "ledger")
	l, err := createNamed(t.Context(), file)
	require.NoError(t, err)
	defer l.Close()
	syllables := []string{"da", "wn", "rec", "00", "7", "9", "É", "e\u0301", "ß", "_", " ", ".wav", ".csv", ".CSV", "ſ", "が", "\xff", "İ", "long"}
	word := func(n int) string {
		var b strings.Builder
		for range 1 + random.IntN(n) {
			b.WriteString(syllables[random.IntN(len(syllables))])
		}
		return b.String()
	}
	folders := []string{root}
	for range 60 {
		folder := filepath.Join(folders[random.IntN(len(folders))], []string{"", "", "", "."}[random.IntN(4)]+word(3))
		if os.Mkdir(folder, 0o755) == nil {
			folders = append(folders, folder)
		}
	}
	make1 := func(folder string) {
		path := filepath.Join(folder, []string{"", "", "", "."}[random.IntN(4)]+word(5))
		if os.WriteFile(path, make([]byte, random.IntN(1<<random.IntN(14))), 0o644) == nil {
			when := time.Now().Add(-time.Duration(random.IntN(1000)) * time.Hour)
			os.Chtimes(path, when, when)
			os.Chown(path, random.IntN(3), random.IntN(3))
		}
	}
	for range 1500 {
		make1(folders[random.IntN(len(folders))])
	}
	for range 700 { // of several parts
		make1(folders[len(folders)/2])
	}
	accounts := account.New()
	test := func() (narrowed int) {
		records, err := l.Records(t.Context())
		require.NoError(t, err)
		for range fewer(30) {
			r := records[random.IntN(len(records))]
			var parts []string
			for range 1 + random.IntN(3) {
				part := []string{"name has " + quoted(word(3)), "name starts " + quoted(word(2)), "name ends " + quoted(word(2)), "name is " + quoted(word(4)),
					"name like " + quoted("*"+word(2)+"?"+word(2)+"*"), "name matches " + quoted("[0-9]+"+regexpOf(word(2))), "ext is wav,csv", "size over " + fmt.Sprint(random.IntN(9000)) + "B",
					"size between 10B and " + fmt.Sprint(10+random.IntN(90)) + "B", "modified within " + fmt.Sprint(random.IntN(900)) + " hours", "not name has " + quoted(word(1)), "kind is folder",
					"uid is " + fmt.Sprint(random.IntN(4)), "group is " + fmt.Sprint(random.IntN(4)), "age over 20 days", "stem ends " + quoted(word(2)), "size missing", "depth over 2"}[random.IntN(18)]
				parts = append(parts, part)
			}
			text := strings.Join(parts, []string{" and ", " or "}[random.IntN(2)])
			c, err := condition.Parse([]string{text})
			require.NoError(t, err, text)
			p, err := compile.Condition(c, &condition.Environment{AsOf: time.Now(), Zone: time.UTC, MatchCase: random.IntN(3) == 0, Accounts: accounts})
			require.NoError(t, err, text)
			hidden := []source.Hidden{source.ShowHidden, source.OmitHidden}[random.IntN(2)]
			want, wantReport := found(t, l, r, whole{p}, hidden)
			got, report := found(t, l, r, p, hidden)
			require.Equal(t, want, got, "%s in record %d", text, r.Number)
			require.Equal(t, wantReport, report, text)
			if p.Need() != nil && len(want) > 0 {
				narrowed++
			}
		}
		return narrowed
	}
	narrowed := 0
	for step := range 6 {
		if step == 3 {
			defer tuning.LayOften()()
		}
		record(t, l, "x", root)
		narrowed += test()
		edit(t, random, root, 40)
		if step > 1 {
			records, err := l.Records(t.Context())
			require.NoError(t, err)
			require.NoError(t, upkeep.Drop(t.Context(), l, records[random.IntN(len(records))].Number))
			test()
			require.NoError(t, upkeep.Compact(t.Context(), l))
			test()
		}
	}
	assert.Greater(t, narrowed, fewer(30)/3)
}

func quoted(text string) string { return "\"" + strings.ReplaceAll(text, "\"", "") + "\"" }

func regexpOf(text string) string {
	return strings.ReplaceAll(strings.ToValidUTF8(text, ""), ".", "\\.")
}

// A search does without summaries that are damaged, and a check finds these, also where
// they read well.
func TestDamagedSummaries(t *testing.T) {
	fileOnly(t)
	defer tuning.NarrowAlways()()
	root, file := t.TempDir(), filepath.Join(t.TempDir(), "ledger")
	for i := range 300 {
		require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprint("note-", i)), nil, 0o644))
	}
	l, err := createNamed(t.Context(), file)
	require.NoError(t, err)
	r := record(t, l, "x", root)
	require.NoError(t, l.Close())
	c, err := condition.Parse([]string{"name has note-29"})
	require.NoError(t, err)
	p, err := compile.Condition(c, &condition.Environment{AsOf: time.Now(), Zone: time.UTC})
	require.NoError(t, err)
	for _, damage := range []string{"", "UPDATE band_part SET content = zeroblob(length(content)) WHERE id % 8192 < 6", "UPDATE band_part SET content = x''", "DELETE FROM band_part", "UPDATE band SET packed = x'ff'"} {
		db, err := sql.Open("sqlite", file)
		require.NoError(t, err)
		_, err = db.Exec(damage)
		require.NoError(t, err)
		require.NoError(t, db.Close())
		l, err := openNamed(t.Context(), file)
		require.NoError(t, err)
		lines, report := found(t, l, r, p, source.ShowHidden)
		assert.Len(t, lines, 11, damage)
		assert.EqualValues(t, 300, report.Tested)
		faults, err := upkeep.Check(t.Context(), l)
		assert.Equal(t, damage == "", err == nil && len(faults) == 0, "%s: %v", damage, faults)
		require.NoError(t, l.Close())
	}
}
