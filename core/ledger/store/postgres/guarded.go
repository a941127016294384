package postgres

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"
)

// guarded has all tables of version 3 be changed by who may, and in the ways that are meant.
//
// Nobody but who prepared the ledger may UPDATE or DELETE: that is done by functions, which look at their
// rights themselves. Whoever may do it to rows of a table may lock all of that, and so keep everybody
// from reading. Places and numbers of records come from the server alone: one that was chosen could be
// the next of another host, or leave none.
//
// To add anything, a transaction has to have the row of the host. Which has it is known by its
// number, and by that of the row: two transactions of one connection can have begun at the same moment.
const guarded = `
CREATE OR REPLACE FUNCTION frank.has_row(whose text) RETURNS boolean LANGUAGE plpgsql STABLE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	RETURN EXISTS (SELECT 1 FROM frank.host h WHERE h.name = $1 AND h.held = pg_current_xact_id_if_assigned()::text
		AND h.xmin::text::bigint = pg_current_xact_id_if_assigned()::text::bigint % 4294967296);
END $$;
CREATE OR REPLACE FUNCTION frank.may_add(at bigint, to_record bigint) RETURNS boolean LANGUAGE plpgsql STABLE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	RETURN EXISTS (SELECT 1 FROM frank.place p JOIN frank.host h ON h.name = p.host JOIN frank.number n ON n.record = $2 AND n.host = p.host
			WHERE p.id = $1 AND h.held = pg_current_xact_id_if_assigned()::text AND h.xmin::text::bigint = pg_current_xact_id_if_assigned()::text::bigint % 4294967296 AND
			(EXISTS (SELECT 1 FROM frank.admitted a WHERE a.login = session_user AND a.host IN (p.host, '*') AND a.may >= 2) OR frank.may(p.host, 2)))
		AND NOT EXISTS (SELECT 1 FROM frank.record r WHERE r.place = $1 AND r.number >= $2);
END $$;
CREATE OR REPLACE FUNCTION frank.may_change(at bigint, level integer) RETURNS boolean LANGUAGE plpgsql STABLE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	RETURN EXISTS (SELECT 1 FROM frank.place p WHERE p.id = $1 AND frank.may(p.host, $2) AND frank.has_row(p.host));
END $$;
CREATE OR REPLACE FUNCTION frank.change(whose text, by_machine bytea) RETURNS boolean LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
	before bytea;
BEGIN
	IF NOT frank.may($1, 2) THEN
		PERFORM frank.refuse('record', $1);
	END IF;
	SELECT h.machine INTO before FROM frank.host h WHERE h.name = $1;
	INSERT INTO frank.host AS h (name, changes, machine, held) VALUES ($1, 1, $2, pg_current_xact_id()::text)
		ON CONFLICT (name) DO UPDATE SET changes = h.changes + 1, machine = coalesce($2, h.machine), held = excluded.held;
	RETURN coalesce(before <> $2, false);
END $$;
CREATE OR REPLACE FUNCTION frank.take_number(whose text, wanted bigint) RETURNS bigint LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
	given bigint;
BEGIN
	IF NOT frank.may($1, 2) THEN
		PERFORM frank.refuse('record', $1);
	END IF;
	WHILE given IS NULL LOOP -- a keeper of version 2 could have chosen one before its turn
		INSERT INTO frank.number (record, host) VALUES (nextval('frank.record_number'), $1) ON CONFLICT DO NOTHING RETURNING record INTO given;
	END LOOP;
	RETURN given;
END $$;
CREATE OR REPLACE FUNCTION frank.begin_place(whose text, at_path bytea) RETURNS bigint LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
	found bigint;
BEGIN
	IF NOT (frank.may($1, 2) AND frank.has_row($1)) THEN
		PERFORM frank.refuse('record', $1);
	END IF;
	SELECT p.id INTO found FROM frank.place p WHERE p.host = $1 AND sha256(p.path) = sha256($2) AND p.path = $2;
	WHILE found IS NULL LOOP
		INSERT INTO frank.place (id, host, path) VALUES (nextval('frank.place_number'), $1, $2) ON CONFLICT (id) DO NOTHING RETURNING id INTO found;
	END LOOP;
	RETURN found;
END $$;
CREATE OR REPLACE FUNCTION frank.set_counts(at bigint, of_record bigint, looked_at bigint, hidden_in bigint) RETURNS void LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	IF NOT frank.may_change($1, 3) THEN
		PERFORM frank.refuse('change', 'record ' || $2);
	END IF;
	UPDATE frank.record r SET looked = $3, hidden = $4 WHERE r.place = $1 AND r.number = $2;
END $$;
CREATE OR REPLACE FUNCTION frank.drop_kept(at bigint, of_record bigint, of_layer boolean) RETURNS void LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	IF NOT frank.may_change($1, 3) THEN
		PERFORM frank.refuse('change', 'record ' || $2);
	END IF;
	DELETE FROM frank.band_part b WHERE b.place = $1 AND b.record = $2 AND b.layer = $3;
	DELETE FROM frank.band b WHERE b.place = $1 AND b.record = $2 AND b.layer = $3;
	DELETE FROM frank.sheet s WHERE s.place = $1 AND s.record = $2 AND s.layer = $3;
END $$;
CREATE OR REPLACE FUNCTION frank.drop_record(at bigint, of_record bigint) RETURNS void LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	IF NOT frank.may_change($1, 3) THEN
		PERFORM frank.refuse('change', 'record ' || $2);
	END IF;
	DELETE FROM frank.problem q WHERE q.place = $1 AND q.record = $2;
	DELETE FROM frank.record r WHERE r.place = $1 AND r.number = $2;
	IF EXISTS (SELECT 1 FROM frank.record r WHERE r.place = $1) THEN
		RETURN;
	END IF;
	DELETE FROM frank.volume v WHERE v.place = $1;
	DELETE FROM frank.stamp s WHERE s.place = $1;
	DELETE FROM frank.reread r WHERE r.place = $1;
	DELETE FROM frank.mismatch m WHERE m.place = $1;
	DELETE FROM frank.place p WHERE p.id = $1;
END $$;
CREATE OR REPLACE FUNCTION frank.drop_mismatch(at bigint, named bytea) RETURNS void LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	IF NOT frank.may_change($1, 3) THEN
		PERFORM frank.refuse('change', 'place ' || $1);
	END IF;
	DELETE FROM frank.mismatch m WHERE m.place = $1 AND sha256(m.way) = sha256($2) AND m.way = $2;
END $$;
CREATE OR REPLACE FUNCTION frank.add_dropped(whose text, known_by bytea) RETURNS void LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	IF NOT (frank.may($1, 3) AND frank.has_row($1)) THEN
		PERFORM frank.refuse('change', $1);
	END IF;
	INSERT INTO frank.dropped (host, id) VALUES ($1, $2) ON CONFLICT DO NOTHING;
END $$;
CREATE OR REPLACE FUNCTION frank.add_mismatch(at bigint, named bytea, of_record bigint, at_time bigint, by text, old bytea, new bytea) RETURNS void LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	IF NOT frank.may_add($1, $3) THEN
		PERFORM frank.refuse('change', 'record ' || $3);
	END IF;
	INSERT INTO frank.mismatch (place, way, record, found, algorithm, before, now) VALUES ($1, $2, $3, $4, $5, $6, $7) ON CONFLICT (place, sha256(way)) DO UPDATE SET now = excluded.now;
END $$;
CREATE OR REPLACE FUNCTION frank.add_reread(at bigint, at_time bigint, from_turn bigint, to_turn bigint, all_read boolean, how_many bigint, of_bytes bigint) RETURNS void LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
	latest bigint;
BEGIN
	IF NOT frank.may_change($1, 2) THEN
		PERFORM frank.refuse('change', 'place ' || $1);
	END IF;
	SELECT coalesce(max(r.n), 0) + 1 INTO latest FROM frank.reread r WHERE r.place = $1;
	INSERT INTO frank.reread (place, n, taken, first, next, whole, files, bytes) VALUES ($1, latest, $2, $3, $4, $5, $6, $7);
	DELETE FROM frank.reread r WHERE r.place = $1 AND r.n <= latest - 1000;
END $$;

-- Rights are given anew, to the roles of this ledger: those of version 2 were of the whole server.
DO $$
DECLARE
	p record;
	old text;
BEGIN
	FOR p IN SELECT policyname, tablename FROM pg_catalog.pg_policies WHERE schemaname = 'frank' LOOP
		EXECUTE format('DROP POLICY %I ON frank.%I', p.policyname, p.tablename);
	END LOOP;
	FOREACH old IN ARRAY ARRAY['frank_read', 'frank_record', 'frank_keep'] LOOP
		IF EXISTS (SELECT 1 FROM pg_catalog.pg_roles WHERE rolname = old) THEN
			EXECUTE format('REVOKE ALL ON ALL TABLES IN SCHEMA frank FROM %I', old);
			EXECUTE format('REVOKE ALL ON ALL FUNCTIONS IN SCHEMA frank FROM %I', old);
		END IF;
	END LOOP;
END $$;
REVOKE ALL ON ALL TABLES IN SCHEMA frank FROM READERS, RECORDERS, KEEPERS;
REVOKE ALL ON ALL FUNCTIONS IN SCHEMA frank FROM PUBLIC, READERS, RECORDERS, KEEPERS;
GRANT EXECUTE ON FUNCTION frank.may(text, integer), frank.may_of(bigint, integer), frank.refuse(text, text) TO READERS, RECORDERS, KEEPERS;
GRANT EXECUTE ON FUNCTION frank.has_row(text), frank.may_add(bigint, bigint), frank.may_change(bigint, integer), frank.take_number(text, bigint), frank.change(text, bytea),
	frank.begin_place(text, bytea), frank.set_stamps(bigint, bigint, bytea), frank.add_mismatch(bigint, bytea, bigint, bigint, text, bytea, bytea),
	frank.add_reread(bigint, bigint, bigint, bigint, boolean, bigint, bigint) TO RECORDERS, KEEPERS;
GRANT EXECUTE ON FUNCTION frank.set_counts(bigint, bigint, bigint, bigint), frank.drop_kept(bigint, bigint, boolean), frank.drop_record(bigint, bigint),
	frank.drop_mismatch(bigint, bytea), frank.add_dropped(text, bytea) TO KEEPERS;
-- These look at the rights of whoever asks, and are asked before who that is is known.
GRANT EXECUTE ON FUNCTION frank.take_number(text, bigint), frank.change(text, bytea), frank.begin_place(text, bytea), frank.set_counts(bigint, bigint, bigint, bigint),
	frank.drop_kept(bigint, bigint, boolean), frank.drop_record(bigint, bigint), frank.drop_mismatch(bigint, bytea), frank.add_dropped(text, bytea) TO READERS, RECORDERS, KEEPERS;
`

