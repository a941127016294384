package postgres

import (
	"context"
	"embed"
	"fmt"
	"strings"
	"time"

	"frankledger/core/ledger/store"
)

// A schema has a version: that of the last migration. This program makes schemas of version, and works with older
// ones from oldest on. It also works with newer ones that say that it may.
const (
	version = 5
	oldest  = 4
)

// schemaName is the schema that all tables are in.
const schemaName = "frank"

// migrations bring a schema from one version to the next, from none on. In them, READERS, RECORDERS and
// KEEPERS stand for the roles of the ledger; see withRoles. Migrations that were published
// are never changed.
//
//go:embed migrations
var migrations embed.FS

// migration brings a schema to the version that is its place in the list, counted from 1.
type migration struct {
	name    string
	readers int // the least version that programs must know to read the schema, from then on
	writers int // and to write to it
}

var allMigrations = [version]migration{{"1-tables", 1, 1}, {"2-rights", 2, 2}, {"3-turns", 3, 3}, {"4-versions", 4, 4}, {"5-newest", 4, 4}}

func (m *migration) text() (string, error) {
	text, err := migrations.ReadFile("migrations/" + m.name + ".sql")
	return string(text), err
}

// step is a part of a migration that is done while others work with the ledger.
type step struct {
	statements string
	alone      bool // outside a transaction
	again      bool // until it changes nothing
}

// stepMark begins the line before a step.
const stepMark = "\n-- step"

// steps parts a migration; one without steps has none.
func steps(text string) (list []step) {
	parts := strings.Split(text, stepMark)
	for _, part := range parts[1:] {
		how, statements, _ := strings.Cut(part, "\n")
		how = strings.TrimSpace(how)
		list = append(list, step{statements, how == "alone", how == "again"})
	}
	return list
}

const (
	// lockWait is how long a step may wait for a lock: as long as that, others wait behind it.
	lockWait = 500 * time.Millisecond
	// stepPatience is how long a step is tried again that gets no lock.
	stepPatience = 10 * time.Minute
)

// do carries out a step. A step that finds a table locked lets the others go first, and tries again.
func (s *step) do(ctx context.Context, conn connection) error {
	wait := 50 * time.Millisecond
	for begun := time.Now(); ; {
		changed, err := s.once(ctx, conn)
		switch {
		case err == nil && s.again && changed:
			continue
		case !isSQLState(err, "55P03", "40001", "40P01"):
			return err
		case time.Since(begun) > stepPatience:
			return fmt.Errorf("%w: %w", store.ErrBusy, err)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(wait):
		}
		wait = min(2*wait, 2*time.Second)
	}
}

func (s *step) once(ctx context.Context, conn connection) (changed bool, err error) {
	if s.alone { // it waits for those who read and write, and holds nobody up
		return false, conn.run(ctx, strings.TrimSpace(s.statements))
	}
	results, err := conn.Exec(ctx, fmt.Sprintf("BEGIN; SET LOCAL lock_timeout = %d; %s\n%s", lockWait.Milliseconds(), oneAtATime, s.statements)).ReadAll()
	if err == nil {
		for _, result := range results {
			changed = changed || result.CommandTag.Update() && result.CommandTag.RowsAffected() > 0
		}
		err = conn.commit(ctx)
	}
	if err != nil {
		conn.rollback()
	}
	return changed, err
}

// oneAtATime has nobody else prepare the same database until the transaction ends: the number is this program's. A
// lock of the session would stay with the connection of a pooler.
const oneAtATime = "SELECT pg_advisory_xact_lock(1718772078, hashtext(current_database()));"
