package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// messy makes a folder as people have it: downloads, photos, logs, caches, copies and spaces in names.
func messy(t *testing.T) string {
	root := t.TempDir()
	old := time.Now().AddDate(0, -3, 0)
	for path, content := range map[string]string{
		"Downloads/Invoice Harbour 2026.pdf": "%PDF-1.4 invoice", "Downloads/IMG_0001.jpg": "\xff\xd8\xff one", "Downloads/backup (1).tar": "same", "Documents/letter to the harbour.txt": "Dear harbour master,\nthe INVOICE is paid.\n",
		"photos/grandmother/garden.jpg": "\xff\xd8\xff garden", "photos/grandmother/boat.jpg": "\xff\xd8\xff boat", "photos/IMG_0001.jpg": "\xff\xd8\xff one", "photos/IMG_0002.jpg": "\xff\xd8\xff two",
		"work/app/cache/a": strings.Repeat("a", 40_000), "work/web/cache/b": strings.Repeat("b", 60_000), "work/app/main.go": "package main", "logs/old.log": "started\n", "logs/new.log": "started\nstopped\n",
		"stick/photos/IMG_0002.jpg": "\xff\xd8\xff two", "shared/plan.txt": "plan", "shared/notes/today.txt": "notes", "trash me.tmp": "", "backup.tar": "same",
	} {
		full := filepath.Join(root, path)
		require.NoError(t, os.MkdirAll(filepath.Dir(full), 0o777))
		require.NoError(t, os.WriteFile(full, []byte(content), 0o666))
		require.NoError(t, os.Chmod(full, 0o666))
	}
	require.NoError(t, os.Chtimes(filepath.Join(root, "logs/old.log"), old, old))
	return root
}

// The jobs that people come with are done by a line each, as they would write it from the help alone.
func TestJobs(t *testing.T) {
	t.Parallel()
	a := newActor(t, messy(t))
	do := func(status int, line string, args ...string) string {
		t.Helper()
		r := a.run(status, append(strings.Fields(line), args...)...)
		return r.out + r.err
	}
	// What fills the disk; how big are all caches together; size per month as a picture.
	assert.Contains(t, do(0, "weigh --first 3"), "work")
	assert.Contains(t, do(0, "weigh where path has /cache/ --depth 0 --quiet"), "97.7 KiB\n")
	do(0, "tally --by month --to months.svg")
	// A nightly record that fails when it grew too much; what grew since then; what was here.
	do(0, "record . --label nightly")
	require.NoError(t, os.WriteFile(filepath.Join(a.root, "work/big.bin"), make([]byte, 300_000), 0o644))
	assert.Contains(t, do(1, "weigh --since @nightly --fail-if", "more than 100kB"), "it grew by more than 100kB")
	assert.Contains(t, do(0, "weigh --since today"), "+293.0 KiB")
	assert.Contains(t, do(0, "list @nightly:today"), "Documents")
	require.NoError(t, os.Remove(filepath.Join(a.root, "photos/grandmother/boat.jpg")))
	do(0, "record . --label nightly --quiet")
	assert.Contains(t, do(0, "search @nightly:all boat"), "1 entry in 2 records of @nightly, 1 of them there no more")
	// Find the invoice, by its name and by what is in it; grandmother's photos.
	assert.Contains(t, do(0, "search invoice"), "Downloads/Invoice Harbour 2026.pdf")
	assert.Contains(t, do(0, "search where text has", "invoice is paid"), "Documents/letter to the harbour.txt     2  the INVOICE is paid.")
	assert.Contains(t, do(0, "search grandmother jpg"), "path has", "a word of a folder's name")
	assert.Contains(t, do(0, "search where path has grandmother and ext is jpg"), "photos/grandmother/garden.jpg")
	// Clear doubles, and keep those in photos; is the stick a complete copy; what on this card is new.
	out := do(0, "act clear . --keep-in photos --carry-out --yes")
	assert.Contains(t, out, "Downloads/IMG_0001.jpg")
	assert.FileExists(t, filepath.Join(a.root, "photos/IMG_0001.jpg"))
	assert.NoFileExists(t, filepath.Join(a.root, "Downloads/IMG_0001.jpg"))
	do(0, "act undo")
	assert.Contains(t, do(1, "compare photos stick/photos --copy"), "B is not a complete copy of A: 2 files are missing in it")
	assert.Contains(t, do(0, "compare stick/photos photos --copy"), "B is a complete copy of A")
	assert.Contains(t, do(0, "duplicates photos Downloads --only-in Downloads"), "Invoice Harbour")
	// A list for a customer; a page for the boss.
	do(0, "list Documents --columns +full_path --units kB --to list.csv")
	do(0, "report . --to report.html")
	page, err := os.ReadFile(filepath.Join(a.root, "report.html"))
	require.NoError(t, err)
	assert.Contains(t, string(page), "as of "+time.Now().UTC().Format("2006-01"))
	// Tidy the permissions of a shared folder.
	do(0, "act permit go-w shared --depth all --carry-out --yes")
	assert.Contains(t, do(0, "act permit go-w shared where kind is file"), "2 have these permissions already")
	// Rename pictures by day and number; sort photos into years and months; one file, a new name.
	day := time.Now().Format(time.DateOnly)
	do(0, "act rename", "@date @n:3.@ext", "photos", "where", "kind", "is", "file", "--carry-out", "--yes")
	assert.FileExists(t, filepath.Join(a.root, "photos", day+" 001.jpg"))
	do(0, "act undo")
	do(0, "act move photos where ext is jpg --into sorted/@year/@month --carry-out --yes")
	assert.FileExists(t, filepath.Join(a.root, "sorted", time.Now().Format("2006/01"), "IMG_0002.jpg"))
	do(0, "act undo")
	assert.NoDirExists(t, filepath.Join(a.root, "sorted"))
	do(0, "act rename saved.tar backup.tar --carry-out --yes")
	assert.FileExists(t, filepath.Join(a.root, "saved.tar"))
	// Pack old logs with a command; trash and back.
	assert.Contains(t, do(0, "act run logs where age over 1 month --carry-out --yes -- cp @path packed"), "1 call: 1 succeeded")
	assert.FileExists(t, filepath.Join(a.root, "packed"))
	do(0, "act remove --carry-out --yes", "trash me.tmp")
	assert.NoFileExists(t, filepath.Join(a.root, "trash me.tmp"))
	assert.Contains(t, do(0, "act journal remove"), "trash me.tmp")
	do(0, "act undo")
	assert.FileExists(t, filepath.Join(a.root, "trash me.tmp"))
	// Has anything decayed?
	do(0, "record work --label work --checksum")
	full := filepath.Join(a.root, "work/app/cache/a")
	info, err := os.Stat(full)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(full, []byte(strings.Repeat("a", 39_999)+"b"), 0o666))
	require.NoError(t, os.Chtimes(full, info.ModTime(), info.ModTime()))
	assert.Contains(t, do(1, "verify @work"), "different   app/cache/a")
}
