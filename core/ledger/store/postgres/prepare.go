package postgres

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"

	"frankledger/core/ledger/store"
)

// Prepare makes a ledger in a database, or brings one up to this version, and reports which of these
// it did. It makes the roles that logins get their rights from, where the server has not got them. From
// version 4 on, others read and write meanwhile; if it is broken off, it goes on where it was.
func Prepare(ctx context.Context, name string) (made, upgraded bool, err error) {
	conn, err := toOwn(ctx, name)
	if err != nil {
		return false, false, err
	}
	defer conn.close()
	is, err := schemaOf(ctx, conn)
	switch {
	case errors.Is(err, store.ErrNone):
	case err != nil:
		return false, false, err
	case is.version > version:
		return false, false, store.ErrNewer
	case is.version == version:
		return false, false, nil
	}
	var database string
	if err := conn.one(ctx, "SELECT current_database()", nil, &database); err != nil {
		return false, false, named(err)
	}
	prefix := prefixFor(database)
	for _, role := range rolesOf(prefix) {
		var there bool
		if err := conn.one(ctx, "SELECT EXISTS (SELECT 1 FROM pg_catalog.pg_roles WHERE rolname = $1)", []any{role}, &there); err != nil {
			return false, false, named(err)
		}
		if !there {
			if err := conn.run(ctx, "CREATE ROLE "+quotedName(role)); err != nil && !isSQLState(err, "42710", "23505") { // another program was faster
				return false, false, named(err)
			}
		}
	}
	err = named(migrate(ctx, conn, is.version, prefix))
	return err == nil && is.version == 0, err == nil && is.version > 0, err
}

// migrate brings a schema of a version to this one.
func migrate(ctx context.Context, conn connection, at int, prefix string) error {
	roles := rolesOf(prefix)
	first := at
	var whole strings.Builder // what is done in one transaction: nobody works with so old a ledger meanwhile
	for ; at < oldest; at++ {
		text, err := allMigrations[at].text()
		if err != nil {
			return err
		}
		whole.WriteString(text)
	}
	if whole.Len() > 0 {
		text := withRoles(whole.String(), roles)
		if first == 0 {
			text += "INSERT INTO frank.about (one, version) VALUES (1, 0);"
		}
		text += fmt.Sprintf("UPDATE frank.about SET roles = '%s';", strings.ReplaceAll(prefix, "'", "''"))
		if err := conn.run(ctx, "BEGIN;"+oneAtATime+text+allMigrations[at-1].done(at)+admittedAgain+"COMMIT"); err != nil {
			return err
		}
	}
	for ; at < version; at++ {
		text, err := allMigrations[at].text()
		if err != nil {
			return err
		}
		for _, s := range append(steps(withRoles(text, roles)), step{statements: allMigrations[at].done(at + 1)}) {
			if err := s.do(ctx, conn); err != nil {
				return err
			}
		}
	}
	return nil
}

// done notes that a schema has a version.
func (m *migration) done(at int) string {
	return fmt.Sprintf("UPDATE frank.about SET version = %d, readers = %d, writers = %d;", at, m.readers, m.writers)
}

// admittedAgain gives logins that were admitted the roles of this ledger.
const admittedAgain = `
DO $$
DECLARE
	a record;
BEGIN
	FOR a IN SELECT DISTINCT d.login, b.roles || CASE d.may WHEN 1 THEN '_read' WHEN 2 THEN '_record' ELSE '_keep' END AS role FROM frank.admitted d, frank.about b
			WHERE d.login <> session_user AND EXISTS (SELECT 1 FROM pg_catalog.pg_roles r WHERE r.rolname = d.login) LOOP
		EXECUTE format('GRANT %I TO %I', a.role, a.login);
	END LOOP;
END $$;
`

func toOwn(ctx context.Context, name string) (connection, error) {
	config, err := parse(name)
	if err != nil {
		return connection{}, err
	}
	conn, err := connectTo(ctx, config)
	return conn, named(err)
}

func isSQLState(err error, codes ...string) bool {
	var server *pgconn.PgError
	return errors.As(err, &server) && slices.Contains(codes, server.Code)
}

