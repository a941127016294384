package weigh_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/core/sums"
	"frankledger/core/weigh"
)

// A reading command is a source, what is asked of it, and one call.
func ExampleRun() {
	folder, err := os.MkdirTemp("", "")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(folder)
	for name, size := range map[string]int{"notes": 300, "recordings/dawn.wav": 5000} {
		os.MkdirAll(filepath.Dir(filepath.Join(folder, name)), 0o755)
		os.WriteFile(filepath.Join(folder, name), make([]byte, size), 0o644)
	}
	place, err := live.Open(folder, 0)
	if err != nil {
		panic(err)
	}
	answer, err := weigh.Run(context.Background(), &source.Set{Sources: []source.Source{place}}, weigh.Options{Plan: weigh.Plan{By: sums.BySize, Depth: 1}})
	if err != nil {
		panic(err)
	}
	for _, row := range answer.Rows {
		fmt.Printf("%q %d\n", row.Folder.Relative(), row.Sum.Size)
	}
	// Output:
	// "" 5300
	// "recordings" 5000
}
