package cli_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/internal/browser"
)

// column is an expression for the words of a column, of the rows that are shown.
func column(n int) string {
	return fmt.Sprintf("[...document.querySelectorAll('table.rows tbody tr')].filter(r => !r.hidden).map(r => r.cells[%d].textContent).join('|')", n)
}

// paged has a command write a page, and opens it.
func paged(t *testing.T, b *browser.Browser, root string, s browser.Settings, line ...string) *browser.Page {
	file := filepath.Join(t.TempDir(), "page.html")
	r := finish(t, command(t, root, append([]string{line[0], "--to", file, "--as", "html"}, line[1:]...)...))
	require.Contains(t, []int{0, 1, 3}, r.status, r.err)
	return b.Open(t, file, s)
}

// quietly fails if the page said anything on the console, or loaded anything beside itself.
func quietly(t *testing.T, p *browser.Page) {
	assert.Empty(t, p.Errors())
	assert.Len(t, p.Requests(), 1, "nothing but the page itself")
}

func TestPageSortsAndFilters(t *testing.T) {
	t.Parallel()
	b := browser.Start(t)
	root := t.TempDir()
	for name, size := range map[string]int{"item-9": 2000, "item-10": 100, "Apple": 30, "pear tree": 4, "tree pear": 5} {
		path := filepath.Join(root, name)
		require.NoError(t, os.WriteFile(path, make([]byte, size), 0o644))
		moment := time.Unix(int64(1_700_000_000+size*86400), 0)
		require.NoError(t, os.Chtimes(path, moment, moment))
	}
	require.NoError(t, os.Mkdir(filepath.Join(root, "in"), 0o755))
	p := paged(t, b, root, browser.Settings{}, "list", ".", "--columns", "name,size,modified")
	assert.Equal(t, "in|Apple|item-9|item-10|pear tree|tree pear", strings.ReplaceAll(p.Text(column(0)), "Apple|in|", "in|Apple|"))
	click := func(n int) {
		p.Eval(fmt.Sprintf("document.querySelectorAll('thead button')[%d].click()", n), nil)
	}
	sorted := func(n int) string {
		return p.Text(fmt.Sprintf("document.querySelectorAll('thead th')[%d].getAttribute('aria-sort')", n))
	}
	click(1)
	assert.Equal(t, "item-9|item-10|Apple|tree pear|pear tree|in", p.Text(column(0)), "the largest first, what has no size last")
	assert.Equal(t, "descending", sorted(1))
	click(1)
	assert.Equal(t, "pear tree|tree pear|Apple|item-10|item-9|in", p.Text(column(0)))
	assert.Equal(t, "ascending", sorted(1))
	click(0)
	assert.Equal(t, "Apple|in|item-9|item-10|pear tree|tree pear", p.Text(column(0)), "numbers in names by what they are")
	assert.Equal(t, "null", sorted(1))
	click(2)
	assert.Equal(t, "item-9|in|item-10|Apple|tree pear|pear tree", p.Text(column(0)), "the newest first")

	// Words in any order, and the keys.
	p.Press("/")
	assert.Equal(t, "INPUT", p.Text("document.activeElement.tagName"))
	p.Type("tree PEAR")
	p.Wait("document.querySelector('output').textContent === '2 of 6 rows'")
	assert.Equal(t, "tree pear|pear tree", p.Text(column(0)))
	p.Press("ArrowDown")
	assert.Equal(t, "tree pear", p.Text("document.querySelector('tr.here').cells[0].textContent"))
	assert.Contains(t, p.Text("document.querySelector('.exact').textContent"), "size: 5 bytes")
	p.Press("ArrowDown")
	assert.Equal(t, "pear tree", p.Text("document.querySelector('tr.here').cells[0].textContent"))
	p.Eval("window.took = ''; navigator.clipboard.writeText = async text => { window.took = text; }", nil)
	p.Press("c")
	p.Wait("window.took !== ''")
	assert.Equal(t, filepath.Join(root, "pear tree"), p.Text("window.took"))
	p.Press("/")
	p.Press("Escape")
	p.Wait("document.querySelector('output').textContent === '6 rows'")
	quietly(t, p)

	// Everything that can be reached has a name, headings come in order, and cells have heads.
	assert.Equal(t, "0", p.Text("[...document.querySelectorAll('button, input')].filter(e => !(e.textContent.trim() || e.labels && e.labels.length)).length"))
	assert.Equal(t, "3", p.Text("document.querySelectorAll('th[scope=col]').length"))
	assert.Equal(t, "en", p.Text("document.documentElement.lang"))
}

