package cli

import (
	"io"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"

	"frankledger/cli/flags"
)

// Options that exclude one another are options of one command.
func TestExclusionsAreOfACommand(t *testing.T) {
	t.Parallel()
	var all []*cobra.Command
	var add func(cmd *cobra.Command)
	add = func(cmd *cobra.Command) {
		all = append(all, cmd)
		for _, below := range cmd.Commands() {
			add(below)
		}
	}
	add(newProgram(io.Discard, io.Discard, nil).Root())
	for _, pair := range flags.Exclusions() {
		found := false
		for _, cmd := range all {
			has := func(option string) bool {
				name, _, _ := strings.Cut(option, "=")
				return cmd.Flags().Lookup(name) != nil
			}
			found = found || has(pair[0]) && has(pair[1])
		}
		assert.True(t, found, "no command has both %s and %s", pair[0], pair[1])
	}
}
