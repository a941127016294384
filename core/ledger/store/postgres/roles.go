package postgres

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"
)

// rolesOf are the names of the roles of a ledger, of which logins get their rights to its tables: to
// read, to record, to keep.
func rolesOf(prefix string) []string {
	return []string{prefix + "_read", prefix + "_record", prefix + "_keep"}
}

// prefixFor is how the names of the roles of a ledger in a database begin: roles are of the whole
// server, which may have other ledgers.
func prefixFor(database string) string {
	const most = 40 // of the 63 bytes of a name
	if len(database) > most {
		sum := sha256.Sum256([]byte(database))
		database = strings.ToValidUTF8(database[:most-9], "") + "_" + hex.EncodeToString(sum[:4])
	}
	return "frank_" + database
}

// withRoles puts the names of roles into statements.
func withRoles(text string, roles []string) string {
	quoted := slices.Clone(roles)
	for i := range quoted {
		quoted[i] = quotedName(quoted[i])
	}
	// Statements of version 2 have names that were of the whole server.
	return strings.NewReplacer("READERS", quoted[0], "RECORDERS", quoted[1], "KEEPERS", quoted[2],
		"TO frank_read, frank_record, frank_keep", "TO "+strings.Join(quoted, ", "), "TO frank_record, frank_keep", "TO "+quoted[1]+", "+quoted[2],
		"TO frank_record", "TO "+quoted[1], "TO frank_keep", "TO "+quoted[2]).Replace(text)
}

// quotedName writes a name into a statement.
func quotedName(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// rolesIn returns the names of the roles of a ledger.
func rolesIn(ctx context.Context, conn connection) ([]string, error) {
	var prefix string
	err := conn.one(ctx, "SELECT roles FROM frank.about", nil, &prefix)
	return rolesOf(prefix), err
}
