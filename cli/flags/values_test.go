package flags_test

import (
	"errors"
	"strconv"
	"testing"
	"time"

	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/cli/flags"
	"frankledger/cli/usage"
)

// Each value says itself what it can be, names its option and the wrong word, and keeps the value that
// it had.
func TestValuesSayWhatTheyCanBe(t *testing.T) {
	t.Parallel()
	var number, depth, length flags.Parsed[int]
	var choice flags.Choice
	f := pflag.NewFlagSet("", pflag.ContinueOnError)
	flags.AddNumber(f, &number, "first", "f", "10", "")
	flags.AddDepth(f, &depth, "depth", "d", "2", 1, -1, func() string { return "; or else" }, "")
	flags.AddChoice(f, &choice, "by", "", []string{"size", "disk", "files"}, "disk", "")
	flags.AddParsed(f, &length, "length", "", "", func(words string) (int, error) {
		return len(words), map[bool]error{true: errors.New("too long")}[len(words) > 3]
	}, "")
	assert.Equal(t, []any{10, 2, 1, 0}, []any{number.Value, depth.Value, choice.Index(), length.Value})
	assert.Equal(t, []string{"10", "2", "disk", ""}, []string{f.Lookup("first").DefValue, f.Lookup("depth").DefValue, f.Lookup("by").DefValue, f.Lookup("length").DefValue})
	for _, c := range []struct{ option, words, says string }{
		{"first", "3", ""}, {"first", "0", "--first takes a number from 1 on, not 0"}, {"first", "-2", "--first takes a number from 1 on, not -2"},
		{"depth", "all", ""}, {"depth", "0", `--depth takes a number from 1 on, or all, not "0"; or else`}, {"depth", "x", `--depth takes a number from 1 on, or all, not "x"`},
		{"by", "files", ""}, {"by", "weight", `--by can be size, disk or files, not "weight"`},
		{"length", "abc", ""}, {"length", "abcd", "--length: too long"},
	} {
		err := f.Lookup(c.option).Value.Set(c.words)
		if c.says == "" {
			require.NoError(t, err)
			continue
		}
		var failure *usage.Failure
		require.ErrorAs(t, err, &failure, c.words)
		assert.Equal(t, []string{c.says, c.option, c.words}, []string{failure.Error(), failure.Option, failure.Value})
	}
	assert.Equal(t, []any{3, -1, 2, 3}, []any{number.Value, depth.Value, choice.Index(), length.Value})
	assert.ErrorIs(t, number.Set("many"), strconv.ErrSyntax, "the kind of value says that")
}

// A moment is counted from the time that it is given.
func TestMoment(t *testing.T) {
	t.Parallel()
	var m flags.Moment
	f := pflag.NewFlagSet("", pflag.ContinueOnError)
	flags.AddMoment(f, &m, "as-of", "")
	now := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	for words, want := range map[string]time.Time{"": now, "2026-11-20": time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC), "3 days ago": now.AddDate(0, 0, -3)} {
		require.NoError(t, m.Set(words))
		at, err := m.At(now, time.UTC)
		require.NoError(t, err)
		assert.Equal(t, want, at, words)
	}
	require.NoError(t, m.Set("never"))
	_, err := m.At(now, time.UTC)
	assert.ErrorContains(t, err, "--as-of: ")
}
