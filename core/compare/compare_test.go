package compare_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/compare"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
)

// build makes files with their content; "" is a folder.
func build(t *testing.T, files map[string]string) string {
	root := t.TempDir()
	moment := time.Unix(1_700_000_000, 5)
	for name, content := range files {
		path := filepath.Join(root, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		if content == "" {
			require.NoError(t, os.MkdirAll(path, 0o755))
			continue
		}
		require.NoError(t, os.WriteFile(path, []byte(content), 0o644))
		require.NoError(t, os.Chtimes(path, moment, moment))
	}
	return root
}

func compared(t *testing.T, a, b string, content bool) (*compare.Answer, int64) {
	x, err := live.Open(a, 0)
	require.NoError(t, err)
	y, err := live.Open(b, 1)
	require.NoError(t, err)
	progress := &source.Progress{}
	answer, err := compare.Compare(context.Background(), x, y, digest.NewPool(live.Files{}, progress),
		compare.Options{Content: content, Fact: entry.FactBLAKE3, Request: source.Request{Progress: progress}})
	require.NoError(t, err)
	return answer, progress.Read.Load()
}

func words(a *compare.Answer) string {
	var list []string
	for _, r := range a.Results {
		word := r.Change.String() + " " + r.Path
		if r.From != "" {
			word += "<" + r.From
		}
		list = append(list, strings.Join(append([]string{word}, r.Words()...), " "))
	}
	return strings.Join(list, "; ")
}

// Of several files with the same content, those that kept their name are taken
// for the ones that moved, and each is taken once.
func TestMoved(t *testing.T) {
	a := build(t, map[string]string{"old/x": "same", "old/y": "same", "old/z": "same", "tiny": "?", "gone": "12345"})
	b := build(t, map[string]string{"new/y": "same", "new/w": "same", "here": "54321", "new/tiny": "?", "old": ""})
	answer, read := compared(t, a, b, false)
	assert.Equal(t, "added here; added new; removed gone; removed old/z; moved new/tiny<tiny; moved new/w<old/x; moved new/y<old/y", words(answer))
	assert.EqualValues(t, 5*4+2*1+2*5, read, "only what has a partner of its size")
	assert.Equal(t, [...]int{2, 2, 0, 3, 0, 0}, answer.Counts)
}

// Sizes and times tell most; content is read where they leave it open.
func TestWhatIsRead(t *testing.T) {
	a := build(t, map[string]string{"same": "1111", "touched": "2222", "altered": "3333", "longer": "4", "turned": "x"})
	b := build(t, map[string]string{"same": "1111", "touched": "2222", "altered": "3303", "longer": "44", "turned/x": "x"})
	later := time.Unix(1_700_000_100, 0)
	require.NoError(t, os.Chtimes(filepath.Join(b, "touched"), later, later))
	answer, read := compared(t, a, b, false)
	assert.Equal(t, "added turned/x; altered longer size; altered turned kind mode; details touched modified", words(answer))
	assert.EqualValues(t, 8, read, "altered has the same size and time")
	assert.Equal(t, 2, answer.Same)
	assert.EqualValues(t, 8, answer.Bytes)
	answer, read = compared(t, a, b, true)
	assert.Contains(t, words(answer), "altered altered content; ")
	assert.EqualValues(t, 24, read)

	// The same file by another name is not read.
	require.NoError(t, os.Remove(filepath.Join(b, "same")))
	require.NoError(t, os.Link(filepath.Join(a, "same"), filepath.Join(b, "same")))
	_, read = compared(t, a, b, true)
	assert.EqualValues(t, 16, read)
	answer, _ = compared(t, a, a, true)
	assert.Empty(t, answer.Results)
	assert.Equal(t, 5, answer.Same)
}

// Whatever there is in two places, in small folders and in large ones, each path of the first is
// the same, differs or is gone, and each other path of the second is new, as the system says.
func TestAgreesWithTheSystem(t *testing.T) {
	random := rand.New(rand.NewPCG(rand.Uint64(), 3))
	stat := func(root string) map[string]string {
		all := map[string]string{}
		require.NoError(t, filepath.WalkDir(root, func(path string, d os.DirEntry, err error) error {
			if err != nil || path == root {
				return err
			}
			info, err := d.Info()
			all[strings.TrimPrefix(path, root+"/")] = fmt.Sprint(info.Mode(), map[bool]int64{false: info.Size()}[d.IsDir()], map[bool]int64{false: info.ModTime().UnixNano()}[d.IsDir()])
			return err
		}))
		return all
	}
	for range 2 {
		roots := [2]string{t.TempDir(), t.TempDir()}
		for _, root := range roots {
			seeded := rand.New(rand.NewPCG(9, 9))
			for i := range 2600 {
				path := filepath.Join(root, "few"+fmt.Sprint(seeded.IntN(40)), fmt.Sprint(i))
				if i > 400 {
					path = filepath.Join(root, "many"+fmt.Sprint(seeded.IntN(2)), fmt.Sprint(i))
				}
				if random.IntN(30) == 0 { // missing here, or a folder
					if random.IntN(2) == 0 {
						require.NoError(t, os.MkdirAll(filepath.Join(path, "in"), 0o755))
					}
					continue
				}
				require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
				require.NoError(t, os.WriteFile(path, make([]byte, i%7+random.IntN(20)/19), os.FileMode(0o644-random.IntN(40)/39)))
				moment := time.Unix(1_700_000_000+int64(random.IntN(20)/19), 5)
				require.NoError(t, os.Chtimes(path, moment, moment))
			}
		}
		if random.IntN(2) == 0 {
			require.NoError(t, os.RemoveAll(filepath.Join(roots[random.IntN(2)], "many1")))
		}
		a, b := stat(roots[0]), stat(roots[1])
		answer, _ := compared(t, roots[0], roots[1], false)
		seen, same := map[string]string{}, 0
		for _, r := range answer.Results {
			switch r.Change {
			case compare.Moved:
				seen[r.Path], seen[r.From] = "added", "removed"
			case compare.Altered, compare.Details:
				seen[r.Path] = "differs"
			default:
				seen[r.Path] = r.Change.String()
			}
		}
		want := map[string]string{}
		for path, facts := range a {
			switch now, there := b[path]; {
			case !there:
				want[path] = "removed"
			case now != facts:
				want[path] = "differs"
			default:
				same++
			}
		}
		for path := range b {
			if _, there := a[path]; !there {
				want[path] = "added"
			}
		}
		require.Equal(t, want, seen)
		require.Equal(t, same, answer.Same)
		require.Greater(t, len(want), 100)
	}
}

// A file that changes before it is read is neither the same nor different.
func TestUnknown(t *testing.T) {
	a := build(t, map[string]string{"log": "1111"})
	b := build(t, map[string]string{"log": "2222"})
	x, err := live.Open(a, 0)
	require.NoError(t, err)
	y, err := live.Open(b, 1)
	require.NoError(t, err)
	progress := &source.Progress{}
	answer, err := compare.Compare(context.Background(), x, growing{y, filepath.Join(a, "log")}, digest.NewPool(live.Files{}, progress),
		compare.Options{Content: true, Fact: entry.FactSHA256})
	require.NoError(t, err)
	assert.Empty(t, answer.Results)
	assert.Equal(t, 1, answer.Unknown)
	require.Len(t, answer.Report.Problems, 1)
	assert.ErrorIs(t, answer.Report.Problems[0].Err, digest.ErrChanged)
}

// growing is a source that makes another file grow once it has been read.
type growing struct {
	source.Source
	path string
}

func (g growing) Read(ctx context.Context, r source.Request, sink source.Sink) (source.Report, error) {
	report, err := g.Source.Read(ctx, r, sink)
	if err == nil {
		err = os.Truncate(g.path, 1000)
	}
	return report, err
}