// namesForPages would act on a page that took them for anything but names.
var namesForPages = []string{"<img src=x onerror=window.bad=1>", "\"><b>bold", "'", "a\nb", "\u202egnp.exe", "\xff\xfe", "&lt;b&gt;&amp;", "]]>", "<!--", "javascript:window.bad=1",
	strings.Repeat("が", 85), "\x1b[31mred", "x onload=window.bad=1"}

func TestPageTakesNamesForNames(t *testing.T) {
	t.Parallel()
	b := browser.Start(t)
	root := t.TempDir()
	for _, name := range namesForPages {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(name), 0o644))
	}
	require.NoError(t, os.MkdirAll(filepath.Join(root, "<", "script><script>window.bad=1<"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(root, "<", "script><script>window.bad=1<", "script>"), nil, 0o644))
	other := t.TempDir()
	for _, line := range [][]string{{"list", ".", "--depth", "all"}, {"search", ".", "where", "size", "over", "0"}, {"weigh", ".", "--heaviest", "20"}, {"tally", ".", "--by", "ext"}, {"outline", ".", "--depth", "all"}, {"checksum", "."}, {"duplicates", "."},
		{"compare", ".", other}, {"act", "hide", ".", "where", "kind", "is", "file"}} {
		p := paged(t, b, root, browser.Settings{}, line...)
		assert.Equal(t, "undefined", p.Text("typeof window.bad"), line)
		assert.Equal(t, "0", p.Text("document.querySelectorAll('img, b, main script').length"), line)
		assert.Equal(t, "1", p.Text("document.querySelectorAll('script').length"), line)
		quietly(t, p)
		if line[0] != "list" {
			continue
		}
		var shown, copied []string
		p.Eval("[...document.querySelectorAll('tbody tr')].map(r => r.cells[0].textContent)", &shown)
		assert.Len(t, shown, len(namesForPages)+3)
		for _, name := range []string{"<img src=x onerror=window.bad=1>", `a\nb`, `\u202egnp.exe`, `\xff\xfe`, "</script><script>window.bad=1</script>", "&lt;b&gt;&amp;"} {
			assert.Contains(t, shown, name)
		}
		p.Eval("[...document.querySelectorAll('tbody tr')].map(r => r.dataset.p ?? document.querySelector('table').dataset.base + r.cells[0].textContent)", &copied)
		assert.Contains(t, copied, "$'"+root+`/\377\376'`, "as a shell takes it")
		assert.Contains(t, copied, root+"/&lt;b&gt;&amp;")
	}
}

// A page is read in any width and light, without its script, and on paper.
func TestPageInAnyLight(t *testing.T) {
	t.Parallel()
	b := browser.Start(t)
	root := ternPoint(t)
	for _, s := range []browser.Settings{{}, {Dark: true}, {Width: 400, Height: 800}, {Width: 2000, Height: 1000, Dark: true}, {NoScript: true}} {
		p := paged(t, b, root, s, "weigh", ".")
		if s.NoScript {
			shown, err := png.Decode(bytes.NewReader(p.Picture())) // nothing can be asked of it
			require.NoError(t, err)
			colours := map[color.Color]bool{}
			for x := range shown.Bounds().Dx() {
				for y := range shown.Bounds().Dy() {
					colours[shown.At(x, y)] = true
				}
			}
			assert.Greater(t, len(colours), 10, "there is text, and there are bars")
			continue
		}
		assert.Equal(t, "true", p.Text("document.documentElement.scrollWidth <= innerWidth"), "nothing has to be moved sideways at %d", s.Width)
		var ratios []float64
		p.Eval(contrast, &ratios)
		require.NotEmpty(t, ratios)
		assert.GreaterOrEqual(t, slices.Min(ratios), 4.5, "contrast (WCAG 2, 1.4.3)")
		quietly(t, p)
	}
}

