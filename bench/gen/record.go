package gen

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"time"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/source"
)

// record makes a ledger with a record of so many entries that were never anywhere: with
// names, sizes and times like those that tree makes, in folders of 5 to 60 entries.
func record(file string, entries int) error {
	ctx := context.Background()
	l, err := ledger.Create(ctx, file)
	if err != nil {
		return err
	}
	defer l.Close()
	place := &entry.Place{Given: "/srv/tern-point", Full: "/srv/tern-point"}
	taken := recording.NewSnapshot(place)
	visit := taken.Visitor()
	random := rand.New(rand.NewPCG(7, 11))
	extensions := []string{".wav", ".csv", ".txt", ".json", ".png", ".md", ".log"}
	now := time.Now()
	open := []*entry.Folder{{Place: place}}
	files, folders := 0, 0
	for files+folders < entries {
		pick := len(open) - 1 - random.IntN(min(len(open), 2000))
		folder := open[pick]
		open[pick] = open[len(open)-1]
		open = open[:len(open)-1]
		var batch []entry.Entry
		for range min(5+random.IntN(56), entries-files-folders) {
			at := entry.TimeOf(now.Add(-time.Duration(random.IntN(3*365*24)) * time.Hour))
			e := entry.Entry{Folder: folder, Kind: entry.KindFile, Known: entry.FactStatus | entry.FactCreated, Inode: uint64(files + folders + 20), Device: 1, Links: 1, UID: 1000, GID: 1000,
				Permissions: 0o644, Modified: at, Accessed: at, Changed: entry.TimeOf(now), More: &entry.More{Created: entry.TimeOf(now)}}
			if random.IntN(23) == 0 || len(open) == 0 {
				e.Name, e.Kind, e.Permissions, e.Size = fmt.Sprintf("site-%d", folders), entry.KindFolder, 0o755, 4096
				e.Inside = entry.NewFolder(folder, e.Name)
				open = append(open, e.Inside)
				folders++
			} else {
				e.Name, e.Size = fmt.Sprintf("rec%06d-%d%s", files, random.IntN(100), extensions[random.IntN(len(extensions))]), int64(random.IntN(20000))
				files++
			}
			batch = append(batch, e)
		}
		if err := visit(batch); err != nil {
			return err
		}
	}
	_, _, err = recording.Write(ctx, l, ledger.Record{Label: "t", Host: "tern-point", Place: filepath.Clean(place.Full), Taken: now}, taken, source.Report{}, recording.Options{})
	return err
}
