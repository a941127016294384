package entry_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"frankledger/core/entry"
)

// What is moved stays what it is; what only has its inode is another thing; and
// of a folder only the time it was made tells.
func TestIdentity(t *testing.T) {
	file := entry.Entry{Name: "a", Kind: entry.KindFile, Known: entry.FactStatus, Inode: 7, Device: 1, Size: 3, Modified: entry.Time{Sec: 5}, Changed: entry.Time{Sec: 6}}
	id, ok := file.Identity()
	assert.True(t, ok)
	same := func(alter func(e *entry.Entry)) bool {
		other := file
		alter(&other)
		got, ok := other.Identity()
		return ok && got == id
	}
	assert.True(t, same(func(e *entry.Entry) { e.Name, e.Changed, e.Permissions, e.Links = "b", entry.Time{Sec: 9}, 0o600, 2 }))
	for name, alter := range map[string]func(e *entry.Entry){
		"inode": func(e *entry.Entry) { e.Inode++ }, "device": func(e *entry.Entry) { e.Device++ }, "size": func(e *entry.Entry) { e.Size++ },
		"modified": func(e *entry.Entry) { e.Modified.Nsec++ }, "kind": func(e *entry.Entry) { e.Kind = entry.KindPipe },
		"created": func(e *entry.Entry) { e.Known |= entry.FactCreated; e.More = &entry.More{Created: entry.Time{Sec: 1}} },
	} {
		assert.False(t, same(alter), name)
	}
	_, ok = (&entry.Entry{Kind: entry.KindFile}).Identity()
	assert.False(t, ok, "nothing is known")

	folder := entry.Entry{Kind: entry.KindFolder, Known: entry.FactStatus, Inode: 7, Modified: entry.Time{Sec: 5}}
	_, ok = folder.Identity()
	assert.False(t, ok, "when it was made is not known")
	folder.Known |= entry.FactCreated
	folder.More = &entry.More{Created: entry.Time{Sec: 1}}
	before, ok := folder.Identity()
	assert.True(t, ok)
	folder.Modified, folder.Size = entry.Time{Sec: 99}, 8192
	after, _ := folder.Identity()
	assert.Equal(t, before, after, "what happens in it makes no other of it")
}

func TestFirstDigest(t *testing.T) {
	assert.Zero(t, (&entry.Entry{}).FirstDigest())
	assert.Equal(t, entry.FactSHA1, (&entry.Entry{Known: entry.FactBLAKE3 | entry.FactSHA1 | entry.FactStatus}).FirstDigest())
}

func TestKindNamed(t *testing.T) {
	for _, word := range entry.KindWords() {
		kind, ok := entry.KindNamed(word)
		assert.True(t, ok)
		assert.Equal(t, word, kind.String())
	}
	_, ok := entry.KindNamed("thing")
	assert.False(t, ok)
}
