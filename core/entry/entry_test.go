package entry_test

import (
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/text"
)

func TestPermissionNotations(t *testing.T) {
	for _, c := range []struct {
		bits                entry.Permissions
		octal, nine, triads string
	}{
		{0o640, "0640", "rw-r-----", "rw- r-- ---"},
		{0o755, "0755", "rwxr-xr-x", "rwx r-x r-x"},
		{0o4711, "4711", "rws--x--x", "rws --x --x"},
		{0o2750, "2750", "rwxr-s---", "rwx r-s ---"},
		{0o1777, "1777", "rwxrwxrwt", "rwx rwx rwt"},
		{0o7000, "7000", "--S--S--T", "--S --S --T"},
		{0, "0000", "---------", "--- --- ---"},
	} {
		assert.Equal(t, c.octal, c.bits.Octal())
		assert.Equal(t, c.nine, string(c.bits.AppendNine(nil)))
		assert.Equal(t, c.triads, c.bits.Triads())
	}
	for bits := range entry.Permissions(0o10000) {
		for _, text := range []string{bits.Octal(), string(bits.AppendNine(nil)), bits.Triads()} {
			back, err := entry.ParsePermissions(text)
			require.NoError(t, err)
			require.Equal(t, bits, back, text)
		}
	}
}

func TestPermissionSentence(t *testing.T) {
	for _, c := range []struct {
		bits entry.Permissions
		kind entry.Kind
		want string
	}{
		{0o640, entry.KindFile, "the owner may read and write; the group may read; others may not do anything"},
		{0o777, entry.KindFile, "everyone may read, write and run"},
		{0o4755, entry.KindFile, "the owner may read, write and run; the group and others may read and run; it runs with its owner's rights"},
		{0o2775, entry.KindFolder, "the owner and the group may list, change and enter; others may list and enter; what is made in it gets its group"},
		{0o1777, entry.KindFolder, "everyone may list, change and enter; only an owner may remove or rename what is in it"},
	} {
		assert.Equal(t, c.want, c.bits.Sentence(c.kind))
	}
}

func FuzzParsePermissions(f *testing.F) {
	f.Add("0640")
	f.Add("rw- r-s --T")
	f.Add("rwxrwxrwxr")
	f.Fuzz(func(t *testing.T, text string) {
		bits, err := entry.ParsePermissions(text)
		if err != nil {
			require.ErrorIs(t, err, entry.ErrPermissions)
			return
		}
		again, err := entry.ParsePermissions(string(bits.AppendNine(nil)))
		require.NoError(t, err)
		require.Equal(t, bits, again)
	})
}

func FuzzTimeRFC3339(f *testing.F) {
	for _, sec := range []int64{0, -1, 951782400, 1709164800, -62167219200, 253402300799} {
		f.Add(sec, uint32(123456789))
	}
	f.Fuzz(func(t *testing.T, sec int64, nsec uint32) {
		sec %= 253402300800 // years the standard library can write too
		when := entry.Time{Sec: sec, Nsec: nsec % 1e9}
		if sec < -62167219200 {
			return
		}
		require.Equal(t, when.Std().Format("2006-01-02T15:04:05.000000000Z07:00"), string(when.AppendRFC3339(nil)))
	})
}

func TestTimeBeyondFourDigitYears(t *testing.T) {
	far := entry.Time{Sec: 1 << 40}
	assert.Equal(t, "+36812-02-20T00:36:16.000000000Z", string(far.AppendRFC3339(nil)))
	assert.Equal(t, -1, entry.Time{Sec: math.MinInt64}.Compare(far))
}

func TestSplitName(t *testing.T) {
	for name, want := range map[string][2]string{
		"a.wav":          {"a", "wav"},
		"archive.tar.gz": {"archive.tar", "gz"},
		".bashrc":        {".bashrc", ""},
		"..x":            {"..x", ""},
		".a.b":           {".a", "b"},
		"plain":          {"plain", ""},
		"dot.":           {"dot.", ""},
	} {
		stem, ext := entry.SplitName(name)
		assert.Equal(t, want, [2]string{stem, ext}, name)
	}
}

func TestNearest(t *testing.T) {
	for word, want := range map[string]string{"sise": "size", "modifed": "modified", "perm": "permissions", "ownre": "owner", "zzzzzz": ""} {
		assert.Equal(t, want, text.Nearest(word, entry.FieldNames()), word)
	}
}

func TestFolderPaths(t *testing.T) {
	for given, want := range map[string]string{".": "./a/b", "/": "/a/b", "x/": "x/a/b", "x": "x/a/b"} {
		root := &entry.Folder{Place: &entry.Place{Given: given}}
		a := entry.NewFolder(root, "a")
		e := entry.Entry{Folder: a, Name: "b"}
		assert.Equal(t, want, e.Path())
		assert.Equal(t, 2, e.Depth())
		assert.Equal(t, "a/b", e.Relative())
	}
	deep := &entry.Folder{Place: &entry.Place{Given: "top"}}
	for range 5000 {
		deep = entry.NewFolder(deep, "nested")
	}
	assert.Equal(t, "top"+strings.Repeat("/nested", 5000), deep.Path())
}

// Every field answers for an entry of which nothing but the name is known.
func TestFieldsOfUnknownEntry(t *testing.T) {
	e := &entry.Entry{Folder: &entry.Folder{Place: &entry.Place{Given: "p"}}, Name: "n", Kind: entry.KindFile}
	c := &entry.Context{AsOf: time.Now(), Accounts: nobody{}}
	for i := range entry.Fields {
		f := &entry.Fields[i]
		var known bool
		switch f.Type {
		case entry.Text:
			_, known = f.AppendText(nil, e, c)
		case entry.Moment:
			_, known = f.Moment(e)
		case entry.Flag:
			_, known = f.Flag(e)
		default:
			_, known = f.Number(e, c)
		}
		if f.Needs != 0 && f.Name != "broken" { // a file is known not to be a broken link
			assert.False(t, known, "%s needs facts that were not collected", f.Name)
		}
	}
}

type nobody struct{}

func (nobody) UserDoubted(uint32) bool     { return false }
func (nobody) GroupDoubted(uint32) bool    { return false }
func (nobody) User(uint32) (string, bool)  { return "", false }
func (nobody) Group(uint32) (string, bool) { return "", false }
