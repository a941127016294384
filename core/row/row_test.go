package row_test

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"frankledger/core/row"
)

type inner struct {
	name  string
	count int64
}

type outer struct{ in inner }

func TestThrough(t *testing.T) {
	columns := []row.Column[inner]{
		row.TextColumn("name", "", func(i inner) (string, bool) { return i.name, i.name != "" }).Shrinking().LeftBlank(),
		row.NumberColumn("count", "", row.Count, func(i inner) (int64, bool) { return i.count, i.count >= 0 }).AtLeast(func(i inner) bool { return i.count > 9 }).For(row.Flat),
		row.TextColumn("note", "", func(inner) (string, bool) { return "", false }).Instead(func(i inner) string { return "no " + i.name }).IfAny().Kept(),
	}
	through := row.AllThrough(columns, func(o outer) inner { return o.in })
	for _, in := range []inner{{"a", 1}, {"", -1}, {"b", 10}} {
		name, hasName := through[0].Text(outer{in})
		wantName, wanted := columns[0].Text(in)
		assert.Equal(t, []any{wantName, wanted}, []any{name, hasName})
		count, hasCount := through[1].Number(outer{in})
		assert.Equal(t, []any{in.count, in.count >= 0, in.count > 9}, []any{count, hasCount, through[1].Mark(outer{in}) == row.AtLeast})
	}
	assert.True(t, through[0].Shrinks() && through[0].Blank())
	assert.True(t, through[2].NeedsAny() && through[2].IsKept())
	assert.Equal(t, "no a", through[2].Words(outer{inner{"a", 1}}))
	assert.Len(t, row.Choose(through, row.Flat), 3)
	assert.Len(t, row.Choose(through, row.Screen), 2)
	assert.Len(t, row.Choose(row.Only(through, row.Programs), row.Screen), 0)
	assert.Equal(t, row.Count, row.Named(through, "count").Type)
	assert.Nil(t, row.Named(through, "other"))
}

// Who a column is for decides who is given it; one that is shown otherwise to people stands twice.
func TestShown(t *testing.T) {
	exact := row.NumberColumn("size", "", row.Bytes, func(i inner) (int64, bool) { return i.count, true })
	both := exact.Shown(row.TextColumn("size", "", func(inner) (string, bool) { return "about", true }))
	assert.Equal(t, row.Bytes, row.Choose(both, row.Nested)[0].Type)
	assert.Equal(t, row.Text, row.Choose(both, row.Page)[0].Type)
	assert.Len(t, row.Choose(both, row.Screen), 1)
}

func TestTextsColumn(t *testing.T) {
	c := row.TextsColumn("unknown", "", func(words []string) []string { return words })
	for want, words := range map[string][]string{"": nil, `["a"]`: {"a"}, `["a","b c"]`: {"a", "b c"}} {
		text, has := c.Text(words)
		assert.Equal(t, []any{want, len(words) > 0}, []any{text, has})
	}
	assert.True(t, c.IsOmitted())
}

// Moments are as the standard library has them, as far as that goes.
func TestMoment(t *testing.T) {
	seed := rand.Uint64()
	t.Logf("seed %d", seed)
	random := rand.New(rand.NewPCG(seed, 1))
	at := func() time.Time {
		return time.Unix(random.Int64N(1<<36)-1<<35, random.Int64N(3)*499_999_999).UTC()
	}
	for range 2000 {
		a, b := at(), at()
		x, y := row.MomentOf(a), row.MomentOf(b)
		assert.Equal(t, a, x.Std())
		assert.Equal(t, a.Compare(b), x.Compare(y))
		want := b.Unix() - a.Unix() // seconds, rounded down
		if b.Nanosecond() < a.Nanosecond() {
			want--
		}
		assert.Equal(t, want, x.Until(y))
		if year := a.Year(); year >= 0 && year <= 9999 {
			assert.Equal(t, a.Format("2006-01-02T15:04:05.000000000Z"), string(x.AppendRFC3339(nil)))
		}
	}
	first, last := row.Moment{Sec: math.MinInt64}, row.Moment{Sec: math.MaxInt64}
	assert.EqualValues(t, math.MaxInt64, first.Until(last))
	assert.EqualValues(t, math.MinInt64, last.Until(first))
}
