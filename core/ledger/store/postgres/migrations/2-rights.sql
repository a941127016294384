-- From version 1 to version 2: who may do what.
--
-- A recorder adds to records that are not there yet, with numbers that were given to its
-- host, and of which none of the place comes after: the row of the record is written last, and
-- from then on nothing is added to it. To add to one, a transaction has to have the row of the host,
-- so that none can be left open to add something later. What has to be changed and is no record, a recorder changes
-- by functions, which look at its rights themselves, as policies of a table that a login may
-- UPDATE would let it lock all of that.
--
-- Numbers are given out by a sequence, as whoever took one from a row could keep that locked, and all
-- others waiting.
--
-- Lengths are limited, so that no row is larger than a reader has room for.
CREATE TABLE frank.host (
	name    text PRIMARY KEY CHECK (octet_length(name) BETWEEN 1 AND 255),
	changes bigint NOT NULL, -- whoever writes of a host counts here, so that two meet
	machine bytea CHECK (octet_length(machine) <= 64), -- that wrote of it last
	held    text -- by which transaction
);
CREATE TABLE frank.number (
	record bigint PRIMARY KEY, -- that was given out
	host   text NOT NULL
);
CREATE TABLE frank.admitted (
	login text NOT NULL,
	host  text NOT NULL,    -- * for all
	may   integer NOT NULL, -- 1: read, 2: record, 3: keep
	PRIMARY KEY (login, host)
);
INSERT INTO frank.host (name, changes) SELECT DISTINCT host, 0 FROM frank.place;
INSERT INTO frank.number SELECT r.number, p.host FROM frank.record r JOIN frank.place p ON p.id = r.place;
INSERT INTO frank.admitted VALUES (session_user, '*', 3);
CREATE SEQUENCE frank.record_number MAXVALUE 137438953472;
SELECT setval('frank.record_number', last + 1, false) FROM frank.counter WHERE name = 'record';
DROP TABLE frank.counter;
CREATE INDEX record_by_number ON frank.record (number);

ALTER TABLE frank.place ADD CHECK (octet_length(path) <= 65536);
ALTER TABLE frank.record ADD CHECK (octet_length(label) <= 4096 AND octet_length(note) <= 65536 AND octet_length(terms) <= 65536 AND octet_length(algorithm) <= 64 AND
	octet_length(seal) <= 64 AND octet_length(self) <= 262144 AND octet_length(sum) <= 64 AND octet_length(token) <= 64),
	ADD CHECK (entries BETWEEN 0 AND 1125899906842624 AND bytes BETWEEN 0 AND 1152921504606846976 AND unsized >= 0 AND looked BETWEEN 0 AND entries AND hidden BETWEEN 0 AND entries AND problems >= 0);
ALTER TABLE frank.problem ADD CHECK (octet_length(way) <= 65536 AND octet_length(tried) <= 4096 AND octet_length(reason) <= 4096);
ALTER TABLE frank.sheet ADD CHECK (octet_length(folders) <= 4194304 AND octet_length(names) <= 4194304 AND octet_length(facts) <= 16777216);
ALTER TABLE frank.band ADD CHECK (octet_length(packed) <= 4194304);
ALTER TABLE frank.band_part ADD CHECK (octet_length(content) <= 16777216);
ALTER TABLE frank.volume ADD CHECK (octet_length(id) <= 4096);
ALTER TABLE frank.mismatch ADD CHECK (octet_length(way) <= 65536 AND octet_length(algorithm) <= 64 AND octet_length(before) <= 256 AND octet_length(now) <= 256);

CREATE FUNCTION frank.may(whose text, level integer) RETURNS boolean LANGUAGE plpgsql STABLE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	RETURN EXISTS (SELECT 1 FROM frank.admitted a WHERE a.login = session_user AND a.host IN ($1, '*') AND a.may >= $2)
		OR EXISTS (SELECT 1 FROM pg_catalog.pg_roles r WHERE r.rolname = session_user AND r.rolsuper);
END $$;
CREATE FUNCTION frank.may_of(at bigint, level integer) RETURNS boolean LANGUAGE plpgsql STABLE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	RETURN EXISTS (SELECT 1 FROM frank.place p WHERE p.id = $1 AND frank.may(p.host, $2));
END $$;
-- It is asked for each row that is added, so that it asks no other function.
CREATE FUNCTION frank.may_add(at bigint, to_record bigint) RETURNS boolean LANGUAGE plpgsql STABLE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	RETURN EXISTS (SELECT 1 FROM frank.place p JOIN frank.host h ON h.name = p.host
			WHERE p.id = $1 AND h.held = pg_backend_pid()::text || ' ' || extract(epoch FROM now())::text AND
			(EXISTS (SELECT 1 FROM frank.admitted a WHERE a.login = session_user AND a.host IN (p.host, '*') AND a.may >= 2) AND EXISTS (SELECT 1 FROM frank.number n WHERE n.record = $2 AND n.host = p.host)
				OR frank.may(p.host, 3)))
		AND NOT EXISTS (SELECT 1 FROM frank.record r WHERE r.place = $1 AND r.number >= $2);
