package cli_test

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"html"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/internal/browser"
)

// grown is a place with records, which has grown since.
func grown(t *testing.T) (root, ledger string) {
	root = ternPoint(t)
	for _, folder := range []string{"north-hide", "old-jetty", "saltmarsh"} { // reading all of it takes long
		require.NoError(t, os.RemoveAll(filepath.Join(root, "recordings", folder)))
	}
	takes, err := filepath.Glob(filepath.Join(root, "recordings", "ridge", "*"))
	require.NoError(t, err)
	for _, take := range takes[3:] {
		require.NoError(t, os.Remove(take))
	}
	ledger = filepath.Join(t.TempDir(), "ledger")
	for i, add := range []string{"cards/more.dat", "recordings/ridge/take.wav", "maps/new/shore.png"} {
		require.Zero(t, finish(t, command(t, root, "record", ".", "--label", "weekly", "--ledger", ledger)).status%3)
		path := filepath.Join(root, add)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, make([]byte, (i+1)*3_000_000), 0o644))
	}
	return root, ledger
}

// reported writes a report and returns it.
func reported(t *testing.T, root string, line ...string) string {
	file := filepath.Join(t.TempDir(), "report.html")
	r := finish(t, command(t, root, append([]string{"report", "--to", file}, line...)...))
	require.Contains(t, []int{0, 3}, r.status, r.err)
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	return string(content)
}

var (
	commandLines = regexp.MustCompile(`<p class="how" id="c(\d+)"><code>(.*?)</code></p>`)
	numbers      = regexp.MustCompile(`(?:<dt>([^<]*)</dt><dd>)?<a class="[^"]*" href="#c(\d+)">(.*?)</a>`)
)

// Beside each number stands the command that gives it: each gives that number, when it is run
// as it stands there, by a shell.
func TestReportNumbersAreThoseOfTheirCommands(t *testing.T) {
	t.Parallel()
	takesLong(t)
	root, ledger := grown(t)
	odd := tree(t, "in here/a b.txt", "in here/'quoted'", "in here/.hidden/x", "(skip)/y.txt")
	require.NoError(t, os.Symlink("nowhere", filepath.Join(odd, "in here", "lost")))
	require.NoError(t, os.Chmod(filepath.Join(odd, "in here", "a b.txt"), 0o666))
	bin := t.TempDir()
	require.NoError(t, os.Symlink(frank, filepath.Join(bin, "frank")))
	for _, line := range [][]string{{"--ledger", ledger}, {"--ledger", ledger, "--copies"}, {"--by", "disk", "--skip", "cards", "--hidden", "omit"}, {odd + "/in here", odd + "/(skip)"}, {".", "where", "ext is wav,txt or (name has card and not empty)"},
		{"@weekly", "--ledger", ledger}} {
		page := reported(t, root, line...)
		shell := func(line string, more ...string) string {
			at := strings.Index(line, " where ")
			if at < 0 {
				at = len(line)
			}
			cmd := exec.Command("sh", "-c", line[:at]+" "+strings.Join(more, " ")+line[at:])
			cmd.Dir = root
			cmd.Env = append(os.Environ(), "PATH="+bin+":"+os.Getenv("PATH"), "XDG_CONFIG_HOME="+t.TempDir())
			out, err := cmd.Output()
			var failed *exec.ExitError
			if err != nil && (!assert.ErrorAs(t, err, &failed) || failed.ExitCode() != 3) {
				require.NoError(t, err, "%s: %s", line, failed.Stderr)
			}
			return string(out)
		}
		lines := map[string]string{}
		for _, found := range commandLines.FindAllStringSubmatch(page, -1) {
			lines[found[1]] = html.UnescapeString(found[2])
			shell(lines[found[1]])
		}
		require.Greater(t, len(lines), 10)
		checked := 0
		for _, found := range numbers.FindAllStringSubmatch(page, -1) {
			line, number := lines[found[2]], strings.ReplaceAll(html.UnescapeString(found[3]), " ", "")
			require.NotEmpty(t, line)
			switch {
			case strings.HasPrefix(line, "frank search"):
				if number == "notknown" {
					continue
				}
				assert.Equal(t, strings.TrimPrefix(number, "≥"), strings.TrimSpace(shell(line, "--count")), line)
				checked++
			case strings.HasPrefix(line, "frank tally"):
				rows, err := csv.NewReader(strings.NewReader(shell(line, "--as", "csv"))).ReadAll()
				require.NoError(t, err)
				var counts []string
				of := map[string]int{}
				for _, row := range rows[1:] {
					n, err := strconv.Atoi(row[1])
					require.NoError(t, err)
					counts = append(counts, row[1])
					if kind := row[0] + "s"; slices.Contains([]string{"files", "folders", "links"}, kind) {
						of[kind] = n
					} else {
						of["pipes, sockets, devices"] += n
					}
				}
				if found[1] != "" {
					counts = []string{fmt.Sprint(of[found[1]])}
				}
				assert.Contains(t, counts, strings.TrimPrefix(number, "≥"), "%s: %s", line, found[1])
				checked++
			case strings.HasPrefix(line, "frank weigh") && !strings.Contains(line, "--since"):
				var answer struct {
					Summary struct{ Size, Disk int64 }
				}
				require.NoError(t, json.Unmarshal([]byte(shell(line, "--as", "json")), &answer))
				assert.Contains(t, []string{sized(answer.Summary.Size), sized(answer.Summary.Disk)}, strings.TrimPrefix(number, "≥"), line)
				checked++
			}
		}
		assert.Greater(t, checked, 8, line)
	}
}

