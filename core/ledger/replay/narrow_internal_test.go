package replay

import (
	"context"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/account"
	"frankledger/core/condition"
	"frankledger/core/condition/compile"
	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/source"
)

// What meets a condition has what that needs, in the summary of the segment that it is in.
func FuzzNeed(f *testing.F) {
	for i, word := range []string{"dawn", "Dawn chorus", "é", "E\u0301t\u00e9", "\u212aelvin", "straße", "STRASSE", "ﬁle", "か\u3099", "각", "\u1100\u1161", "\xff\xfe", "*.wa?", "a{b,c}d", "[ab]cde", "^rec0+9\\.csv$", "(?i)ſ+trange", "\u0345\u03b1", "İstanbul", "ı"} {
		f.Add("x"+word+".WAV", word, i%8, i%3 == 0)
		f.Add(word, word[:len(word)/2], i%8, i%2 == 0)
	}
	accounts := account.New()
	f.Fuzz(func(t *testing.T, name, word string, op int, matchCase bool) {
		ops := [][]string{{"name", "is"}, {"name", "has"}, {"name", "starts"}, {"name", "ends"}, {"name", "like"}, {"name", "matches"}, {"stem", "is"}, {"stem", "ends"}, {"ext", "is"}, {"stem", "has"}, {"stem", "like"}}
		if name == "" || len(name) > 255 || word == "" {
			return
		}
		words := append(append([]string{}, ops[uint(op)%uint(len(ops))]...), word)
		c, err := condition.Parse(words)
		if err != nil {
			return
		}
		p, err := compile.Condition(c, &condition.Environment{AsOf: time.Now(), Zone: time.UTC, MatchCase: matchCase, Accounts: accounts})
		if err != nil {
			return
		}
		e := entry.Entry{Folder: &entry.Folder{Place: &entry.Place{Given: "."}}, Name: name, Kind: entry.KindFile}
		need := p.Need()
		if need == nil || p.Test()(&e, ^entry.Facts(0)) != source.Yes {
			return
		}
		n := &narrowing{}
		assert.True(t, n.meets(need, &e, true), "%q %q", words, name)
		var packer encoding.Packer
		packer.Put(&e, false, false)
		w := encoding.SegmentWriter{Write: func(_ context.Context, s encoding.Segment) error {
			groups, err := encoding.Summarise(s)
			require.NoError(t, err)
			require.Len(t, groups, 1)
			assert.True(t, mayHave(&groups[0], need), "%q %q", words, name)
			return nil
		}}
		require.NoError(t, w.Add(t.Context(), &encoding.FolderVersion{Number: 1, Fresh: true, HasDelta: true}, packer.Delta()))
		require.NoError(t, w.Flush(t.Context()))
	})
}

// mayHave reports whether a group may have what is needed of names.
func mayHave(g *encoding.Group, need source.Need) bool {
	var pieces []encoding.Places
	switch need := need.(type) {
	case source.AllNeeds:
		for _, part := range need {
			if !mayHave(g, part) {
				return false
			}
		}
		return true
	case source.AnyNeed:
		for _, part := range need {
			if mayHave(g, part) {
				return true
			}
		}
		return false
	case source.NeedPiece:
		pieces = encoding.PiecesOfName([]byte(need))
	case source.NeedExt:
		return slices.Contains(g.Values, encoding.ExtValue(string(need)))
	}
	for _, places := range pieces {
		for _, bit := range places.Bits() {
			if g.Pieces[bit/64]&(1<<(bit%64)) == 0 {
				return false
			}
		}
	}
	return true
}
