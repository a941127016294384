package text_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/text"
)

func TestFold(t *testing.T) {
	for _, c := range []struct{ a, b string }{
		{"É", "e\u0301"}, {"Straße", "STRASSE"}, {"ﬁn", "FIN"}, {"Ωm", "ωM"}, {"\u212b", "å"}, {"a\xffB", "A\xffb"}, {"İ", "i\u0307"},
	} {
		assert.Equal(t, string(text.Fold([]byte(c.a), false)), string(text.Fold([]byte(c.b), false)), "%q and %q", c.a, c.b)
	}
	assert.Equal(t, "É", string(text.Fold([]byte("E\u0301"), true)), "composed, and case kept")
	assert.NotEqual(t, string(text.Fold([]byte("A"), true)), string(text.Fold([]byte("a"), true)))
}

func TestPlain(t *testing.T) {
	for given, want := range map[string]string{"Café": "Cafe", "e\u0301": "e", "Łódź": "Lodz", "smørrebrød": "smorrebrod", "plain": "plain", "が": "が", "\u0e01\u0e49": "\u0e01\u0e49", "a\xff": "a\xff"} {
		assert.Equal(t, want, string(text.Plain([]byte(given))), "%q", given)
	}
}

func TestNearest(t *testing.T) {
	words := []string{"name", "modified", "mode", "size"}
	for word, want := range map[string]string{"nmae": "name", "NAME": "name", "modifed": "modified", "siz": "size", "mod": "mode", "xyz": "", "": "", "modifi": "modified"} {
		assert.Equal(t, want, text.Nearest(word, words), word)
	}
}

func TestIsPrintable(t *testing.T) {
	for _, r := range "aé漢\u200d\u200c\U0001f469 \u00a0" {
		assert.True(t, text.IsPrintable(r), "%U", r)
	}
	for _, r := range "\n\x1b\x7f\u0085\u00ad\u202e\u2066\u2028\ufeff\ue000\U000e0001" {
		assert.False(t, text.IsPrintable(r), "%U", r)
	}
	for r := range rune(0x3000) { // whatever acts on a terminal or on the direction is not
		if unicode.IsControl(r) || unicode.Is(unicode.Bidi_Control, r) {
			assert.False(t, text.IsPrintable(r), "%U", r)
		}
	}
}

func TestCompareNatural(t *testing.T) {
	// Names that differ only in letter case or leading zeros come in order of their bytes.
	want := []string{"", " a", "-x", "7", "007b", "7c", "A", "a", "a b", "a01", "a1", "a2", "a10", "B", "site-9", "site-10", "Site-11", "site-99999999999999999999998", "site-99999999999999999999999", "z", "é", "干"}
	got := slices.Clone(want)
	seed := rand.Uint64()
	rand.New(rand.NewPCG(seed, 0)).Shuffle(len(got), func(i, j int) { got[i], got[j] = got[j], got[i] })
	slices.SortFunc(got, text.CompareNatural)
	assert.Equal(t, want, got, "seed %d", seed)
}

func FuzzCompareNatural(f *testing.F) {
	f.Add("site-9", "site-10", "Site-9")
	f.Add("a\xff1", "a\xff01", "É")
	f.Fuzz(func(t *testing.T, a, b, c string) {
		require.Zero(t, text.CompareNatural(a, a))
		ab, bc, ac := text.CompareNatural(a, b), text.CompareNatural(b, c), text.CompareNatural(a, c)
		require.Equal(t, ab == 0, a == b)
		require.Equal(t, ab < 0, text.CompareNatural(b, a) > 0)
		if ab < 0 && bc < 0 {
			require.Negative(t, ac)
		}
	})
}

// Keys are in the order of the names that they are of, also behind what two names have in common.
func FuzzNaturalKey(f *testing.F) {
	for _, pair := range [][2]string{{"a9", "a10"}, {"a", "a0"}, {"a/", "a0"}, {"a0", "a:"}, {"007", "7"}, {"\u212aelvin", "kelvin"}, {"\u0130", "i1"}, {"\xff", "\xfe"}, {"\u00dcber", "\u00fcBER9"}, {"", "\x01"}, {"5", "\u00e9"}, {strings.Repeat("9", 300), strings.Repeat("9", 256)}} {
		f.Add(pair[0], pair[1])
	}
	f.Fuzz(func(t *testing.T, a, b string) {
		if strings.ContainsRune(a+b, 0) {
			t.Skip("no name has that")
		}
		holds := func(x, y string) {
			want := text.CompareNatural(x, y)
			switch p, q := text.NaturalKey(x), text.NaturalKey(y); {
			case p < q:
				assert.Negative(t, want, "%q %q", x, y)
			case p > q:
				assert.Positive(t, want, "%q %q", x, y)
			}
		}
		holds(a, b)
		n := text.Common(a, b)
		assert.Equal(t, text.CompareNatural(a, b) < 0, text.CompareNatural(a[n:], b[n:]) < 0)
		holds(a[n:], b[n:])
	})
}

// What the last bytes tell is what comparing the whole text tells.
func FuzzEnds(f *testing.F) {
	for _, pair := range [][2]string{{"best call.WAV", ".wav"}, {"a", "ba"}, {"a.wáv", ".wav"}, {"a.wav\u0301", ".wav"}, {"\u212a", "k"}, {"straße", "sse"}, {"=\u0338", "="}, {"\xff.wav", ".wav"}} {
		f.Add(pair[0], pair[1], true)
		f.Add(pair[0], pair[1], false)
	}
	f.Fuzz(func(t *testing.T, name, word string, matchCase bool) {
		word = string(text.Fold([]byte(word), matchCase))
		if !text.IsASCII([]byte(word)) {
			return
		}
		if is, known := text.Ends(name, word, matchCase); known {
			assert.Equal(t, strings.HasSuffix(string(text.Plain(text.Fold([]byte(name), matchCase))), word), is)
		}
	})
}