// sized is a number of bytes as tables show it, without the space.
func sized(n int64) string {
	units, value := []string{"B", "KiB", "MiB", "GiB"}, float64(n)
	i := 0
	for ; value >= 1024; i++ {
		value /= 1024
	}
	if i == 0 {
		return fmt.Sprint(n, "B")
	}
	return fmt.Sprintf("%.1f%s", value, units[i])
}

// A report opens in a browser without a word on its console, in any width and light; the map can
// be gone into and out of, by mouse or keys, and without the script too.
func TestReportInABrowser(t *testing.T) {
	t.Parallel()
	b := browser.Start(t)
	root, ledger := grown(t)
	content := reported(t, root, "--ledger", ledger, "--copies")
	file := filepath.Join(t.TempDir(), "report.html")
	require.NoError(t, os.WriteFile(file, []byte(content), 0o644))
	shown := "[...document.querySelectorAll('.view')].filter(v => getComputedStyle(v).display !== 'none').map(v => v.querySelector('.here').textContent).join()"
	for _, s := range []browser.Settings{{}, {Dark: true}, {Width: 400, Height: 800}, {Width: 2000, Height: 1000, Dark: true}} {
		p := b.Open(t, file, s)
		assert.Equal(t, "true", p.Text("document.documentElement.scrollWidth <= innerWidth"), "nothing has to be moved sideways at %d", s.Width)
		var ratios []float64
		p.Eval(contrast, &ratios)
		assert.GreaterOrEqual(t, slices.Min(ratios), 4.5)
		wide := s.Width == 0 || s.Width > 700
		assert.Equal(t, fmt.Sprint(wide), p.Text("getComputedStyle(document.querySelector('.whole .wide')).display !== 'none'"))
		assert.Equal(t, fmt.Sprint(!wide), p.Text("getComputedStyle(document.querySelector('.whole .slim')).display !== 'none'"))
		quietly(t, p)
	}
	p := b.Open(t, file, browser.Settings{})
	assert.Equal(t, filepath.Base(root), p.Text(shown))
	p.Eval("document.querySelector('.whole .wide a').focus()", nil)
	p.Press("Enter")
	p.Wait("location.hash !== ''")
	assert.Equal(t, "recordings", p.Text(shown), "the heaviest is gone into")
	p.Press("Escape")
	p.Wait(shown + " === '" + filepath.Base(root) + "'")
	assert.Equal(t, "true", p.Text("document.activeElement.closest('.map') !== null"), "and the keys go on from there")
	p.Eval("document.querySelector('.whole .wide a').dispatchEvent(new MouseEvent('click', {bubbles: true, cancelable: true, view: window}))", nil)
	p.Wait(shown + " === 'recordings'")
	p.Eval("document.querySelector('.view:target .way a').click()", nil)
	p.Wait(shown + " === '" + filepath.Base(root) + "'")

	// A number leads to its command, which can be copied.
	p.Eval("document.querySelector('.facts a').click()", nil)
	p.Wait("document.querySelector('.how:target') !== null")
	assert.Equal(t, "frank weigh . --ledger "+ledger, p.Text("document.querySelector('.how:target code').textContent"))
	p.Eval("window.took = ''; navigator.clipboard.writeText = async text => { window.took = text; }; document.querySelector('.how:target button').click()", nil)
	p.Wait("window.took !== ''")
	assert.Equal(t, "frank weigh . --ledger "+ledger, p.Text("window.took"))
	quietly(t, p)

	// Whatever can be reached has a name, headings come in their order, pictures say what they show.
	assert.Equal(t, "0", p.Text("[...document.querySelectorAll('a, button')].filter(e => !e.textContent.trim()).length"))
	assert.Equal(t, "true", p.Text("[...document.querySelectorAll('h1,h2,h3')].every((h, i, all) => i === 0 ? h.tagName === 'H1' : h.tagName[1] - all[i - 1].tagName[1] <= 1)"))
	assert.Equal(t, "0", p.Text("[...document.querySelectorAll('.map svg')].filter(s => !s.querySelector('title').textContent).length"))

	bare := filepath.Join(t.TempDir(), "bare.html")
	without := regexp.MustCompile(`(?s)<script>.*</script>`).ReplaceAllString(content, "")
	require.NotEqual(t, content, without)
	require.NoError(t, os.WriteFile(bare, []byte(without), 0o644))
	p = b.Open(t, bare, browser.Settings{})
	p.Eval("location.hash = document.querySelector('.whole .wide a').getAttribute('href')", nil)
	p.Wait(shown + " === 'recordings'")
	quietly(t, p)
}

