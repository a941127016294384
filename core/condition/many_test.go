package condition_test

import (
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frankledger/core/condition"
	"frankledger/core/condition/compile"
	"frankledger/core/entry"
	"frankledger/core/source"
)

// Alternatives that are asked about together are met by what meets one of them.
func TestManyAlternatives(t *testing.T) {
	random := rand.New(rand.NewPCG(rand.Uint64(), 1))
	pieces := []string{"a", "A", "b", ".wav", ".x", "é", "e\u0301", "E", "ß", "ss", "\xff", "0", "07", " "}
	word := func(n int) string {
		var b strings.Builder
		for range 1 + random.IntN(n) {
			b.WriteString(pieces[random.IntN(len(pieces))])
		}
		return b.String()
	}
	met := 0
	for range 300 {
		env := &condition.Environment{AsOf: time.Now(), Zone: time.UTC, MatchCase: random.IntN(2) == 0}
		program := func(texts ...string) source.Test {
			c, err := condition.Parse([]string{strings.Join(texts, " or ")})
			require.NoError(t, err, texts)
			p, err := compile.Condition(c, env)
			require.NoError(t, err)
			return p.Test()
		}
		var texts []string
		for range 2 + random.IntN(6) {
			ask := []string{"name is ", "name has ", "ext is ", "stem has ", "name starts "}[random.IntN(5)]
			value := word(3)
			if ask == "ext is " {
				value = "x" + strings.ReplaceAll(value, ".", "")
			}
			texts = append(texts, ask+"\""+value+"\"")
		}
		all := program(texts...)
		var each []source.Test
		for _, text := range texts {
			each = append(each, program(text))
		}
		for range 40 {
			e := &entry.Entry{Folder: &entry.Folder{Place: &entry.Place{Given: "."}}, Name: word(5), Kind: entry.KindFile}
			want := source.No
			for _, test := range each {
				if test(e, ^entry.Facts(0)) == source.Yes {
					want = source.Yes
				}
			}
			if want == source.Yes {
				met++
			}
			require.Equal(t, want, all(e, ^entry.Facts(0)), "%q %q", texts, e.Name)
		}
	}
	require.Greater(t, met, 100)
}
