package ledger_test

import (
	"compress/gzip"
	"context"
	"io"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/condition"
	"frankledger/core/condition/compile"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/internal/tuning"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/upkeep"
	"frankledger/core/source"
)

// fixture unpacks a ledger that an earlier program wrote, and returns its path.
func fixture(t *testing.T, name string) string {
	path := filepath.Join(t.TempDir(), "ledger.sqlite")
	packed, err := os.Open(filepath.Join("testdata", name))
	require.NoError(t, err)
	defer packed.Close()
	unpacked, err := gzip.NewReader(packed)
	require.NoError(t, err)
	content, err := io.ReadAll(unpacked)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(path, content, 0o644))
	return path
}

// A ledger of version 2 had no summaries; it gets them, with nothing else changed.
func TestFromVersion2(t *testing.T) {
	defer tuning.NarrowAlways()()
	ctx := context.Background()
	l, err := ledger.Open(ctx, fixture(t, "version2.sqlite.gz"))
	require.NoError(t, err)
	defer l.Close()
	faults, err := upkeep.Check(ctx, l)
	require.NoError(t, err)
	assert.Empty(t, faults)
	records, err := l.Records(ctx)
	require.NoError(t, err)
	others := map[int64]string{
		1: ".hid .hid/secret counts counts/a.csv counts/latest counts/old counts/old/b.csv notes notes/rota.md",
		3: ".hid .hid/secret counts counts/a.csv counts/latest counts/old counts/old/c.csv counts/rota.md notes notes/new.md",
		4: ".hid .hid/secret counts counts/a.csv counts/latest counts/old counts/old/c.csv counts/rota.md counts/z notes notes/new.md",
	}
	require.Len(t, records, len(others))
	for _, r := range records {
		all := recorded(t, l, r)
		var got []string
		for path := range all {
			if !strings.Contains(path, "note-") {
				got = append(got, path)
			}
		}
		sort.Strings(got)
		assert.Equal(t, others[r.Number], strings.Join(got, " "))
		assert.EqualValues(t, r.Entries, len(all))
		for text, want := range map[string]int{"name is note-7.md": map[bool]int{true: 1}[r.Number == 1], "name has note-27": 11 - map[bool]int{false: 1}[r.Number == 1], "ext is csv": 2} {
			c, err := condition.Parse([]string{text})
			require.NoError(t, err)
			p, err := compile.Condition(c, &condition.Environment{AsOf: r.Taken, Zone: r.Taken.Location()})
			require.NoError(t, err)
			lines, report := found(t, l, r, p, source.ShowHidden)
			assert.Len(t, lines, want, "%s in record %d", text, r.Number)
			assert.Equal(t, r.Entries, report.Tested)
		}
	}
}

// A ledger that version 1 wrote, with a record dropped and a folder that could
// not be read in another, is read as it was, and can be written on.
func TestFromVersion1(t *testing.T) {
	ctx := context.Background()
	path := fixture(t, "version1.sqlite.gz")
	l, err := ledger.Open(ctx, path)
	require.NoError(t, err)
	defer l.Close()
	records, err := l.Records(ctx)
	require.NoError(t, err)
	want := map[int64]string{
		1: "counts counts/a.csv:3 counts/latest>a.csv counts/old counts/old/b.csv:4 notes notes/br\xffken:1 notes/rota.md:2 shut shut/d:2",
		3: "counts counts/a.csv:3 counts/latest>a.csv counts/rota.md:2 notes notes/br\xffken:1 notes/new.md:8 shut",
		4: "counts counts/a.csv:3 counts/latest>a.csv counts/rota.md:2 notes notes/br\xffken:1 notes/new.md:8 shut shut/d:2",
		5: "a.csv:3 latest>a.csv rota.md:2",
	}
	require.Len(t, records, len(want))
	for _, r := range records {
		assert.Equal(t, "tern-point", r.Host)
		s, err := replay.SourceOf(ctx, l, r, "", "@x", 0)
		require.NoError(t, err)
		var mu sync.Mutex
		var got []string
		report, err := s.Read(ctx, source.Request{Facts: facts, Depth: source.AllDepths}, source.SinkFunc(func() source.Visitor {
			return func(entries []entry.Entry) error {
				mu.Lock()
				defer mu.Unlock()
				for _, e := range entries {
					word := strings.TrimPrefix(e.Path(), "@x/")
					if e.HasSize() {
						word += ":" + string(rune('0'+e.Size))
					}
					if e.Kind == entry.KindLink {
						word += ">" + e.More.Target
					}
					got = append(got, word)
				}
				return nil
			}
		}))
		require.NoError(t, err)
		sort.Strings(got)
		assert.Equal(t, want[r.Number], strings.Join(got, " "))
		if r.Number == 3 {
			require.Len(t, report.Problems, 1)
			assert.Equal(t, "@x/shut", report.Problems[0].Path)
		} else {
			assert.Empty(t, report.Problems)
		}
	}
	faults, err := upkeep.Check(ctx, l)
	require.NoError(t, err)
	assert.Empty(t, faults)
	require.NoError(t, l.Close())
	l, err = ledger.Create(ctx, path)
	require.NoError(t, err)
	for _, number := range []int64{1, 4} {
		require.NoError(t, upkeep.Drop(ctx, l, number))
		faults, err := upkeep.Check(ctx, l)
		require.NoError(t, err)
		assert.Empty(t, faults)
	}
	record(t, l, "weekly", t.TempDir())
}
