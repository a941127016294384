package render_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/checksum"
	"frankledger/core/digestlist"
	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
)

// rendered writes entries in a format as on a terminal of that width, and checks
// that no line is wider.
func rendered[R any](t *testing.T, v *report.View, f func(*report.View) render.Format[R], l row.Source[R], width int, s *report.Summary) string {
	v.Width, v.Escape = width, true
	var b bytes.Buffer
	require.NoError(t, render.All(&b, f(v), l, v.Frame(s)))
	for line := range strings.Lines(b.String()) {
		assert.LessOrEqual(t, typeset.Width(strings.TrimSuffix(line, "\n")), width, line)
	}
	return b.String()
}

// Digests are shown in groups of eight: beside the rest where there is room, else
// below, on as many lines as it takes.
func TestDigestsOnTerminal(t *testing.T) {
	digits := strings.Repeat("0123456789abcdef", 8)
	digest := row.DigitsColumn("digest", "", func(*entry.Entry) (string, bool) { return digits, true })
	table := func(v *report.View) render.Format[*entry.Entry] {
		return render.New(render.Table, v.View, append(columns("name", "size"), digest))
	}
	for width, lines := range map[int]int{200: 1, 90: 3, 60: 5, 25: 9} {
		out := rendered(t, view(), table, files("dawn.wav"), width, &report.Summary{})
		at := strings.Index(out, "  dawn.wav")
		require.Positive(t, at, out)
		row, _, _ := strings.Cut(out[at:], "\n\n")
		assert.Equal(t, lines, strings.Count(row, "\n")+1, out)
		assert.Contains(t, row, "01234567 89abcdef")
		assert.Equal(t, digits, strings.NewReplacer(" ", "", "\n", "").Replace(row[strings.Index(row, "01234567 "):]))
		assert.NotContains(t, out, "no room")
	}
	assert.Contains(t, write(t, "table", view(), append(columns("name"), digest), files("a")), digits, "elsewhere in one piece")
}

// The first difference of two digests is marked, wherever lines break.
func TestVerifiedMarksTheFirstDifference(t *testing.T) {
	folder := &entry.Folder{Place: &entry.Place{Given: "p", Full: "/full/p"}}
	expected := strings.Repeat("a", 128)
	for _, at := range []int{0, 7, 8, 35, 63, 64, 127} {
		sum := bytes.Repeat([]byte{0xaa}, 64)
		sum[at/2] ^= []byte{0x10, 0x01}[at%2]
		r := row.List[*checksum.Result]{{Status: checksum.Different,
			Line:  &digestlist.Line{Name: "x", Digest: digestlist.Digest{Hex: expected, Algorithms: entry.Algorithms[1:2]}},
			Entry: &entry.Entry{Folder: folder, Name: "x", More: &entry.More{Digests: entry.Digests{{Fact: entry.FactSHA512, Sum: string(sum)}}}}}}
		for _, width := range []int{200, 100, 60} {
			out := rendered(t, view(), report.NewVerified, r, width, &report.Summary{})
			lines := strings.Split(out, "\n")
			marks := 0
			for i, line := range lines {
				if column := strings.Index(line, "^"); column >= 0 {
					marks++
					assert.NotEqual(t, lines[i-1][column], lines[i-2][column], "%d %d\n%s", at, width, out)
					assert.Equal(t, lines[i-1][23:column], lines[i-2][23:column])
				}
			}
			assert.Equal(t, 1, marks, "%d %d\n%s", at, width, out)
		}
	}
}

// Lines at the end are broken between words, not in them.
func TestFootersFit(t *testing.T) {
	s := &report.Summary{Lead: "6 sets of files with the same content: 13 files, 7 spares", Notes: []string{"one more, which is not short at all either"}}
	for _, width := range []int{20, 40, 80} {
		table := func(v *report.View) render.Format[*entry.Entry] {
			return render.New(render.Table, v.View, columns("name"))
		}
		v := view()
		v.Places[0].Full = "/p"
		out := rendered(t, v, table, files("a"), width, s)
		assert.Equal(t, strings.Fields(s.Lead+" "+s.Notes[0]), strings.Fields(out)[2:], fmt.Sprint(width))
	}
}
