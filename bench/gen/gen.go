// Package gen makes the trees that the bench measures on. Each is the same whenever it is made
// with the same number.
package gen

import "fmt"

// MostLevels is how deep a chain may be.
const MostLevels = 6000

// Make makes something of so many entries in a folder, which is there, and says what in words.
func Make(what, root string, entries int) (made string, err error) {
	switch what {
	case "tree":
		files, folders, err := tree(root, entries)
		return fmt.Sprintf("%d entries: %d files in %d folders", files+folders, files, folders), err
	case "flat":
		return fmt.Sprintf("%d files in one folder", entries), flat(root, entries)
	case "chain":
		entries = min(entries, MostLevels)
		return fmt.Sprintf("%d folders in one another", entries), chain(root, entries)
	case "content":
		return fmt.Sprintf("content of %d MiB and more", contentMiB), content(root)
	case "text":
		return fmt.Sprintf("%d MiB of text in %d files", textMiB, textFiles), text(root)
	case "act":
		return fmt.Sprintf("%d entries, and %d files to hide", entries, hideFolders*hideFiles), act(root, entries)
	case "record": // in a file
		return fmt.Sprintf("a record of %d entries", entries), record(root, entries)
	case "alter": // one file in so many
		return "", alter(root, entries)
	case "deep":
		return fmt.Sprintf("two chains of %d folders with a file in each", entries), deep(root, entries)
	}
	if _, is := growingKinds[what]; is {
		return "", growing(what, root, entries)
	}
	return "", fmt.Errorf("nothing is made that is called %q", what)
}
