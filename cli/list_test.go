package cli_test

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"net"
	"os"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

func TestListTable(t *testing.T) {
	root := ternPoint(t)
	r := run(t, root, "list", "--columns", "name,kind,size,modified,permissions", "--as-of", moment)
	assert.Empty(t, r.err)
	assert.Zero(t, r.status)
	assert.Equal(t, root+`

  name               kind    size  modified        permissions
  cards              folder   –     3 days ago     rwx r-x r-x
  counts             folder   –     2 days ago     rwx rws r-x
  exchange           folder   –     6 days ago     rwx rwx rwt
  handover           folder   –     4 days ago     rwx rws r-x
  incoming           pipe     –    40 minutes ago  rw- r-- ---
  maps               folder   –     2 months ago   rwx r-x r-x
  notes              folder   –    12 minutes ago  rwx r-x r-x
  read me first.txt  file    62 B   2 years ago    rw- r-- r--
  recordings         folder   –    16 hours ago    rwx r-x r-x
  scripts            folder   –    33 days ago     rwx r-x r-x
  sealed             folder   –     3 months ago   --- --- ---

11 entries: 9 folders, 1 file, 1 other · 62 B in the files
2 hidden entries not shown; --hidden shows them
`, r.out)
}

func TestListOrderAndSelection(t *testing.T) {
	root := tree(t, "site-10", "Site-9", "site-2/below.wav", ".hidden", ".h/x", "z")
	require.NoError(t, os.WriteFile(filepath.Join(root, "z"), make([]byte, 5000), 0o644))
	paths := func(args ...string) string {
		r := run(t, root, append([]string{"list", "--as", "paths"}, args...)...)
		require.Zero(t, r.status, r.err)
		return strings.ReplaceAll(r.out, "\n", " ")
	}
	assert.Equal(t, "./site-2 ./Site-9 ./site-10 ./z ", paths())
	assert.Equal(t, "./z ./site-10 ./Site-9 ./site-2 ", paths("--order", "name/reverse"))
	assert.Equal(t, "./z ./site-10 ./Site-9 ./site-2 ", paths("--order", "size"))
	assert.Equal(t, "./z ", paths("--order", "size", "--first", "1"))
	assert.Equal(t, "./.h ./.hidden ./site-2 ./Site-9 ./site-10 ./z ", paths("--hidden", "show"))
	assert.Equal(t, "./.h ./.hidden ", paths("--hidden", "only"))
	assert.Equal(t, "./site-2 ./Site-9 ./site-10 ./z ./site-2/below.wav ", paths("--depth", "all"))
	assert.Equal(t, "./site-2 ./Site-9 ./site-10 ./z ", paths("--depth", "all", "--skip", "SITE-*"))
	assert.Equal(t, "./site-2 ./Site-9 ./site-10 ./z ./site-2/below.wav ", paths("--depth", "all", "--skip", "SITE-*", "--match-case"))
	assert.Equal(t, ". ", paths("--self"))
	assert.Equal(t, "./z site-2/below.wav ", paths("./z", "site-2"))
	assert.Equal(t, root+"/site-2/below.wav ", paths(root+"/site-2"))
}

func TestListTotals(t *testing.T) {
	root := tree(t, "a/b/one", "a/.two", "c/", "top")
	require.NoError(t, os.Link(filepath.Join(root, "a/b/one"), filepath.Join(root, "a/again")))
	sizes := func(args ...string) map[string]any {
		r := run(t, root, append([]string{"list", "--totals", "--as", "jsonl", "--columns", "path,size"}, args...)...)
		require.Zero(t, r.status, r.err)
		return byPath(t, r.out, "size")
	}
	assert.Equal(t, map[string]any{"./a": 13.0, "./c": 0.0, "./top": 3.0}, sizes())
	assert.Equal(t, map[string]any{"./a": 13.0}, sizes("--order", "size", "--first", "1"))
	assert.Equal(t, map[string]any{".": 16.0}, sizes("--self"))
	assert.Equal(t, map[string]any{"./a": 13.0, "./c": 0.0, "./top": 3.0, "./a/b": 0.0, "./a/again": 7.0}, sizes("--depth", "2"))
	r := run(t, root, "list", "--totals", "--as", "json")
	assert.Contains(t, r.out, `"total_size":16`)
}

func byPath(t *testing.T, lines, key string) map[string]any {
	values := map[string]any{}
	decoder := json.NewDecoder(strings.NewReader(lines))
	for decoder.More() {
		var row map[string]any
		require.NoError(t, decoder.Decode(&row))
		values[row["path"].(string)] = row[key]
	}
	return values
}

// Every fact of every entry is what the kernel says of it.
func TestListAgreesWithKernel(t *testing.T) {
	hostile := tree(t, "sp ace", "new\nline\x1b[31m", "\xff\xfe", "deep/er/est/file.tar.gz", ".hid/den")
	require.NoError(t, unix.Mkfifo(filepath.Join(hostile, "pipe"), 0o600))
	socket, err := net.Listen("unix", filepath.Join(hostile, "socket"))
	require.NoError(t, err)
	defer socket.Close()
	for _, place := range []string{hostile, ternPoint(t), "/etc"} {
		r := run(t, t.TempDir(), "list", place, "--as", "jsonl", "--columns", "all", "--hidden", "show", "--depth", "all")
		require.Zero(t, r.status, r.err)
		seen := map[string]bool{}
		decoder := json.NewDecoder(strings.NewReader(r.out))
		for decoder.More() {
			row := map[string]any{}
			require.NoError(t, decoder.Decode(&row))
			seen[agree(t, place, row)] = true
		}
		count := -1
		require.NoError(t, filepath.WalkDir(place, func(path string, _ fs.DirEntry, err error) error {
			if count++; count > 0 && !seen[path] {
				t.Errorf("%q is missing", path)
			}
			return err
		}))
		assert.Len(t, seen, count)
	}
}

