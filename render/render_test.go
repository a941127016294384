package render_test

import (
	"bytes"
	"encoding/base64"
	stdcsv "encoding/csv"
	stdjson "encoding/json"
	"io"
	"os/exec"
	"strings"
	"testing"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

func TestSizes(t *testing.T) {
	for _, c := range []struct {
		bytes                   int64
		binary, decimal, everyB string
	}{
		{0, "0 B", "0 B", "0 B"},
		{999, "999 B", "999 B", "999 B"},
		{1000, "1000 B", "1.0 kB", "1 000 B"},
		{1024, "1.0 KiB", "1.0 kB", "1 024 B"},
		{1536, "1.5 KiB", "1.5 kB", "1 536 B"},
		{1<<20 - 1, "1.0 MiB", "1.0 MB", "1 048 575 B"},
		{1023 * 1024, "1023.0 KiB", "1.0 MB", "1 047 552 B"},
		{10*1<<30 + 1<<29, "10.5 GiB", "11.3 GB", "11 274 289 152 B"},
		{1<<63 - 2, "8.0 EiB", "9.2 EB", "9 223 372 036 854 775 806 B"},
		{1<<63 - 1, "≥ 8.0 EiB", "≥ 9.2 EB", "≥ 9 223 372 036 854 775 807 B"},
	} {
		assert.Equal(t, c.binary, units.Binary.SizeText(c.bytes))
		assert.Equal(t, c.decimal, units.Decimal.SizeText(c.bytes))
		assert.Equal(t, c.everyB, units.AllBytes.SizeText(c.bytes))
	}
}

func TestSpans(t *testing.T) {
	for d, want := range map[time.Duration]string{
		0: "0 seconds", time.Second: "1 second", 119 * time.Second: "119 seconds", 2 * time.Minute: "2 minutes",
		119 * time.Minute: "119 minutes", 47 * time.Hour: "47 hours", 48 * time.Hour: "2 days", 59 * 24 * time.Hour: "59 days",
		700 * 24 * time.Hour: "700 days",
	} {
		assert.Equal(t, want, units.Span(d))
	}
}

// Months and years are those of the calendar.
func TestRelativeTimes(t *testing.T) {
	v := view()
	v.Zone = time.UTC
	for _, c := range []struct{ modified, asOf, want string }{
		{"2026-11-23T12:00:00Z", "2026-11-23T12:00:00Z", "just now"},
		{"2026-11-23T11:59:50.5Z", "2026-11-23T12:00:00Z", "just now"},
		{"2026-11-23T11:59:50Z", "2026-11-23T12:00:00Z", "10 seconds ago"},
		{"2026-11-23T12:00:00.1Z", "2026-11-23T12:00:00Z", "a moment ahead"},
		{"2026-11-23T12:00:01Z", "2026-11-23T12:00:00Z", "1 second ahead"},
		{"2026-09-24T12:00:00Z", "2026-11-23T12:00:00Z", "60 days ago"},
		{"2026-09-23T12:00:00Z", "2026-11-23T12:00:00Z", "2 months ago"},
		{"2025-11-23T12:00:00Z", "2026-11-23T12:00:00Z", "12 months ago"},
		{"2025-11-23T12:00:01Z", "2026-11-23T12:00:00Z", "11 months ago"},
		{"2024-11-23T12:00:00Z", "2026-11-23T12:00:00Z", "2 years ago"},
		{"2020-02-29T00:00:00Z", "2026-02-28T00:00:00Z", "5 years ago"},
		{"1700-01-01T00:00:00Z", "2026-02-28T00:00:00Z", "326 years ago"},
		{"2033-11-23T12:00:00Z", "2026-11-23T12:00:00Z", "7 years ahead"},
	} {
		modified, err := time.Parse(time.RFC3339, c.modified)
		require.NoError(t, err)
		v.Context.AsOf, err = time.Parse(time.RFC3339, c.asOf)
		require.NoError(t, err)
		l := files("n")
		l[0].Modified = entry.TimeOf(modified)
		assert.Contains(t, write(t, "table", v, columns("modified"), l), c.want)
	}
}

func TestEscaped(t *testing.T) {
	for text, want := range map[string]string{
		"plain - ünï 干潟 [x]": "plain - ünï 干潟 [x]",
		"a\nb\tc\rd":         `a\nb\tc\rd`,
		"\x1b]0;title\x07":   `\x1b]0;title\x07`,
		`back\slash`:         `back\\slash`,
		"\xff\xfe":           `\xff\xfe`,
		"\u009b31m":          `\u009b31m`,
		"turn\u202eround":    `turn\u202eround`,
		"tag\U000e0041":      `tag\U000e0041`,
		"family 👨‍👩‍👧":       "family 👨‍👩‍👧",
	} {
		assert.Equal(t, want, typeset.Escaped(text))
	}
}

func FuzzEscaped(f *testing.F) {
	f.Add("a\x1b[2Jb")
	f.Fuzz(func(t *testing.T, text string) {
		escaped := typeset.Escaped(text)
		require.True(t, utf8.ValidString(escaped))
		for _, r := range escaped {
			require.False(t, unicode.IsControl(r) || unicode.In(r, unicode.Zl, unicode.Zp), "%q", escaped)
		}
	})
}

func FuzzShorten(f *testing.F) {
	f.Add("a very long name indeed.wav", 12)
	f.Add("干潟の鳥の声.wav", 7)
	f.Fuzz(func(t *testing.T, text string, limit int) {
		text, limit = typeset.Escaped(text), limit%200
		short := typeset.Shorten(text, limit)
		if typeset.Width(text) <= limit {
			require.Equal(t, text, short)
			return
		}
		require.LessOrEqual(t, typeset.Width(short), max(limit, 0))
	})
}

// What is pasted into a shell is the same text, and nothing in it acts on a terminal.
func TestShellQuoted(t *testing.T) {
	bash, err := exec.LookPath("bash")
	if err != nil {
		t.Skip("there is no bash")
	}
	for _, text := range []string{"", "plain", "a b", "it's", "e\x1b[31mvil", "line\nbreak", "\xff\xfe", `back\slash`, "it's \x07 `x` $y \\ \u202e", "\x7f'"} {
		quoted := typeset.ShellQuoted(text)
		assert.NotContains(t, quoted, "\x1b")
		assert.NotContains(t, quoted, "\n")
		out, err := exec.Command(bash, "-c", "printf %s "+quoted).Output()
		require.NoError(t, err)
		assert.Equal(t, text, string(out), quoted)
	}
}

func TestShortenKeepsTheExtension(t *testing.T) {
	assert.Equal(t, "a very…ed.wav", typeset.Shorten("a very long name indeed.wav", 13))
	assert.Equal(t, "…", typeset.Shorten("name", 1))
	assert.Empty(t, typeset.Shorten("name", 0))
}

func view() *report.View {
	return &report.View{
		Places: []*entry.Place{{Given: "p", Full: "/full/p"}},
		View:   &render.View{Context: &entry.Context{AsOf: time.Unix(1e9, 0), Accounts: accounts{}}, Zone: time.UTC},
	}
}

// columns are fields of entries as columns.
func columns(names ...string) []row.Column[*entry.Entry] {
	return entry.ColumnsNamed(view().Context, names...)
}

type accounts struct{}

func (accounts) UserDoubted(uint32) bool     { return false }
func (accounts) GroupDoubted(uint32) bool    { return false }
func (accounts) User(uint32) (string, bool)  { return "mara", true }
func (accounts) Group(uint32) (string, bool) { return "reeds", true }

type list []entry.Entry

func (l list) Len() int              { return len(l) }
func (l list) At(i int) *entry.Entry { return &l[i] }

func files(names ...string) list {
	root := &entry.Folder{Place: &entry.Place{Given: "p", Full: "/full/p"}}
	var l list
	for i, name := range names {
		l = append(l, entry.Entry{Folder: root, Name: name, Kind: entry.KindFile, Known: entry.FactStatus,
			Size: int64(i) * 1000, Permissions: 0o640, Modified: entry.Time{Sec: 1e9 - int64(i)*86400*30}})
	}
	return l
}

func write(t *testing.T, format string, v *report.View, columns []row.Column[*entry.Entry], l row.Source[*entry.Entry]) string {
	var b bytes.Buffer
	require.NoError(t, render.All(&b, render.New(render.FormNamed(format), v.View, columns), l, v.Frame(&report.Summary{})))
	return b.String()
}

// Whatever a name is, the formats for programs give its exact bytes back.
func FuzzNamesComeBack(f *testing.F) {
	f.Add("a,b\"c\r\n", "\xff\u2028\x1b")
	f.Add("plain", "back\\slash \"quoted\"")
	f.Fuzz(func(t *testing.T, a, b string) {
		if a == "" || b == "" {
			return
		}
		l := files(a, b)
		v, shown := view(), columns("path", "name", "size", "owner")

		reader := stdcsv.NewReader(strings.NewReader(strings.ReplaceAll(write(t, "csv", v, shown, l), "\r\n", "\n")))
		rows, err := reader.ReadAll()
		require.NoError(t, err)
		for i, name := range []string{a, b} {
			name = strings.ReplaceAll(name, "\r\n", "\n") // as the reader does in quotes
			require.Equal(t, []string{"p/" + name, name}, rows[i+1][:2])
		}

		decoder := stdjson.NewDecoder(strings.NewReader(write(t, "jsonl", v, shown, l)))
		for _, name := range []string{a, b} {
			var row map[string]any
			require.NoError(t, decoder.Decode(&row))
			if utf8.ValidString(name) {
				require.Equal(t, name, row["name"])
				require.NotContains(t, row, "name_base64")
				continue
			}
			exact, err := base64.StdEncoding.DecodeString(row["path_base64"].(string))
			require.NoError(t, err)
			require.Equal(t, "p/"+name, string(exact))
		}
		require.Equal(t, "p/"+a+"\x00p/"+b+"\x00", write(t, "paths0", v, shown, l))
	})
}

// Each byte, at each place in a long name, comes back.
func TestJSONOfEveryByte(t *testing.T) {
	var names []string
	for c := range 256 {
		for at := range 17 {
			name := []byte("seventeen letters")
			name[at] = byte(c)
			names = append(names, string(name))
		}
	}
	decoder := stdjson.NewDecoder(strings.NewReader(write(t, "jsonl", view(), columns("name"), files(names...))))
	for _, name := range names {
		var row struct {
			Name string
			Raw  []byte `json:"name_base64"`
		}
		require.NoError(t, decoder.Decode(&row), "%q", name)
		if !utf8.ValidString(name) {
			row.Name = string(row.Raw)
		}
		require.Equal(t, name, row.Name)
	}
}

func TestJSONDocument(t *testing.T) {
	var document struct {
		Place    string
		Entries  []map[string]any
		Summary  map[string]any
		Problems []any
	}
	for _, l := range []list{nil, files("one"), files(strings.Split(strings.Repeat("n,", 3000), ",")...)} {
		require.NoError(t, stdjson.Unmarshal([]byte(write(t, "json", view(), columns("name", "size", "modified", "mode", "target", "hidden"), l)), &document))
		assert.Equal(t, "/full/p", document.Place)
		assert.Len(t, document.Entries, len(l))
		assert.Equal(t, float64(len(l)), document.Summary["shown"])
		assert.Equal(t, true, document.Summary["complete"])
	}
	assert.Equal(t, map[string]any{"name": "n", "size": 1000.0, "modified": "2001-08-10T01:46:40.000000000Z", "mode": "0640", "target": nil, "hidden": false},
		document.Entries[1])
}

func TestTable(t *testing.T) {
	l := files("read me.txt", "\x1b[31mred", "干潟.wav")
	assert.Equal(t, `/full/p

  name         size      modified       permissions  owner
  read me.txt     0 B    just now       rw- r-- ---  mara
  \x1b[31mred  1000 B      30 days ago  rw- r-- ---  mara
  干潟.wav      2.0 KiB    60 days ago  rw- r-- ---  mara

0 entries
`, write(t, "table", view(), columns("name", "size", "modified", "permissions", "owner"), l))
}

// However narrow the screen, no row is wider, and what is left out is said.
func TestTableFits(t *testing.T) {
	l := files("a rather long name of a recording.wav", "干潟の鳥の声を聞く.wav", "b")
	for width := 5; width < 120; width++ {
		v, shown := view(), columns("name", "kind", "size", "modified", "permissions", "owner")
		v.Width = width
		out := write(t, "table", v, shown, l)
		rows, _, _ := strings.Cut(strings.TrimPrefix(out, "/full/p\n\n"), "\n\n")
		for _, row := range strings.Split(rows, "\n") {
			require.LessOrEqual(t, typeset.Width(row), max(width, 7), out)
		}
		require.Equal(t, !strings.Contains(rows, "mara"), strings.Contains(strings.Join(strings.Fields(out), " "), "this screen is too narrow for"), out)
	}
	// What rows are sorted by goes last.
	v := view()
	v.Width, v.Sorted = 60, []string{"owner"}
	out := write(t, "table", v, columns("name", "size", "modified", "permissions", "owner"), l)
	assert.Contains(t, out, "mara")
	assert.Contains(t, out, "this screen is too narrow for modified, permissions")
}

// Columns that were asked for are all there on any screen: names are shortened first, and
// then rows take more lines.
func TestTableFitsWhatWasAskedFor(t *testing.T) {
	l := files("a rather long name of a recording.wav", "b")
	for width := 24; width < 120; width++ {
		v, shown := view(), columns("name", "kind", "size", "modified", "permissions", "owner")
		v.Width, v.Every = width, true
		out := write(t, "table", v, shown, l)
		rows, _, _ := strings.Cut(strings.TrimPrefix(out, "/full/p\n\n"), "\n\n")
		for _, row := range strings.Split(rows, "\n") {
			require.LessOrEqual(t, typeset.Width(row), width, out)
		}
		require.Equal(t, 2, strings.Count(rows, "mara"), out)
		require.Equal(t, 2, strings.Count(rows, "rw- r-- ---"), out)
		require.NotContains(t, out, "no room")
		require.Regexp(t, `(?m)^  a rather [^ ]?`, out)
	}
}

func TestMarkdownIsLiteral(t *testing.T) {
	out := write(t, "markdown", view(), columns("name"), files("a|b*c_d`e<f>[g]\n"))
	assert.Contains(t, out, `| a\|b\*c\_d`+"\\`"+`e\<f\>\[g\]\\n |`)
}

// Rows streamed by several visitors are whole, and all there.
func TestStream(t *testing.T) {
	for _, format := range render.Forms {
		if format == render.HTML {
			continue // a page says first what there is
		}
		v := view()
		var b bytes.Buffer
		summary := &report.Summary{}
		s := render.NewStream(&b, render.New(format, v.View, columns("path", "size")), v.Frame(summary), 0)
		one, two := s.Visitor(), s.Visitor()
		for range 2000 {
			require.NoError(t, one(files("left")))
			require.NoError(t, two(files("right")))
		}
		require.NoError(t, s.End())
		assert.EqualValues(t, 4000, summary.Shown)
		assert.Equal(t, 2000, strings.Count(b.String(), "left"), format.Name)
		assert.Equal(t, 2000, strings.Count(b.String(), "right"), format.Name)
		if format == render.JSON {
			assert.True(t, stdjson.Valid(b.Bytes()))
		}
	}
}

func TestStreamFirst(t *testing.T) {
	var b bytes.Buffer
	s := render.NewStream(&b, render.New(render.Paths, view().View, columns("path")), view().Frame(&report.Summary{}), 2)
	require.NoError(t, s.Visitor()(files("a", "b", "c")))
	require.NoError(t, s.End())
	assert.Equal(t, "p/a\np/b\n", b.String())
}

func TestWriteErrorsComeBack(t *testing.T) {
	for _, format := range render.Forms {
		l := files(strings.Split(strings.Repeat("n,", 9000), ",")...)
		assert.ErrorIs(t, render.All(failing{}, render.New(format, view().View, columns("path", "name")), l, view().Frame(&report.Summary{})), io.ErrShortWrite, format.Name)
	}
}

type failing struct{}

func (failing) Write([]byte) (int, error) { return 0, io.ErrShortWrite }
