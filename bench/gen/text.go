package gen

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
)

// Text that is to be looked through.
const (
	textFiles = 8
	textMiB   = 1024
)

// letters are as common as in English: the cumulative shares of the letters in the order of textLetters, in
// thousandths.
const textLetters = "etaoinshrdlcumwfgypbvkjxqz"

var letterShares = [...]int{127, 91, 82, 75, 70, 67, 63, 61, 60, 43, 40, 28, 28, 24, 24, 22, 20, 20, 19, 15, 10, 8, 2, 2, 1, 1}

// text builds files of words of random letters, as common as in English, in lines.
func text(root string) error {
	random := rand.New(rand.NewPCG(18, 67))
	var pool strings.Builder
	for i, share := range letterShares {
		pool.WriteString(strings.Repeat(textLetters[i:i+1], share))
	}
	letters := pool.String()
	for i := range textFiles {
		file, err := os.Create(filepath.Join(root, fmt.Sprintf("notes-%d.txt", i)))
		if err != nil {
			return err
		}
		out := bufio.NewWriterSize(file, 1<<20)
		column := 0
		for range textMiB << 20 / textFiles {
			c := letters[random.IntN(len(letters))]
			switch column++; {
			case column == 80:
				c, column = '\n', 0
			case random.IntN(6) == 0:
				c = ' '
			}
			if err := out.WriteByte(c); err != nil {
				file.Close()
				return err
			}
		}
		if err := out.Flush(); err != nil {
			file.Close()
			return err
		}
		if err := file.Close(); err != nil {
			return err
		}
	}
	return nil
}
