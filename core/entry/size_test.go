package entry_test

import (
	"testing"
	"unsafe"

	"github.com/stretchr/testify/assert"

	"frankledger/core/entry"
)

// Millions of entries are kept at a time: what one takes is part of the budget.
func TestEntryIsSmall(t *testing.T) {
	assert.LessOrEqual(t, unsafe.Sizeof(entry.Entry{}), uintptr(144))
}