END $$;
CREATE FUNCTION frank.may_begin(whose text, at bigint) RETURNS boolean LANGUAGE plpgsql STABLE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	RETURN frank.may($1, 2) AND EXISTS (SELECT 1 FROM frank.number n WHERE n.record = $2 AND n.host = $1);
END $$;

CREATE FUNCTION frank.refuse(what text, whose text) RETURNS void LANGUAGE plpgsql SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	RAISE EXCEPTION '% may not % %', session_user, $1, $2 USING ERRCODE = 'insufficient_privilege';
END $$;
CREATE FUNCTION frank.take_number(whose text, wanted bigint) RETURNS bigint LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
	given bigint;
BEGIN
	IF NOT frank.may($1, 2) THEN
		PERFORM frank.refuse('record', $1);
	END IF;
	IF $2 > 0 AND $2 < 137438953472 AND frank.may($1, 3) THEN
		INSERT INTO frank.number (record, host) VALUES ($2, $1) ON CONFLICT DO NOTHING RETURNING record INTO given;
		IF (SELECT last_value FROM frank.record_number) < $2 THEN
			PERFORM setval('frank.record_number', $2);
		END IF;
	END IF;
	WHILE given IS NULL LOOP -- one that was wanted may have been given out before its turn
		INSERT INTO frank.number (record, host) VALUES (nextval('frank.record_number'), $1) ON CONFLICT DO NOTHING RETURNING record INTO given;
	END LOOP;
	RETURN given;
END $$;
CREATE FUNCTION frank.change(whose text, by_machine bytea) RETURNS boolean LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
	before bytea;
BEGIN
	IF NOT frank.may($1, 2) THEN
		PERFORM frank.refuse('record', $1);
	END IF;
	SELECT h.machine INTO before FROM frank.host h WHERE h.name = $1;
	INSERT INTO frank.host AS h (name, changes, machine, held) VALUES ($1, 1, $2, pg_backend_pid()::text || ' ' || extract(epoch FROM now())::text)
		ON CONFLICT (name) DO UPDATE SET changes = h.changes + 1, machine = coalesce($2, h.machine), held = excluded.held;
	RETURN coalesce(before <> $2, false);
END $$;
CREATE FUNCTION frank.set_stamps(at bigint, of_record bigint, stamps bytea) RETURNS void LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	IF NOT frank.may_add($1, $2) THEN
		PERFORM frank.refuse('change', 'record ' || $2);
	END IF;
	INSERT INTO frank.stamp (place, record, folders) VALUES ($1, $2, $3) ON CONFLICT (place) DO UPDATE SET record = excluded.record, folders = excluded.folders;
END $$;
CREATE FUNCTION frank.add_mismatch(at bigint, named bytea, of_record bigint, at_time bigint, by text, old bytea, new bytea) RETURNS void LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	IF NOT frank.may_add($1, $3) THEN
		PERFORM frank.refuse('change', 'record ' || $3);
	END IF;
	INSERT INTO frank.mismatch (place, way, record, found, algorithm, before, now) VALUES ($1, $2, $3, $4, $5, $6, $7) ON CONFLICT (place, way) DO UPDATE SET now = excluded.now;
END $$;
CREATE FUNCTION frank.add_reread(at bigint, at_time bigint, from_turn bigint, to_turn bigint, all_read boolean, how_many bigint, of_bytes bigint) RETURNS void LANGUAGE plpgsql VOLATILE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
	latest bigint;
BEGIN
	IF NOT frank.may_of($1, 2) THEN
		PERFORM frank.refuse('change', 'place ' || $1);
	END IF;
	SELECT coalesce(max(r.n), 0) + 1 INTO latest FROM frank.reread r WHERE r.place = $1;
	INSERT INTO frank.reread (place, n, taken, first, next, whole, files, bytes) VALUES ($1, latest, $2, $3, $4, $5, $6, $7);
	DELETE FROM frank.reread r WHERE r.place = $1 AND r.n <= latest - 1000;
