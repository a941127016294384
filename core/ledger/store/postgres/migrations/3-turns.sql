-- From version 2 to version 3.
--
-- Records have turns: the order in which their machine made them. What was taken away is
-- remembered, so that it is not sent again.
--
-- All that a recorder fills has a bound, so that no sum over it can fail.
ALTER TABLE frank.record ADD COLUMN turn bigint NOT NULL DEFAULT 0;
UPDATE frank.record r SET turn = o.turn FROM (SELECT place, number, least(4611686018427387904, greatest(1, max(taken) OVER (PARTITION BY place ORDER BY number))) AS turn FROM frank.record) o
	WHERE o.place = r.place AND o.number = r.number;
ALTER TABLE frank.record ADD CHECK (turn BETWEEN 1 AND 4611686018427387904);
CREATE INDEX record_by_turn ON frank.record (place, turn DESC, number DESC);

CREATE TABLE frank.dropped (
	host text NOT NULL CHECK (octet_length(host) BETWEEN 1 AND 255),
	id   bytea NOT NULL CHECK (octet_length(id) = 16),
	PRIMARY KEY (host, id)
);
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
CREATE SEQUENCE frank.place_number;
SELECT setval('frank.place_number', (SELECT coalesce(max(id), 0) + 1 FROM frank.place), false);
-- A path can be longer than an index takes.
ALTER TABLE frank.place DROP CONSTRAINT place_host_path_key;
CREATE UNIQUE INDEX place_by_path ON frank.place (host, sha256(path));
ALTER TABLE frank.mismatch DROP CONSTRAINT mismatch_pkey;
CREATE UNIQUE INDEX mismatch_by_way ON frank.mismatch (place, sha256(way));
ALTER TABLE frank.about ADD COLUMN roles text; -- how the names of the roles of this ledger begin
UPDATE frank.band SET stored = least(greatest(stored, 0), 68719476736) WHERE stored NOT BETWEEN 0 AND 68719476736;


-- All tables are changed by who may, and in the ways that are meant.
--
-- Nobody but who prepared the ledger may UPDATE or DELETE: that is done by functions, which look at their
-- rights themselves. Whoever may do it to rows of a table may lock all of that, and so keep everybody
-- from reading. Places and numbers of records come from the server alone: one that was chosen could be
-- the next of another host, or leave none.
--
-- To add anything, a transaction has to have the row of the host. Which has it is known by its
-- number, and by that of the row: two transactions of one connection can have begun at the same moment.
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

-- Rows are seen and added by who may. What a condition asks first is asked once for all rows.
ALTER TABLE frank.problem ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.problem TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.problem FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT ON frank.problem TO RECORDERS, KEEPERS;
CREATE POLICY adding ON frank.problem FOR INSERT TO RECORDERS, KEEPERS WITH CHECK (frank.may_add(place, record));
GRANT INSERT ON frank.problem TO KEEPERS;
CREATE POLICY adding_too ON frank.problem FOR INSERT TO KEEPERS WITH CHECK (frank.may_change(place, 3));
ALTER TABLE frank.sheet ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.sheet TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.sheet FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT ON frank.sheet TO RECORDERS, KEEPERS;
CREATE POLICY adding ON frank.sheet FOR INSERT TO RECORDERS, KEEPERS WITH CHECK (frank.may_add(place, record));
GRANT INSERT ON frank.sheet TO KEEPERS;
CREATE POLICY adding_too ON frank.sheet FOR INSERT TO KEEPERS WITH CHECK (frank.may_change(place, 3));
ALTER TABLE frank.band ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.band TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.band FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT ON frank.band TO RECORDERS, KEEPERS;
CREATE POLICY adding ON frank.band FOR INSERT TO RECORDERS, KEEPERS WITH CHECK (frank.may_add(place, record));
GRANT INSERT ON frank.band TO KEEPERS;
CREATE POLICY adding_too ON frank.band FOR INSERT TO KEEPERS WITH CHECK (frank.may_change(place, 3));
ALTER TABLE frank.band_part ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.band_part TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.band_part FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT ON frank.band_part TO RECORDERS, KEEPERS;
CREATE POLICY adding ON frank.band_part FOR INSERT TO RECORDERS, KEEPERS WITH CHECK (frank.may_add(place, record));
GRANT INSERT ON frank.band_part TO KEEPERS;
CREATE POLICY adding_too ON frank.band_part FOR INSERT TO KEEPERS WITH CHECK (frank.may_change(place, 3));
ALTER TABLE frank.record ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.record TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.record FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT ON frank.record TO RECORDERS, KEEPERS;
CREATE POLICY adding ON frank.record FOR INSERT TO RECORDERS, KEEPERS WITH CHECK (frank.may_add(place, number));
ALTER TABLE frank.volume ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.volume TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.volume FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT ON frank.volume TO RECORDERS, KEEPERS;
CREATE POLICY adding ON frank.volume FOR INSERT TO RECORDERS, KEEPERS WITH CHECK (frank.may_change(place, 2));
ALTER TABLE frank.stamp ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.stamp TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.stamp FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
ALTER TABLE frank.reread ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.reread TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.reread FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
ALTER TABLE frank.mismatch ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.mismatch TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.mismatch FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
ALTER TABLE frank.place ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.place TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.place FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 1)) OR frank.may(host, 1));
ALTER TABLE frank.host ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.host TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.host FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 1)) OR frank.may(name, 1));
ALTER TABLE frank.dropped ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.dropped TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.dropped FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 1)) OR frank.may(host, 1));
ALTER TABLE frank.number ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.number TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.number FOR SELECT TO READERS, RECORDERS, KEEPERS USING ((SELECT frank.may('*', 3)) OR frank.may(host, 3));
ALTER TABLE frank.admitted ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.admitted TO READERS, RECORDERS, KEEPERS;
CREATE POLICY reading ON frank.admitted FOR SELECT TO READERS, RECORDERS, KEEPERS USING (login = session_user OR (SELECT frank.may('*', 3)));
GRANT SELECT ON frank.about TO PUBLIC;
GRANT USAGE ON SCHEMA frank TO PUBLIC;