// Names act on no report, and one of nothing at all is one too.
func TestReportTakesNamesForNames(t *testing.T) {
	t.Parallel()
	b := browser.Start(t)
	root := t.TempDir()
	for _, name := range append(slices.Clone(namesForPages), "<script>window.bad=1<") {
		require.NoError(t, os.MkdirAll(filepath.Join(root, name, name), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(root, name, name, name), []byte(name), 0o644))
		require.NoError(t, os.Symlink(name, filepath.Join(root, name, "lost")))
	}
	for _, line := range [][]string{{"report", ".", "--copies"}, {"report", "."}, {"report", t.TempDir()}} {
		p := paged(t, b, root, browser.Settings{}, line...)
		assert.Equal(t, "undefined", p.Text("typeof window.bad"))
		assert.Equal(t, "0", p.Text("document.querySelectorAll('img, b, main script').length"))
		assert.Equal(t, "1", p.Text("document.querySelectorAll('script').length"))
		quietly(t, p)
	}
}

// A report tells what it did not look at, and refuses what it cannot do.
func TestReportOptions(t *testing.T) {
	root, ledger := grown(t)
	page := reported(t, root, "--ledger", ledger)
	assert.Contains(t, page, "over 3 records")
	assert.Contains(t, page, "8.6 MiB more than</a> at the last record (@weekly, ")
	assert.Contains(t, page, "Not looked for, because that means reading the content of files")
	assert.Contains(t, reported(t, root, "--ledger", ledger, "--skip", "maps"), "3 records were made with other options than this report")
	assert.NotContains(t, reported(t, root, ".", "--ledger", ledger, "where", "ext", "is", "wav"), "What grew")
	assert.Contains(t, reported(t, root, "maps", "--ledger", ledger), "frank weigh maps --by size --since @3/maps --ledger")
	assert.Contains(t, reported(t, root, "@weekly", "--ledger", ledger), "over 2 records")
	assert.Contains(t, reported(t, root, "--as-of", "2026-11-23"), "frank tally . --by age --as-of 2026-11-23 where kind is file")
	if os.Geteuid() == 0 { // what lies in a folder that could not be read is not known to be nothing
		shut := tree(t, "open/file", "shut/file")
		require.NoError(t, os.Chmod(filepath.Join(shut, "shut"), 0o700))
		r := finish(t, stranger(command(t, shut, "report", ".")))
		assert.Equal(t, 3, r.status, r.err)
		assert.Contains(t, r.out, "≥ 0</a> entries whose owner has no name here")
	}
	for want, line := range map[string][]string{
		"--by can be size, disk or files":          {"report", "--by", "age"},
		"report.html":                              {"report", "--to", "report.htlm"},
		"--copies reads the content of files, and": {"report", "@weekly", "--ledger", ledger, "--copies"},
		"report can be html, not csv":              {"report", "--as", "csv"},
	} {
		r := finish(t, command(t, root, line...))
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, want)
	}
}

// Pictures are made of weights, groups and histories.
func TestPictures(t *testing.T) {
	root, ledger := grown(t)
	for want, line := range map[string][]string{
		"recordings":                    {"weigh", "--as", "svg"},
		"cards":                         {"weigh", "--as", "svg", "--picture", "bars", "--by", "disk"},
		"ridge_2026-":                   {"weigh", "--as", "svg", "--heaviest", "3"},
		": content by ext":              {"tally", "--by", "ext", "--as", "svg"},
		": content by kind and ext":     {"tally", "--by", "kind,ext", "--cross", "--as", "svg"},
		": content at each record":      {"history", "cards", "--as", "svg", "--ledger", ledger},
		"more.dat: content at each rec": {"history", "cards/more.dat", "--as", "svg", "--ledger", ledger},
	} {
		r := finish(t, command(t, root, line...))
		require.Contains(t, []int{0, 3}, r.status, r.err)
		assert.Contains(t, r.out, want)
		assert.Contains(t, r.out, `xmlns="http://www.w3.org/2000/svg"`)
		assert.True(t, strings.HasSuffix(r.out, "</svg>\n"))
	}
	for want, line := range map[string][]string{
		"--picture can be map or bars": {"weigh", "--as", "svg", "--picture", "pie"},
		"--picture needs a picture":    {"weigh", "--picture", "bars"},
		"--explain and --as svg":       {"weigh", "--as", "svg", "--explain", "maps"},
		"--since and --as svg":         {"tally", "--by", "ext", "--as", "svg", "--since", "@weekly", "--ledger", ledger},
		"--heaviest and --picture map": {"weigh", "--heaviest", "3", "--as", "svg", "--picture", "map"},
		"nothing to draw":              {"history", "nowhere", "--as", "svg", "--ledger", ledger},
		"no such format: \"svg\"":      {"list", "--as", "svg"},
		"--cross makes a ta":           {"tally", "--by", "kind,ext", "--cross", "--as", "csv"},
	} {
		r := finish(t, command(t, root, line...))
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, want)
	}
}