// Admitted is what a login may do with records of a host.
type Admitted struct {
	Login, Host string // Host is [EveryHost] for all
	May         int    // 1: read, 2: record, too, 3: also take away, and lay together
}

// EveryHost stands for all hosts.
const EveryHost = "*"

// toPrepared connects to a ledger of this version.
func toPrepared(ctx context.Context, name string) (connection, error) {
	conn, err := toOwn(ctx, name)
	if err != nil {
		return conn, err
	}
	is, err := schemaOf(ctx, conn)
	if err == nil {
		err = is.check(true)
	}
	if err != nil {
		conn.close()
	}
	return conn, err
}

// Admissions returns what logins may do, as far as this one may know that.
func Admissions(ctx context.Context, name string) (list []Admitted, err error) {
	conn, err := toPrepared(ctx, name)
	if err != nil {
		return nil, err
	}
	defer conn.close()
	err = conn.each(ctx, func(r row) error {
		var one Admitted
		err := r.scan(&one.Login, &one.Host, &one.May)
		list = append(list, one)
		return err
	}, "SELECT login, host, may FROM frank.admitted ORDER BY login, host")
	return list, named(err)
}

// Admit has a login do something with records of hosts, no more and no less; 0 for nothing. It is for
// the login that prepared the ledger. It returns what other logins may record of these hosts.
func Admit(ctx context.Context, name, login string, hosts []string, may int) (others []Admitted, err error) {
	conn, err := toPrepared(ctx, name)
	if err != nil {
		return nil, err
	}
	defer conn.close()
	var there bool
	if err := conn.one(ctx, "SELECT EXISTS (SELECT 1 FROM pg_catalog.pg_roles WHERE rolname = $1 AND rolcanlogin)", []any{login}, &there); err != nil {
		return nil, named(err)
	}
	if !there {
		return nil, fmt.Errorf("%w: %s", ErrNoLogin, login)
	}
	if err := conn.run(ctx, "BEGIN"); err != nil {
		return nil, named(err)
	}
	err = func() error {
		for _, host := range hosts {
			if err := conn.exec(ctx, "DELETE FROM frank.admitted WHERE login = $1 AND host = $2", login, host); err != nil {
				return err
			}
			if may > 0 {
				if err := conn.exec(ctx, "INSERT INTO frank.admitted (login, host, may) VALUES ($1, $2, $3)", login, host, may); err != nil {
					return err
				}
			}
		}
		// The roles give rights to the tables as far as any of its hosts does.
		roles, err := rolesIn(ctx, conn)
		if err != nil {
			return err
		}
		for i, role := range roles {
			var wanted, has bool
			if err := conn.one(ctx, "SELECT EXISTS (SELECT 1 FROM frank.admitted WHERE login = $1 AND may = $2), pg_has_role($1, $3, 'MEMBER')", []any{login, i + 1, role}, &wanted, &has); err != nil {
				return err
			}
			quoted := quotedName(login)
			statement := ""
			switch {
			case wanted && !has:
				statement = "GRANT " + quotedName(role) + " TO " + quoted
			case has && !wanted && !isOwner(ctx, conn, login):
				statement = "REVOKE " + quotedName(role) + " FROM " + quoted
			}
			if statement != "" {
				if err := conn.run(ctx, statement); err != nil {
					return err
				}
			}
		}
		return conn.each(ctx, func(r row) error {
			var one Admitted
			err := r.scan(&one.Login, &one.Host, &one.May)
			others = append(others, one)
			return err
		}, "SELECT login, host, may FROM frank.admitted WHERE login <> $1 AND host = ANY ($2) AND may = 2 ORDER BY host, login", login, hosts)
	}()
	if err != nil {
		conn.rollback()
		return nil, named(err)
	}
	return others, named(conn.commit(ctx))
}

// isOwner reports whether a login has all rights anyhow.
func isOwner(ctx context.Context, conn connection, login string) (is bool) {
	conn.one(ctx, "SELECT rolsuper FROM pg_catalog.pg_roles WHERE rolname = $1", []any{login}, &is)
	return is
}
