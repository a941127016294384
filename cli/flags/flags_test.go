package flags_test

import (
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/cli/flags"
	"frankledger/cli/usage"
)

// parsed is a command with some options, and its words read.
func parsed(t *testing.T, words ...string) (*cobra.Command, *flags.Choice, error) {
	t.Helper()
	cmd := &cobra.Command{Use: "weigh"}
	f, by := cmd.Flags(), &flags.Choice{}
	flags.AddChoice(f, by, "by", "b", []string{"size", "disk", "files"}, "size", "")
	f.Int("heaviest", 0, "")
	f.String("depth", "all", "")
	f.String("as", "table", "")
	f.String("since", "", "")
	f.Bool("explain", false, "")
	return cmd, by, cmd.ParseFlags(words)
}

func TestChoice(t *testing.T) {
	t.Parallel()
	cmd, by, err := parsed(t)
	require.NoError(t, err)
	assert.Equal(t, "size", by.String())
	assert.Equal(t, "size", cmd.Flags().Lookup("by").DefValue)
	_, by, err = parsed(t, "-b", "files")
	require.NoError(t, err)
	assert.Equal(t, 2, by.Index())
	_, by, err = parsed(t, "--by", "sise")
	var wrong *usage.Failure
	require.ErrorAs(t, err, &wrong)
	assert.Equal(t, `--by can be size, disk or files, not "sise"`, wrong.Error())
	assert.Equal(t, []string{"by", "sise"}, []string{wrong.Option, wrong.Value})
	assert.Equal(t, usage.StatusUsage, wrong.Status)
	assert.Equal(t, "size", by.String(), "what is wrong is not taken")
	var none flags.Choice
	flags.AddChoice((&cobra.Command{}).Flags(), &none, "ask", "", []string{"each"}, "", "")
	assert.Equal(t, -1, none.Index())
	assert.Empty(t, none.String())
}

func TestExclusions(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		words  []string
		format string
		want   string
	}{
		{[]string{"--heaviest", "3"}, "table", ""},
		{[]string{"--heaviest", "3", "--depth", "2"}, "table", "--heaviest and --depth contradict each other: --heaviest shows only files"},
		{[]string{"--heaviest", "3", "--by", "disk"}, "table", ""},
		{[]string{"--by", "files", "--heaviest", "3"}, "table", "--heaviest and --by files contradict each other: each row is one file"},
		{[]string{"--explain=false", "--depth", "2"}, "table", ""},
		{[]string{"--since", "", "--heaviest", "3"}, "table", ""},
		{[]string{"--since", "@x"}, "svg", "--since and --as svg contradict each other: a picture shows only the sizes of now"}, // the ending of a file says so
		{[]string{"--since", "@x"}, "paths0", "--since and --as paths0 contradict each other: a path does not show how much changed"},
	} {
		cmd, _, err := parsed(t, c.words...)
		require.NoError(t, err)
		err = flags.CheckExclusions(cmd, c.format)
		if c.want == "" {
			assert.NoError(t, err, "%q", c.words)
		} else {
			assert.EqualError(t, err, c.want, "%q", c.words)
		}
	}
}
