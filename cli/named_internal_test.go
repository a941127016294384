package cli

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A command is made alone when it is asked for by the name it has.
func TestNamed(t *testing.T) {
	p := &Program{}
	for _, list := range [][]named{commands(), actions()} {
		for _, c := range list {
			assert.Equal(t, c.make(p).Name(), c.name)
		}
	}
	all := len(commands())
	for line, want := range map[string]int{"": 1, "help": 1, "list": 1, "lost": all, "help list": 1, "help sizes": all, "__complete list --o": 1, "__complete li": all, "--version": all} {
		assert.Len(t, needed(strings.Fields(line)), want, line)
	}
}
