package postgres

import (
	"embed"
	"strings"
)

// version is that of the schema: that of the last migration.
const version = 3

// schemaName is the schema that all tables are in.
const schemaName = "frank"

// migrations bring a schema from one version to the next, from none on. In them, READERS, RECORDERS and
// KEEPERS stand for the roles of the ledger; see withRoles. Migrations that were published
// are never changed.
//
//go:embed migrations
var migrations embed.FS

// migrationsFrom returns the statements that bring a schema of a version to this one.
func migrationsFrom(at int) (string, error) {
	var text strings.Builder
	for _, name := range []string{"1-tables", "2-rights", "3-turns"}[at:] {
		one, err := migrations.ReadFile("migrations/" + name + ".sql")
		if err != nil {
			return "", err
		}
		text.Write(one)
	}
	return text.String(), nil
}
