package digestlist_test

import (
	"fmt"
	"strings"

	"frankledger/core/digestlist"
)

// Lists of digests are read in whichever of the usual forms they are.
func ExampleRead() {
	list, err := digestlist.Read(strings.NewReader("d41d8cd98f00b204e9800998ecf8427e  notes/empty.txt\n"), "MD5SUMS")
	if err != nil {
		panic(err)
	}
	for _, line := range list.Lines {
		fmt.Println(line.Name, line.Digest.Names())
	}
	// Output:
	// notes/empty.txt md5
}