// contrast is the contrast of each text with the ground, after WCAG 2.
const contrast = `(() => {
const light = c => { const [r, g, b] = c.match(/[\d.]+/g).map(Number).map(v => (v /= 255) <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4); return 0.2126 * r + 0.7152 * g + 0.0722 * b; };
const ground = light(getComputedStyle(document.body).backgroundColor);
return [...document.querySelectorAll('h1, p, span, output, th, td, label, button')].filter(e => e.textContent.trim()).map(e => {
  const l = light(getComputedStyle(e).color); return (Math.max(l, ground) + 0.05) / (Math.min(l, ground) + 0.05); });
})()`

// Folders of an outline fold, by mouse or keys, all at once or one by one.
func TestPageOfAnOutline(t *testing.T) {
	t.Parallel()
	b := browser.Start(t)
	root := tree(t, "a/b/deep.txt", "a/note", "c/")
	p := paged(t, b, root, browser.Settings{}, "outline", ".", "--depth", "all")
	open := func() string {
		return p.Text("[...document.querySelectorAll('.outline details')].map(d => d.querySelector('summary').firstElementChild?.textContent ?? '.').filter((_, i) => document.querySelectorAll('.outline details')[i].open).join(' ')")
	}
	assert.Equal(t, ". a b", open())
	p.Eval("document.querySelectorAll('.folds button')[0].click()", nil)
	assert.Equal(t, ".", open(), "the place itself stays open")
	p.Eval("document.querySelectorAll('.outline summary')[1].focus()", nil)
	p.Press("Enter")
	p.Wait("document.querySelectorAll('.outline details')[1].open")
	assert.Equal(t, ". a", open())
	p.Eval("document.querySelectorAll('.folds button')[1].click()", nil)
	assert.Equal(t, ". a b", open())
	assert.Contains(t, p.Text("document.querySelector('.outline').innerText"), "deep.txt")
	quietly(t, p)
}

// Of more rows than a page carries, the others are summed up and told.
func TestPageOfTooManyRows(t *testing.T) {
	root := t.TempDir()
	list := filepath.Join(t.TempDir(), "list")
	var b strings.Builder
	for i := range 50_100 {
		require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprint(i)), make([]byte, 10), 0o644))
		fmt.Fprintf(&b, "%s/%d\n", root, i)
	}
	require.NoError(t, os.WriteFile(list, []byte(b.String()), 0o644))
	file := filepath.Join(t.TempDir(), "page.html")
	r := finish(t, command(t, root, "list", "@@"+list, "--to", file, "--columns", "name,size"))
	require.Zero(t, r.status, r.err)
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, 50_000, strings.Count(string(content), "\n<tr"))
	assert.Contains(t, string(content), "and 100 more rows not on this page (size 1000 B in all)")
	rows, err := csv.NewReader(strings.NewReader(finish(t, command(t, root, "list", "@@"+list, "--as", "csv", "--columns", "name")).out)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 50_101)
}

// Numbers past 2^53, which are not exact in floating point, are shown and sorted exactly.
func TestPageTellsLargeNumbers(t *testing.T) {
	t.Parallel()
	b := browser.Start(t)
	root := t.TempDir()
	for i, name := range []string{"b", "a", "c"} {
		path := filepath.Join(root, name)
		require.NoError(t, os.WriteFile(path, nil, 0o644))
		if err := os.Truncate(path, 1<<53+int64(i)); err != nil {
			t.Skip("no file can be so long here: ", err)
		}
	}
	p := paged(t, b, root, browser.Settings{}, "list", ".", "--columns", "name,size")
	p.Eval("document.querySelectorAll('thead button')[1].click()", nil)
	assert.Equal(t, "c|a|b", p.Text(column(0)))
	p.Eval("document.querySelector('table.rows tbody tr').cells[1].dispatchEvent(new PointerEvent('pointerover', {bubbles: true}))", nil)
	assert.Contains(t, strings.ReplaceAll(p.Text("document.querySelector('.exact').textContent"), "\u00a0", ""), "9007199254740994 bytes")
	quietly(t, p)
}