var users, groups = map[uint32]string{}, map[uint32]string{}

// agree holds a row against the kernel and returns its path.
func agree(t *testing.T, place string, row map[string]any) string {
	path := exact(t, row, "path")
	var st unix.Stat_t
	require.NoError(t, unix.Lstat(path, &st), path)
	kinds := map[uint32]string{unix.S_IFREG: "file", unix.S_IFDIR: "folder", unix.S_IFLNK: "link", unix.S_IFIFO: "pipe", unix.S_IFSOCK: "socket", unix.S_IFBLK: "block", unix.S_IFCHR: "char"}
	kind := kinds[uint32(st.Mode)&unix.S_IFMT]
	name := filepath.Base(path)
	stem := strings.TrimSuffix(name, filepath.Ext(name))
	var ext, target, size any
	if e := filepath.Ext(name); strings.Trim(stem, ".") != "" && len(e) > 1 {
		ext = strings.ToLower(e[1:])
	} else {
		stem = name
	}
	broken := false
	if kind == "link" {
		target, _ = os.Readlink(path)
		_, err := os.Stat(path)
		broken = err != nil
	}
	empty := kind == "file" && st.Size == 0
	if kind == "file" {
		size = float64(st.Size)
	}
	if kind == "folder" {
		inside, err := os.ReadDir(path)
		require.NoError(t, err)
		empty = len(inside) == 0
	}
	follow, err := os.Stat(path)
	rel, _ := filepath.Rel(place, path)
	when := func(ts unix.Timespec) any {
		return time.Unix(ts.Unix()).UTC().Format("2006-01-02T15:04:05.000000000Z")
	}
	nine := []byte("rwxrwxrwx")
	for i := range nine {
		if uint32(st.Mode)&(0o400>>i) == 0 {
			nine[i] = '-'
		}
	}
	for i, bit := range []uint32{unix.S_ISUID, unix.S_ISGID, unix.S_ISVTX} {
		if at := 3*i + 2; uint32(st.Mode)&bit != 0 {
			nine[at] = map[bool]string{true: "sst", false: "SST"}[nine[at] == 'x'][i]
		}
	}
	want := map[string]any{
		"name": name, "stem": stem, "ext": ext, "path": path, "folder": filepath.Dir(path), "target": target, "kind": kind,
		"size": size, "disk": float64(st.Blocks * 512), "links": float64(st.Nlink), "depth": float64(1 + strings.Count(rel, "/")),
		"inode": float64(st.Ino), "device": float64(st.Dev), "uid": float64(st.Uid), "gid": float64(st.Gid),
		"owner": account(users, st.Uid, func(id string) (string, error) {
			u, err := user.LookupId(id)
			if err != nil {
				return "", err
			}
			return u.Username, nil
		}),
		"group": account(groups, st.Gid, func(id string) (string, error) {
			g, err := user.LookupGroupId(id)
			if err != nil {
				return "", err
			}
			return g.Name, nil
		}),
		"mode": fmt.Sprintf("%04o", uint32(st.Mode)&0o7777), "permissions": string(nine),
		"modified": when(st.Mtim), "changed": when(st.Ctim), "empty": empty, "hidden": strings.HasPrefix(name, "."),
		"readable": unix.Access(path, unix.R_OK) == nil, "writable": unix.Access(path, unix.W_OK) == nil,
		"executable": err == nil && follow.Mode().IsRegular() && unix.Access(path, unix.X_OK) == nil,
		"broken":     broken, "setuid": uint32(st.Mode)&unix.S_ISUID != 0, "setgid": uint32(st.Mode)&unix.S_ISGID != 0,
		"sticky": uint32(st.Mode)&unix.S_ISVTX != 0, "sparse": kind == "file" && st.Blocks*512 < st.Size,
	}
	for key, value := range want {
		if text, is := value.(string); is {
			require.Equal(t, text, exact(t, row, key), "%s of %q", key, path)
			continue
		}
		require.Equal(t, value, row[key], "%s of %q", key, path)
	}
	return path
}

func account(known map[uint32]string, id uint32, lookup func(string) (string, error)) string {
	if name, ok := known[id]; ok {
		return name
	}
	number := strconv.FormatUint(uint64(id), 10)
	name, err := lookup(number)
	if err != nil {
		name = number
	}
	known[id] = name
	return name
}

// exact returns the bytes of a text value.
func exact(t *testing.T, row map[string]any, key string) string {
	if coded, there := row[key+"_base64"]; there {
		var text []byte
		quoted, err := json.Marshal(coded)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(quoted, &text))
		return string(text)
	}
	text, _ := row[key].(string)
	return text
}

// An option whose words are empty, as those of an unset variable of a shell, means the usual, unless that
// could not be meant.
func TestEmptyWords(t *testing.T) {
	t.Parallel()
	root := tree(t, "a", "b/c")
	usual := run(t, root, "list").out
	for _, words := range [][]string{{"--columns", ""}, {"--order", ""}, {"--as-of", ""}} {
		r := run(t, root, append([]string{"list"}, words...)...)
		assert.Zero(t, r.status, r.err)
		assert.Equal(t, usual, r.out, words)
	}
	for _, words := range [][]string{{"--depth", ""}, {"--first", ""}, {"--host", ""}, {"--hidden", ""}} {
		r := run(t, root, append([]string{"list"}, words...)...)
		assert.Equal(t, 2, r.status, words)
		assert.Contains(t, r.err, words[0], words)
	}
}
