package account_test

import (
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/account"
)

// The name service is asked for what the files do not have, once for each
// number; what neither knows is its number.
func TestNames(t *testing.T) {
	folder := t.TempDir()
	write := func(name, text string, mode os.FileMode) string {
		path := filepath.Join(folder, name)
		require.NoError(t, os.WriteFile(path, []byte(text), mode))
		return path
	}
	passwd := write("passwd", "# comment\nmara:x:501:20:Mara:/home/mara:/bin/sh\nsecond:x:501:20::/:\nbroken line\nbad:x:notanumber:1::/:\n", 0o644)
	group := write("group", "reeds:x:20:mara\n", 0o644)
	log := filepath.Join(folder, "asked")
	write("getent", "#!/bin/sh\necho \"$@\" >>"+log+"\n[ $2 = 900 ] && echo \"remote:x:900:$([ $1 = passwd ] && echo 1:R:/:/bin/sh)\" || exit 2\n", 0o755)
	t.Setenv("PATH", folder+":"+os.Getenv("PATH"))

	names := account.NewFrom(passwd, group, filepath.Join(folder, "none"))
	for range 3 {
		for id, want := range map[uint32]string{501: "mara", 900: "remote", 77: "77"} {
			name, known := names.User(id)
			assert.Equal(t, want, name)
			assert.Equal(t, id != 77, known)
		}
		name, known := names.Group(20)
		assert.Equal(t, "reeds true", name+map[bool]string{true: " true"}[known])
		name, _ = names.Group(900)
		assert.Equal(t, "remote", name)
	}
	asked, err := os.ReadFile(log)
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"passwd 900", "passwd 77", "group 900"}, strings.Split(strings.TrimSpace(string(asked)), "\n"))

	none := account.NewFrom(filepath.Join(folder, "no"), filepath.Join(folder, "no"), "")
	name, known := none.User(0)
	assert.Equal(t, "0", name)
	assert.False(t, known)
}

// A group of very many members hides none of those after it.
func TestLongLine(t *testing.T) {
	group := filepath.Join(t.TempDir(), "group")
	require.NoError(t, os.WriteFile(group, []byte("many:x:20:"+strings.Repeat("member,", 40_000)+"\nreeds:x:21:\n"), 0o644))
	name, known := account.NewFrom(group, group, "").Group(21)
	assert.Equal(t, "reeds", name)
	assert.True(t, known)
}

func TestNumbersOfNames(t *testing.T) {
	folder := t.TempDir()
	passwd, group := filepath.Join(folder, "passwd"), filepath.Join(folder, "group")
	require.NoError(t, os.WriteFile(passwd, []byte("mara:x:501:20::/:\nmara:x:777:20::/:\njonas:x:502:20::/:\n"), 0o644))
	require.NoError(t, os.WriteFile(group, []byte("reeds:x:20:mara\n"), 0o644))
	log := filepath.Join(folder, "asked")
	require.NoError(t, os.WriteFile(filepath.Join(folder, "getent"), []byte("#!/bin/sh\necho \"$@\" >>"+log+"\n[ $2 = remote ] && echo remote:x:900:1::/:\n"), 0o755))
	t.Setenv("PATH", folder+":"+os.Getenv("PATH"))
	names := account.NewFrom(passwd, group, filepath.Join(folder, "none"))
	for name, want := range map[string]uint32{"mara": 501, "jonas": 502, "remote": 900} {
		id, known := names.UserID(name)
		assert.True(t, known, name)
		assert.Equal(t, want, id)
	}
	id, known := names.GroupID("reeds")
	assert.Equal(t, []any{uint32(20), true}, []any{id, known})
	for _, name := range []string{"nobody-here", "501", "-x", ""} {
		_, known := names.UserID(name)
		assert.False(t, known, name)
	}
	asked, err := os.ReadFile(log)
	require.NoError(t, err)
	assert.NotContains(t, string(asked), "-x", "it would be taken for an option")
	assert.Equal(t, []string{"jonas", "mara"}, names.UserNames())
	assert.Equal(t, []string{"reeds"}, names.GroupNames())
}

// Where the name service does not answer, it is not known that a number has no name.
func TestDoubted(t *testing.T) {
	folder := t.TempDir()
	passwd := filepath.Join(folder, "passwd")
	require.NoError(t, os.WriteFile(passwd, []byte("mara:x:501:20::/:\n"), 0o644))
	for status, doubted := range map[string]bool{"0": false, "2": false, "1": true} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, "getent"), []byte("#!/bin/sh\necho remote:x:900:1::/:\nexit "+status+"\n"), 0o755))
		t.Setenv("PATH", folder+":"+os.Getenv("PATH"))
		names := account.NewFrom(passwd, passwd, filepath.Join(folder, "none"))
		names.ExpectUser(501)
		names.ExpectUser(900)
		assert.Equal(t, doubted, names.UserDoubted(77), status)
		assert.Equal(t, doubted, names.GroupDoubted(900) || names.GroupDoubted(77), status)
		for _, known := range []uint32{501, 900} {
			assert.False(t, names.UserDoubted(known))
			_, is := names.User(known)
			assert.True(t, is)
		}
	}
	t.Setenv("PATH", filepath.Join(folder, "none"))
	assert.False(t, account.NewFrom(passwd, passwd, "").UserDoubted(77), "there is nothing to ask")
}

// Numbers that are expected are asked for together; and where only the files have accounts,
// nothing is asked.
func TestExpected(t *testing.T) {
	folder := t.TempDir()
	at := func(name string) string { return filepath.Join(folder, name) }
	require.NoError(t, os.WriteFile(at("passwd"), []byte("mara:x:501:20::/:\n"), 0o644))
	require.NoError(t, os.WriteFile(at("getent"), []byte("#!/bin/sh\necho asked >>"+at("asked")+"\nshift\nfor id; do [ $((id % 2)) = 1 ] || echo even$id:x:$id:1::/:; done\nexit 2\n"), 0o755))
	t.Setenv("PATH", folder+":"+os.Getenv("PATH"))
	for services, asked := range map[string]int{
		"":                              2, // no such file
		"passwd: files sss\n":           2,
		"passwd: files # sss\n":         0,
		"group: files\n":                2,
		"passwd: [x=y]\n":               2,
		" passwd:\tfiles\ngroup: nis\n": 0,
	} {
		t.Run(services, func(t *testing.T) {
			require.NoError(t, os.WriteFile(at("asked"), nil, 0o644))
			file := at("services")
			require.NoError(t, os.WriteFile(file, []byte(services), 0o644))
			if services == "" {
				file = at("none")
			}
			names := account.NewFrom(at("passwd"), at("passwd"), file)
			for i := range uint32(5000) {
				names.ExpectUser(1000 + i)
			}
			for i := range uint32(5000) {
				id := 1000 + i
				want, even := strconv.FormatUint(uint64(id), 10), id%2 == 0 && asked > 0
				if even {
					want = "even" + want
				}
				name, known := names.User(id)
				assert.Equal(t, want, name)
				assert.Equal(t, even, known)
			}
			name, known := names.User(501)
			assert.Equal(t, "mara", name)
			assert.True(t, known)
			log, err := os.ReadFile(at("asked"))
			require.NoError(t, err)
			assert.Equal(t, asked, strings.Count(string(log), "asked"))
		})
	}
}
