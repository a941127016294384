// Package rendertest holds every format to what a format is.
package rendertest

import (
	"bytes"
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/exact"
	"frankledger/core/row"
	"frankledger/render"
)

// Row is what the formats are tried with.
type Row struct {
	Path string
	Size int64
}

// Columns are those of such rows.
func Columns() []row.Column[*Row] {
	text := func(name string) row.Column[*Row] {
		return row.TextColumn(name, "where it is", func(r *Row) (string, bool) { return r.Path, true })
	}
	return []row.Column[*Row]{text("path"), text("full_path"), text("digest"), row.NumberColumn("size", "bytes", row.Bytes, func(r *Row) (int64, bool) { return r.Size, r.Size > 0 })}
}

// frame has nothing to say around the rows.
type frame struct{ rows, total int64 }

func (f *frame) Heading() []render.Line { return nil }
func (f *frame) Footer() []render.Line  { return nil }
func (f *frame) Before(o *exact.Object) { o.Text("place", "/p") }
func (f *frame) After(o *exact.Object)  { o.Number("shown", f.rows) }
func (f *frame) Base() string           { return "" }
func (f *frame) Problems() []string     { return nil }
func (f *frame) Wrote(rows int64)       { f.rows = rows }
func (f *frame) Rows() int64            { return f.rows }
func (f *frame) Total() int64           { return f.total }

// Test holds a format, which the function makes anew each time, to what a format is: rows are written in
// their order, each whole and once, on however many cores; measured in parts they are laid out as measured at once; and
// nothing in a name ends a row, or acts on a terminal.
func Test(t *testing.T, fresh func() render.Format[*Row]) {
	for _, count := range []int{0, 1, 3, 1300} {
		t.Run(fmt.Sprint(count, " rows"), func(t *testing.T) {
			t.Parallel()
			var rows row.List[*Row]
			for i := range count {
				rows = append(rows, &Row{fmt.Sprintf("n%07dz", i), int64(i) * 1000})
			}
			want := byHand(fresh(), rows)
			var got bytes.Buffer
			require.NoError(t, render.All(&got, fresh(), rows, &frame{total: int64(count)}))
			assert.Equal(t, want, got.String())
			at := 0
			f := fresh()
			limit := count
			if l, is := f.(render.Limited[*Row]); is {
				limit = min(limit, l.Most())
			}
			for i := range limit {
				name := rows[i].Path
				next := strings.Index(got.String()[at:], name)
				if next < 0 && strings.HasPrefix(got.String(), fmt.Sprint(count)) { // it only counts
					break
				}
				require.GreaterOrEqual(t, next, 0, "%s is there, after the one before", name)
				at += next + len(name)
			}
		})
	}
	t.Run("names that act", func(t *testing.T) {
		t.Parallel()
		plain, hostile := &Row{"plain", 1}, &Row{"a\x1b[31m\u202eb\u2028</td><script>\xff", 1}
		f := fresh()
		if m, is := f.(render.Measurer[*Row]); is {
			m.Measure(plain)
			m.Measure(hostile)
		}
		f.Begin(nil, &frame{})
		out := string(f.Row(nil, hostile))
		assert.NotContains(t, out, "<script>\xff</td>")
		assert.Equal(t, bytes.Count(f.Row(nil, plain), []byte("\n")), strings.Count(out, "\n"), "%q", out)
	})
	t.Run("several at once", func(t *testing.T) {
		t.Parallel()
		f, r := fresh(), &Row{"one", 5}
		if m, is := f.(render.Measurer[*Row]); is {
			m.Measure(r)
		}
		f.Begin(nil, &frame{})
		want := string(f.Row(nil, r))
		var group sync.WaitGroup
		for range 8 {
			group.Go(func() {
				for range 200 {
					if got := string(f.Row(nil, r)); got != want {
						t.Errorf("%q, and at once %q", want, got)
						return
					}
				}
			})
		}
		group.Wait()
	})
}

// byHand writes rows one after the other, as the faces of the format say.
func byHand(f render.Format[*Row], rows row.List[*Row]) string {
	shown := rows
	limited, isLimited := f.(render.Limited[*Row])
	if isLimited && len(rows) > limited.Most() {
		shown = rows[:limited.Most()]
	}
	if m, is := f.(render.Measurer[*Row]); is {
		for _, r := range shown {
			m.Measure(r)
		}
	}
	around := &frame{rows: int64(len(rows)), total: int64(len(rows))}
	dst := f.Begin(nil, around)
	for i, r := range shown {
		if s, is := f.(render.Separated); is && i > 0 {
			dst = append(dst, s.Separator()...)
		}
		if g, is := f.(render.Grouped); is && i > 0 && i%g.Each() == 0 {
			dst = g.NextGroup(dst)
		}
		dst = f.Row(dst, r)
	}
	if len(shown) < len(rows) {
		dst = limited.Left(dst, rows, len(shown))
	}
	return string(f.End(dst, around))
}
