package source_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Each visitor names each owner once, and none of an entry without status.
func TestOwners(t *testing.T) {
	var users, groups []uint32
	sink := source.Owners(func(id uint32) { users = append(users, id) }, func(id uint32) { groups = append(groups, id) })
	of := func(known entry.Facts, uid, gid uint32) entry.Entry {
		return entry.Entry{Known: known, UID: uid, GID: gid}
	}
	visit := sink.Visitor()
	require.NoError(t, visit([]entry.Entry{of(entry.FactStatus, 0, 7), of(entry.FactStatus, 501, 7), of(0, 9, 9)}))
	require.NoError(t, visit([]entry.Entry{of(entry.FactStatus, 0, 8), of(entry.FactStatus, 501, 7)}))
	assert.Equal(t, []uint32{0, 501}, users)
	assert.Equal(t, []uint32{7, 8}, groups)
	require.NoError(t, sink.Visitor()([]entry.Entry{of(entry.FactStatus, 0, 7)}))
	assert.Equal(t, []uint32{0, 501, 0}, users, "another visitor")
}
