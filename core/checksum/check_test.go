package checksum_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/checksum"
	"frankledger/core/digest"
	"frankledger/core/digestlist"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
)

// Digests of "abc" by algorithms that several lines may have for one name.
const (
	md5    = "900150983cd24fb0d6963f7d28e17f72"
	sha1   = "a9993e364706816aba3e25717850c26c9cd0d89d"
	sha256 = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"
	blake3 = "6437b3ac38465133ffb63b75273a8db548c558465d79db03fd359c6cd5bd9d85"
)

func TestCheck(t *testing.T) {
	root := t.TempDir()
	for _, name := range []string{"a", "b", "folder/c", "folder/extra", "list"} {
		path := filepath.Join(root, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte("abc"), 0o644))
	}
	require.NoError(t, os.Symlink("a", filepath.Join(root, "link")))
	list := strings.Join([]string{
		md5 + "  a", sha1 + "  a", sha256 + "  a", // one reading for all
		blake3 + "  b",    // of 64 digits too
		sha256 + "  link", // what it leads to
		strings.Replace(md5, "9", "8", 1) + "  folder/c", md5 + "  ./folder/c", // one of these is wrong
		md5 + "  a/below", md5 + "  gone", md5 + "  ../outside",
	}, "\n")
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	for _, others := range []source.Source{nil, s} {
		l, err := digestlist.Read(strings.NewReader(list), "")
		require.NoError(t, err)
		require.Len(t, l.Mistakes, 1)
		progress := &source.Progress{}
		a, err := checksum.Check(context.Background(), l, &entry.Folder{Place: s.Place()}, digest.NewPool(live.Files{Follow: true}, progress), progress,
			checksum.CheckOptions{Others: others, Unlisted: true, List: filepath.Join(root, "list")})
		require.NoError(t, err)
		var got []string
		for _, r := range a.Rows(true) {
			expected, actual, algorithm := r.Digests()
			got = append(got, fmt.Sprint(r.Status, " ", r.Name(), " ", algorithm.Name, " ", expected == actual))
			assert.Equal(t, filepath.Join(root, r.Name()), r.Path())
		}
		want := []string{"different folder/c md5 false", "missing a/below md5 false", "missing gone md5 false"}
		if others != nil {
			want = append(want, "unlisted folder/extra  true")
		}
		want = append(want, "same a sha256 true", "same a sha1 true", "same a md5 true", "same b blake3 true", "same folder/c md5 true", "same link sha256 true")
		assert.Equal(t, want, got)
		assert.Len(t, a.Refused, 1)
		// Where only the length tells of which algorithm it is, the likely one is tried first.
		assert.LessOrEqual(t, progress.Read.Load(), int64(6*3))
		assert.True(t, a.Trouble())
		assert.Len(t, a.Rows(false), len(want)-6)
	}
}
