package textfile_test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"
	"testing/iotest"
	"time"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/textfile"
)

func TestTell(t *testing.T) {
	t.Parallel()
	for content, want := range map[string]textfile.Encoding{
		"": textfile.UTF8, "plain\r\n": textfile.UTF8, "\xef\xbb\xbfmarked": textfile.UTF8, "caf\xc3\xa9": textfile.UTF8, "cut off \xe2\x82": textfile.UTF8,
		"caf\xe9 au lait": textfile.Latin1, "no \x80\xff text": textfile.None, "\x7fELF\x02\x00": textfile.None, "bell\x07 and \x1b[1mbold": textfile.UTF8,
		"\xff\xfeh\x00i\x00": textfile.UTF16LE, "\xfe\xff\x00h\x00i": textfile.UTF16BE, "\x01": textfile.None,
	} {
		got, _ := textfile.Tell([]byte(content))
		assert.Equal(t, want.String(), got.String(), "%q", content)
	}
}

// in writes text in an encoding.
func in(e textfile.Encoding, s string) []byte {
	var b []byte
	switch e {
	case textfile.Latin1:
		for _, r := range s {
			b = append(b, byte(r))
		}
	case textfile.UTF16LE:
		b = append(b, 0xff, 0xfe)
		for _, u := range utf16.Encode([]rune(s)) {
			b = append(b, byte(u), byte(u>>8))
		}
	case textfile.UTF16BE:
		b = append(b, 0xfe, 0xff)
		for _, u := range utf16.Encode([]rune(s)) {
			b = append(b, byte(u>>8), byte(u))
		}
	default:
		b = []byte(s)
	}
	return b
}

func TestSearch(t *testing.T) {
	t.Parallel()
	const song = "first line\nThe Réed Warbler\r\n\nstraße 17 and ΣΊΣΥΦΟΣ\nlast, without an end"
	for _, c := range []struct {
		has, matches string
		matchCase    bool
		line         int64
		text         string
	}{
		{has: "LINE", line: 1, text: "first line"}, {has: "LINE", matchCase: true}, {has: "réed", line: 2, text: "The Réed Warbler"}, {has: "reed", line: 2, text: "The Réed Warbler"},
		{has: "rèed"}, {has: "reed warbler", line: 2, text: "The Réed Warbler"}, {has: "STRASSE", line: 4, text: "straße 17 and ΣΊΣΥΦΟΣ"}, {has: "σίσυφος", line: 4, text: "straße 17 and ΣΊΣΥΦΟΣ"},
		{has: "an end", line: 5, text: "last, without an end"}, {has: "line\nThe"}, {has: "", line: 1, text: "first line"}, {has: "warbler\r"},
		{matches: "^the .*er$", line: 2, text: "The Réed Warbler"}, {matches: "^the .*er$", matchCase: true}, {matches: `\d+`, line: 4, text: "straße 17 and ΣΊΣΥΦΟΣ"}, {matches: "^$", line: 3},
		{matches: "r.ed", line: 2, text: "The Réed Warbler"}, {matches: "end$", line: 5, text: "last, without an end"}, {matches: `line\s+The`},
	} {
		for _, encoding := range []textfile.Encoding{textfile.UTF8, textfile.UTF16LE, textfile.UTF16BE} {
			s := textfile.NewSought(c.matchCase)
			if c.matches != "" {
				_, err := s.Matches(c.matches)
				require.NoError(t, err)
			} else {
				s.Has(c.has)
			}
			got, err := s.NewSearcher().Search(iotest.OneByteReader(bytes.NewReader(in(encoding, song))), nil)
			if encoding != textfile.UTF8 { // whose first block would be one byte
				got, err = s.NewSearcher().Search(bytes.NewReader(in(encoding, song)), nil)
			}
			require.NoError(t, err)
			assert.Equal(t, textfile.Found{Encoding: encoding, Met: map[bool]uint64{true: 1}[c.line > 0], Line: c.line, Text: c.text}, got, "%+v in %s", c, encoding)
		}
	}
	s := textfile.NewSought(false)
	s.Has("cafe")
	found, err := s.NewSearcher().Search(bytes.NewReader([]byte("a\nCAF\xc9\n")), nil)
	require.NoError(t, err)
	assert.Equal(t, textfile.Found{Encoding: textfile.Latin1, Met: 1, Line: 2, Text: "CAFÉ"}, found)
	found, err = s.NewSearcher().Search(strings.NewReader("cafe\x00"), nil)
	require.NoError(t, err)
	assert.Equal(t, textfile.Found{}, found, "no text")
	for range textfile.Most {
		s.Has("more")
	}
	assert.ErrorContains(t, s.Check(), "65 texts")
}

// What fails in between is told, by the file or by who is told how much was read.
func TestSearchFails(t *testing.T) {
	t.Parallel()
	broken := errors.New("broken")
	s := textfile.NewSought(false)
	s.Has("x")
	_, err := s.NewSearcher().Search(io.MultiReader(strings.NewReader("some\n"), iotest.ErrReader(broken)), nil)
	assert.ErrorIs(t, err, broken)
	_, err = s.NewSearcher().Search(strings.NewReader("some\n"), func(int) error { return broken })
	assert.ErrorIs(t, err, broken)
}

// Random texts of all lengths of lines give what looking at each line by itself gives.
func TestSearchAtRandom(t *testing.T) {
	t.Parallel()
	seed := uint64(time.Now().UnixNano())
	t.Logf("seed %d", seed)
	random := rand.New(rand.NewPCG(seed, 1))
	words := []string{"heron", "Reed", "tide ", "réed", "WADER", "x", " ", ",", "ſand", "Kelvin", "\r", "ÅÅ", "ﬁn"}
	for range 12 {
		var b strings.Builder
		for size := random.IntN(2 << 20); b.Len() < size; {
			for range random.IntN([]int{2, 20, 2000}[random.IntN(3)]) {
				b.WriteString(words[random.IntN(4+random.IntN(len(words)-3))])
			}
			if random.IntN(30) > 0 {
				b.WriteByte('\n')
			}
		}
		content := b.String()
		if random.IntN(2) == 0 { // only at the end
			content = strings.ReplaceAll(content, "WADER", "waiter") + "\nWader here\n"
		}
		s := textfile.NewSought(false)
		s.Has("wader")
		_, err := s.Matches(`\bWader +h\w+$`)
		require.NoError(t, err)
		oracle := []*regexp.Regexp{regexp.MustCompile("(?i)wader"), regexp.MustCompile(`(?i)\bWader +h\w+$`)}
		var want textfile.Found
		want.Encoding = textfile.UTF8
		for n, line := range strings.Split(content, "\n") {
			for i, re := range oracle {
				if want.Met&(1<<i) == 0 && re.MatchString(strings.TrimSuffix(line, "\r")) {
					want.Met |= 1 << i
					if want.Line == 0 {
						want.Line = int64(n) + 1
					}
				}
			}
		}
		searcher := s.NewSearcher()
		for range 2 { // again with what was used
			var file io.Reader = strings.NewReader(content)
			if random.IntN(2) == 0 {
				file = struct{ io.Reader }{file} // which can be read once
			}
			got, err := searcher.Search(file, nil)
			require.NoError(t, err)
			got.Text = ""
			if !assert.Equal(t, fmt.Sprintf("%+v", want), fmt.Sprintf("%+v", got), "%d bytes", len(content)) {
				return
			}
		}
	}
}
