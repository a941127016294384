package entry_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"frankledger/core/entry"
)

func TestUnfit(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		name string
		kind entry.Kind
		size int64
		want string
	}{
		{"plain.txt", entry.KindFile, 1 << 32, "fat32, iso9660"}, {"plain.txt", entry.KindFile, 1<<32 - 1, ""}, {"a:b", entry.KindFile, 0, "fat32, exfat, ntfs, iso9660"},
		{"a<b", entry.KindFolder, 0, "fat32, exfat, ntfs"}, {"a;b", entry.KindFolder, 0, "iso9660"}, {"dot.", entry.KindFile, 0, "fat32, exfat, ntfs, iso9660"},
		{"nul.tar", entry.KindFile, 0, "ntfs"}, {"com1", entry.KindFile, 0, "ntfs"}, {"com0", entry.KindFile, 0, ""}, {"console", entry.KindFile, 0, ""},
		{strings.Repeat("ä", 65), entry.KindFile, 0, "iso9660"}, {strings.Repeat("ä", 128), entry.KindFile, 0, "iso9660"}, {strings.Repeat("😀", 128), entry.KindFile, 0, "fat32, exfat, ntfs, iso9660"},
		{"link", entry.KindLink, 0, "fat32, exfat, ntfs, iso9660"}, {"\xe9", entry.KindFile, 0, "fat32, exfat, ntfs, iso9660"}, {"a\nb", entry.KindFile, 0, "fat32, exfat, ntfs, iso9660"},
	} {
		e := &entry.Entry{Name: c.name, Kind: c.kind, Size: c.size, Known: entry.FactStatus}
		got, _ := entry.FieldNamed("unfit").AppendText(nil, e, nil)
		assert.Equal(t, c.want, string(got), "%q", c.name)
	}
	assert.Empty(t, entry.Unfit("ext4", "a:b", entry.KindLink, 0), "nothing is known of it")
}
