package output_test

import (
	"bytes"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/output"
)

// Nothing that goes to a terminal acts on it, whatever it is and however it is cut
// into writes; plain text and the program's own styles pass as they are.
func FuzzScreen(f *testing.F) {
	f.Add([]byte("plain é 漢\n\ttab \x1b[38;5;102mstyle\x1b[0m\r\n"), 3)
	f.Add([]byte("\x1b[2J \x1b]0;title\x07 \x9b2J \u009b2J \u202e turn \xff\xfe \x00 \r \x1b"), 1)
	f.Add([]byte("\x1b[1;2;3;4;5;6;7;8;9m\x1b[31"), 2)
	f.Fuzz(func(t *testing.T, text []byte, cut int) {
		var whole, parts bytes.Buffer
		w := output.Screen(output.Straight(&whole))
		_, err := w.Write(text)
		require.NoError(t, err)
		require.NoError(t, w.Close(true))
		w = output.Screen(output.Straight(&parts))
		for rest := text; len(rest) > 0; {
			n := min(len(rest), 1+max(cut, -cut)%7)
			_, err := w.Write(rest[:n])
			require.NoError(t, err)
			rest = rest[n:]
		}
		require.NoError(t, w.Close(true))
		require.Equal(t, whole.String(), parts.String())
		shown := whole.String()
		for strings.Contains(shown, "\x1b[") {
			before, after, _ := strings.Cut(shown, "\x1b[")
			end := strings.IndexFunc(after, func(r rune) bool { return r != ';' && (r < '0' || r > '9') })
			require.True(t, end >= 0 && after[end] == 'm', "%q", shown)
			shown = before + after[end+1:]
		}
		shown = strings.ReplaceAll(shown, "\r\n", "\n")
		for _, r := range shown {
			require.False(t, unicode.IsControl(r) && r != '\n' && r != '\t' || unicode.Is(unicode.Bidi_Control, r) || r == unicode.ReplacementChar && !strings.ContainsRune(string(text), r), "%q", shown)
		}
	})
}

func TestScreenPassesText(t *testing.T) {
	for text, want := range map[string]string{
		"a é 漢 👩‍🔬\n\t": "a é 漢 👩‍🔬\n\t", "\x1b[1mbold\x1b[0m": "\x1b[1mbold\x1b[0m", "a\r\nb": "a\r\nb",
		"a\rb": `a\x0db`, "\x1b[2J": `\x1b[2J`, "\xff": `\xff`, "\u202e": `\u202e`, "\u009b": `\u009b`, "\x1b]0;t\x07": `\x1b]0;t\x07`, "\x7f": `\x7f`,
	} {
		safe, rest := output.AppendScreen(nil, []byte(text), true)
		assert.Equal(t, want, string(safe))
		assert.Empty(t, rest)
	}
}
