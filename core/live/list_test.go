package live_test

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/internal/long"
)

// A list gives what is at its paths, however long they are, in any of its forms.
func TestListForms(t *testing.T) {
	root := t.TempDir()
	deep := root
	at, err := unix.Open(root, unix.O_DIRECTORY, 0)
	require.NoError(t, err)
	for len(deep) < 9000 {
		name := strings.Repeat("deep", 20)
		require.NoError(t, unix.Mkdirat(at, name, 0o755))
		next, err := unix.Openat(at, name, unix.O_DIRECTORY, 0)
		require.NoError(t, err)
		unix.Close(at)
		at, deep = next, deep+"/"+name
	}
	file, err := unix.Openat(at, "end", unix.O_CREAT|unix.O_WRONLY, 0o644)
	require.NoError(t, err)
	unix.Close(file)
	unix.Close(at)
	require.NoError(t, os.WriteFile(filepath.Join(root, "a\xffb"), nil, 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(root, "{c"), nil, 0o644))
	read := func(content string) (names []string, problems int) {
		list := filepath.Join(t.TempDir(), "list")
		require.NoError(t, os.WriteFile(list, []byte(content), 0o644))
		l, err := live.OpenList(list, "@@list", 0)
		require.NoError(t, err)
		report, err := l.Read(context.Background(), source.Request{Facts: entry.FactStatus}, source.SinkFunc(func() source.Visitor {
			return func(entries []entry.Entry) error {
				for _, e := range entries {
					names = append(names, strings.Clone(e.Name))
					assert.True(t, e.Known.Has(entry.FactStatus))
				}
				return nil
			}
		}))
		require.NoError(t, err)
		return names, len(report.Problems)
	}
	for name, content := range map[string]string{
		"lines": deep + "/end\n" + root + "/a\xffb\n" + root + "/{c\n" + root + "/none\n",
		"NUL":   deep + "/end\x00" + root + "/a\xffb\x00" + root + "/{c\x00" + root + "/none\x00",
		"JSON":  `{"path":"x","full_path":"` + deep + `/end"}` + "\n" + `{"path":"` + root + `/a�b","path_base64":"` + "L" + `"}`,
	} {
		if name == "JSON" {
			list := filepath.Join(t.TempDir(), "list")
			require.NoError(t, os.WriteFile(list, []byte(content), 0o644))
			_, err := live.OpenList(list, "@@list", 0)
			assert.ErrorIs(t, err, live.ErrList, "it is said where a line is none")
			continue
		}
		names, problems := read(content)
		assert.Equal(t, []string{"end", "a\xffb", "{c"}, names, name)
		assert.Equal(t, 1, problems, name)
	}
	names, problems := read(`{"path":"x","full_path":"` + deep + `/end"}` + "\n" + `{"path":"` + root + `/{c","size":null}` + "\n")
	assert.Equal(t, []string{"end", "{c"}, names)
	assert.Zero(t, problems)
	names, _ = read("{c\n" + root + "/{c\n")
	assert.Equal(t, []string{"{c"}, names, "a path may begin like JSON")
}

// What never ends is no list.
func TestListHasABoundLong(t *testing.T) {
	long.Test(t)
	endless := filepath.Join(t.TempDir(), "endless")
	require.NoError(t, unix.Mkfifo(endless, 0o600))
	go func() {
		to, err := os.OpenFile(endless, os.O_WRONLY, 0)
		for line := bytes.Repeat([]byte("a\n"), 1<<20); err == nil; {
			_, err = to.Write(line)
		}
	}()
	_, err := live.OpenList(endless, "@@endless", 0)
	assert.ErrorIs(t, err, live.ErrLongList)
}

// What is no list is refused at its first lines.
func TestNoList(t *testing.T) {
	binary := filepath.Join(t.TempDir(), "binary")
	require.NoError(t, os.WriteFile(binary, []byte("\x7fELF\x02\x01\x01\x00\x00\x00\n"), 0o600))
	line := filepath.Join(t.TempDir(), "line")
	require.NoError(t, os.WriteFile(line, bytes.Repeat([]byte("a"), 100_000), 0o600))
	for _, file := range []string{"/dev/zero", binary, line} {
		_, err := live.OpenList(file, "@@"+file, 0)
		assert.ErrorIs(t, err, live.ErrNoList, file)
	}
}

// The size of a file whose content the system makes as it is read is not known, and
// so it is not empty.
func TestMadeWhenRead(t *testing.T) {
	for _, path := range []string{"/proc/version", "/sys/kernel/mm/transparent_hugepage/enabled"} {
		if _, err := os.Stat(path); err != nil {
			continue
		}
		for _, place := range []string{path, filepath.Dir(path)} {
			s, err := live.Open(place, 0)
			require.NoError(t, err)
			seen := false
			_, err = s.Read(context.Background(), source.Request{Facts: entry.FactStatus, Depth: 1}, source.SinkFunc(func() source.Visitor {
				return func(entries []entry.Entry) error {
					for i := range entries {
						if e := &entries[i]; e.Name == filepath.Base(path) {
							seen = true
							assert.False(t, e.HasSize())
							_, known := entry.FieldNamed("empty").Flag(e)
							assert.False(t, known)
						}
					}
					return nil
				}
			}))
			require.NoError(t, err)
			assert.True(t, seen)
		}
	}
}

// A list can be an answer in any of the forms that name what is where.
func TestListsInOtherForms(t *testing.T) {
	dir := t.TempDir()
	t.Chdir(dir)
	for _, name := range []string{"a b", "c,d", "e"} {
		require.NoError(t, os.WriteFile(name, nil, 0o644))
	}
	for content, want := range map[string][]string{
		"name,path,size\nx,a b,3\ny,\"c,d\",4\n":  {"a b", "c,d"},
		"path\na b\n":                             {"a b"},
		"full_path,path\n" + dir + "/e,nowhere\n": {dir + "/e"},
		`{"place":"/x","entries":[` + "\n" + `{"path":"a b"},{"path":"e"}],"summary":{}}`: {"a b", "e"},
		"a b\nname,path\n": {"a b", "name,path"}, // a table begins with its heading
		"c,d\ne\n":         {"c,d", "e"},
	} {
		require.NoError(t, os.WriteFile("list", []byte(content), 0o644))
		l, err := live.OpenList("list", "@@list", 0)
		require.NoError(t, err, content)
		assert.Equal(t, want, l.Paths(), content)
	}
	require.NoError(t, os.WriteFile("list", []byte("name,size\nx,3\n"), 0o644))
	_, err := live.OpenList("list", "@@list", 0)
	assert.ErrorIs(t, err, live.ErrTable)
}
