package cli

import (
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
	assert.Len(t, p.rootFor([]string{"list"}).Commands(), 1)
	assert.Len(t, p.rootFor([]string{"lost"}).Commands(), len(commands()))
}
