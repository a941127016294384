package postgres

// turns brings a schema of version 2 to version 3.
//
// Records have turns: the order in which their machine made them. What was taken away is
// remembered, so that it is not sent again.
//
// Which transaction has the row of a host is known by its number, and by that of the row: two
// transactions of one connection can have begun at the same moment.
//
// All that a recorder fills has a bound, so that no sum over it can fail.
const turns = `
ALTER TABLE frank.record ADD COLUMN turn bigint NOT NULL DEFAULT 0;
UPDATE frank.record r SET turn = o.turn FROM (SELECT place, number, greatest(1, max(taken) OVER (PARTITION BY place ORDER BY number)) AS turn FROM frank.record) o
	WHERE o.place = r.place AND o.number = r.number;
ALTER TABLE frank.record ADD CHECK (turn BETWEEN 1 AND 4611686018427387904);
CREATE INDEX record_by_turn ON frank.record (place, label, turn DESC, number DESC);

CREATE TABLE frank.dropped (
	host text NOT NULL CHECK (octet_length(host) BETWEEN 1 AND 255),
	id   bytea NOT NULL CHECK (octet_length(id) = 16),
	PRIMARY KEY (host, id)
);
ALTER TABLE frank.dropped ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.dropped TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.dropped FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 1)) OR frank.may(host, 1));
GRANT INSERT, UPDATE, DELETE ON frank.dropped TO frank_keep;
CREATE POLICY keeping ON frank.dropped FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may(host, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may(host, 3));

CREATE OR REPLACE FUNCTION frank.may_add(at bigint, to_record bigint) RETURNS boolean LANGUAGE plpgsql STABLE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	RETURN EXISTS (SELECT 1 FROM frank.place p JOIN frank.host h ON h.name = p.host
			WHERE p.id = $1 AND h.held = pg_current_xact_id_if_assigned()::text AND h.xmin::text::bigint = pg_current_xact_id_if_assigned()::text::bigint % 4294967296 AND
			(EXISTS (SELECT 1 FROM frank.admitted a WHERE a.login = session_user AND a.host IN (p.host, '*') AND a.may >= 2) AND EXISTS (SELECT 1 FROM frank.number n WHERE n.record = $2 AND n.host = p.host)
				OR frank.may(p.host, 3)))
		AND NOT EXISTS (SELECT 1 FROM frank.record r WHERE r.place = $1 AND r.number >= $2);
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
-- Numbers are given out by the server alone, whatever is wanted: one that was chosen could leave none for others.
CREATE OR REPLACE FUNCTION frank.take_number(whose text, wanted bigint) RETURNS bigint LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
	given bigint;
BEGIN
	IF NOT frank.may($1, 2) THEN
		PERFORM frank.refuse('record', $1);
	END IF;
	WHILE given IS NULL LOOP -- one that was given out before its turn, by an earlier version
		INSERT INTO frank.number (record, host) VALUES (nextval('frank.record_number'), $1) ON CONFLICT DO NOTHING RETURNING record INTO given;
	END LOOP;
	RETURN given;
END $$;
CREATE OR REPLACE FUNCTION frank.add_reread(at bigint, at_time bigint, from_turn bigint, to_turn bigint, all_read boolean, how_many bigint, of_bytes bigint) RETURNS void LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
	latest bigint;
BEGIN
	IF NOT EXISTS (SELECT 1 FROM frank.place p JOIN frank.host h ON h.name = p.host
			WHERE p.id = $1 AND h.held = pg_current_xact_id_if_assigned()::text AND frank.may(p.host, 2)) THEN
		PERFORM frank.refuse('change', 'place ' || $1);
	END IF;
	SELECT coalesce(max(r.n), 0) + 1 INTO latest FROM frank.reread r WHERE r.place = $1;
	INSERT INTO frank.reread (place, n, taken, first, next, whole, files, bytes) VALUES ($1, latest, $2, $3, $4, $5, $6, $7);
	DELETE FROM frank.reread r WHERE r.place = $1 AND r.n <= latest - 1000;
END $$;

DO $$
DECLARE
	c record;
BEGIN
	-- The bounds of version 2, of which one was too narrow: a sparse file can have any size.
	FOR c IN SELECT conname FROM pg_catalog.pg_constraint WHERE conrelid = 'frank.record'::regclass AND contype = 'c' AND pg_get_constraintdef(oid) LIKE '%bytes%1152921504606846976%' LOOP
		EXECUTE format('ALTER TABLE frank.record DROP CONSTRAINT %I', c.conname);
	END LOOP;
END $$;
ALTER TABLE frank.record ADD CHECK (entries BETWEEN 0 AND 1125899906842624 AND bytes >= 0 AND unsized BETWEEN 0 AND entries AND looked BETWEEN 0 AND entries AND hidden BETWEEN 0 AND entries
	AND problems BETWEEN 0 AND 1125899906842624) NOT VALID;
ALTER TABLE frank.problem ADD CHECK (n BETWEEN 0 AND 1125899906842624 AND entries BETWEEN 0 AND 1125899906842624) NOT VALID;
ALTER TABLE frank.sheet ADD CHECK (n BETWEEN 0 AND 16777215) NOT VALID;
ALTER TABLE frank.band ADD CHECK (n BETWEEN 0 AND 16777215 AND stored BETWEEN 0 AND 68719476736) NOT VALID;
ALTER TABLE frank.band_part ADD CHECK (n BETWEEN 0 AND 16777215 AND part BETWEEN 0 AND 1048576) NOT VALID;
ALTER TABLE frank.reread ADD CHECK (files BETWEEN 0 AND 1125899906842624 AND bytes >= 0) NOT VALID;
ALTER TABLE frank.stamp ADD CHECK (octet_length(folders) <= 1073741823) NOT VALID;
UPDATE frank.band SET stored = least(greatest(stored, 0), 68719476736) WHERE stored NOT BETWEEN 0 AND 68719476736;
`