END $$;
ALTER TABLE frank.problem ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.problem TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.problem FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT ON frank.problem TO frank_record;
CREATE POLICY recording ON frank.problem FOR INSERT TO frank_record WITH CHECK (frank.may_add(place, record));
GRANT INSERT, UPDATE, DELETE ON frank.problem TO frank_keep;
CREATE POLICY keeping ON frank.problem FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3));
ALTER TABLE frank.sheet ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.sheet TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.sheet FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT ON frank.sheet TO frank_record;
CREATE POLICY recording ON frank.sheet FOR INSERT TO frank_record WITH CHECK (frank.may_add(place, record));
GRANT INSERT, UPDATE, DELETE ON frank.sheet TO frank_keep;
CREATE POLICY keeping ON frank.sheet FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3));
ALTER TABLE frank.band ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.band TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.band FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT ON frank.band TO frank_record;
CREATE POLICY recording ON frank.band FOR INSERT TO frank_record WITH CHECK (frank.may_add(place, record));
GRANT INSERT, UPDATE, DELETE ON frank.band TO frank_keep;
CREATE POLICY keeping ON frank.band FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3));
ALTER TABLE frank.band_part ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.band_part TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.band_part FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT ON frank.band_part TO frank_record;
CREATE POLICY recording ON frank.band_part FOR INSERT TO frank_record WITH CHECK (frank.may_add(place, record));
GRANT INSERT, UPDATE, DELETE ON frank.band_part TO frank_keep;
CREATE POLICY keeping ON frank.band_part FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3));
ALTER TABLE frank.record ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.record TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.record FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT ON frank.record TO frank_record;
CREATE POLICY recording ON frank.record FOR INSERT TO frank_record WITH CHECK (frank.may_add(place, number));
GRANT INSERT, UPDATE, DELETE ON frank.record TO frank_keep;
CREATE POLICY keeping ON frank.record FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3));
ALTER TABLE frank.volume ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.volume TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.volume FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT ON frank.volume TO frank_record;
CREATE POLICY recording ON frank.volume FOR INSERT TO frank_record WITH CHECK (frank.may_of(place, 2));
GRANT INSERT, UPDATE, DELETE ON frank.volume TO frank_keep;
CREATE POLICY keeping ON frank.volume FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3));
ALTER TABLE frank.stamp ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.stamp TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.stamp FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT, UPDATE, DELETE ON frank.stamp TO frank_keep;
CREATE POLICY keeping ON frank.stamp FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3));
ALTER TABLE frank.reread ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.reread TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.reread FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT, UPDATE, DELETE ON frank.reread TO frank_keep;
CREATE POLICY keeping ON frank.reread FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3));
ALTER TABLE frank.mismatch ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.mismatch TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.mismatch FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 1)) OR frank.may_of(place, 1));
GRANT INSERT, UPDATE, DELETE ON frank.mismatch TO frank_keep;
CREATE POLICY keeping ON frank.mismatch FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may_of(place, 3));
ALTER TABLE frank.place ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.place TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.place FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 1)) OR frank.may(host, 1));
GRANT INSERT ON frank.place TO frank_record;
CREATE POLICY recording ON frank.place FOR INSERT TO frank_record WITH CHECK (frank.may_begin(host, id));
GRANT INSERT, UPDATE, DELETE ON frank.place TO frank_keep;
CREATE POLICY keeping ON frank.place FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may(host, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may(host, 3));
ALTER TABLE frank.host ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.host TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.host FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 1)) OR frank.may(name, 1));
GRANT INSERT, UPDATE, DELETE ON frank.host TO frank_keep;
CREATE POLICY keeping ON frank.host FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may(name, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may(name, 3));
ALTER TABLE frank.number ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.number TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.number FOR SELECT TO frank_read, frank_record, frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may(host, 3));
GRANT INSERT, UPDATE, DELETE ON frank.number TO frank_keep;
CREATE POLICY keeping ON frank.number FOR ALL TO frank_keep USING ((SELECT frank.may('*', 3)) OR frank.may(host, 3)) WITH CHECK ((SELECT frank.may('*', 3)) OR frank.may(host, 3));

ALTER TABLE frank.admitted ENABLE ROW LEVEL SECURITY;
GRANT SELECT ON frank.admitted TO frank_read, frank_record, frank_keep;
CREATE POLICY reading ON frank.admitted FOR SELECT TO frank_read, frank_record, frank_keep USING (login = session_user OR (SELECT frank.may('*', 3)));
GRANT SELECT ON frank.about TO PUBLIC;
GRANT USAGE ON SCHEMA frank TO PUBLIC;
REVOKE EXECUTE ON ALL FUNCTIONS IN SCHEMA frank FROM PUBLIC;
GRANT EXECUTE ON FUNCTION frank.may(text, integer), frank.may_of(bigint, integer), frank.take_number(text, bigint), frank.change(text, bytea), frank.refuse(text, text) TO frank_read, frank_record, frank_keep;
GRANT EXECUTE ON ALL FUNCTIONS IN SCHEMA frank TO frank_record, frank_keep;
