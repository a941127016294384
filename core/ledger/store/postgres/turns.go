package postgres

// turns brings a schema of version 2 to version 3.
//
// Records have turns: the order in which their machine made them. What was taken away is
// remembered, so that it is not sent again.
//
// All that a recorder fills has a bound, so that no sum over it can fail.
const turns = `
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
`