// policies have rows be seen and added by who may.
func policies() (text string) {
	const every = "READERS, RECORDERS, KEEPERS"
	add := func(table, read string, adders ...string) {
		text += "ALTER TABLE frank." + table + " ENABLE ROW LEVEL SECURITY;\n"
		text += "GRANT SELECT ON frank." + table + " TO " + every + ";\n"
		text += "CREATE POLICY reading ON frank." + table + " FOR SELECT TO " + every + " USING (" + read + ");\n"
		for i := 0; i+1 < len(adders); i += 2 {
			text += "GRANT INSERT ON frank." + table + " TO " + adders[i] + ";\n"
			text += "CREATE POLICY adding" + strings.Repeat("_too", i/2) + " ON frank." + table + " FOR INSERT TO " + adders[i] + " WITH CHECK (" + adders[i+1] + ");\n"
		}
	}
	// What is asked first is asked once for all rows.
	const ofPlace = "(SELECT frank.may('*', 1)) OR frank.may_of(place, 1)"
	ofHost := func(column, least string) string {
		return "(SELECT frank.may('*', " + least + ")) OR frank.may(" + column + ", " + least + ")"
	}
	for _, table := range []string{"problem", "sheet", "band", "band_part"} {
		add(table, ofPlace, "RECORDERS, KEEPERS", "frank.may_add(place, record)", "KEEPERS", "frank.may_change(place, 3)")
	}
	add("record", ofPlace, "RECORDERS, KEEPERS", "frank.may_add(place, number)")
	add("volume", ofPlace, "RECORDERS, KEEPERS", "frank.may_change(place, 2)")
	for _, table := range []string{"stamp", "reread", "mismatch"} {
		add(table, ofPlace)
	}
	add("place", ofHost("host", "1"))
	add("host", ofHost("name", "1"))
	add("dropped", ofHost("host", "1"))
	add("number", ofHost("host", "3"))
	add("admitted", "login = session_user OR (SELECT frank.may('*', 3))")
	return text + "GRANT SELECT ON frank.about TO PUBLIC;\nGRANT USAGE ON SCHEMA frank TO PUBLIC;\n"
}

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
