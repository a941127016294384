package gen

import (
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"time"
)

// alter gives about one file in so many the time of now; always the same
// ones.
func alter(tree string, oneIn int) error {
	random, now := rand.New(rand.NewPCG(3, 4)), time.Now()
	return filepath.WalkDir(tree, func(path string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() && random.IntN(oneIn) == 0 {
			err = os.Chtimes(path, now, now)
		}
		return err
	})
}
