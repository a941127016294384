-- From version 4 to version 5, while others read and write.
--
-- The newest record of each label is looked up. Which labels a place has is kept by the server, and so is what
-- the segments of a record take: programs of version 4 know nothing of either.
--
-- Each step is a transaction of its own, and can be done twice.

-- step
ALTER TABLE frank.record ADD COLUMN IF NOT EXISTS stored bigint; -- NULL where it was not counted yet

-- step
CREATE TABLE IF NOT EXISTS frank.label (
	place bigint NOT NULL,
	label bytea NOT NULL
);
CREATE UNIQUE INDEX IF NOT EXISTS label_by_name ON frank.label (place, sha256(label)); -- it can be longer than an index takes
ALTER TABLE frank.label ENABLE ROW LEVEL SECURITY; -- nobody but functions reads it

-- step
CREATE OR REPLACE FUNCTION frank.stored_of(at bigint, of_record bigint) RETURNS bigint LANGUAGE plpgsql STABLE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	RETURN (SELECT least(coalesce(sum(b.stored), 0), 4611686018427387904)::bigint FROM frank.band b WHERE b.place = $1 AND b.record = $2 AND NOT b.layer);
END $$;
CREATE OR REPLACE FUNCTION frank.before_record() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	NEW.stored = frank.stored_of(NEW.place, NEW.number);
	RETURN NEW;
END $$;
CREATE OR REPLACE FUNCTION frank.after_record() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	INSERT INTO frank.label (place, label) VALUES (NEW.place, NEW.label) ON CONFLICT DO NOTHING;
	RETURN NULL;
END $$;
CREATE OR REPLACE FUNCTION frank.without_record() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	DELETE FROM frank.label l WHERE l.place = OLD.place AND sha256(l.label) = sha256(OLD.label) AND NOT EXISTS
		(SELECT 1 FROM frank.record r WHERE r.place = OLD.place AND sha256(r.label) = sha256(OLD.label));
	RETURN NULL;
END $$;
-- Bands come after the record only where a keeper lays it together anew.
CREATE OR REPLACE FUNCTION frank.more_bands() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	UPDATE frank.record r SET stored = frank.stored_of(r.place, r.number) FROM (SELECT DISTINCT n.place, n.record FROM new_bands n WHERE NOT n.layer) n WHERE r.place = n.place AND r.number = n.record;
	RETURN NULL;
END $$;
CREATE OR REPLACE FUNCTION frank.fewer_bands() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
	UPDATE frank.record r SET stored = frank.stored_of(r.place, r.number) FROM (SELECT DISTINCT o.place, o.record FROM old_bands o WHERE NOT o.layer) o WHERE r.place = o.place AND r.number = o.record;
	RETURN NULL;
END $$;
REVOKE ALL ON FUNCTION frank.stored_of(bigint, bigint), frank.before_record(), frank.after_record(), frank.without_record(), frank.more_bands(), frank.fewer_bands() FROM PUBLIC;

-- step
DROP TRIGGER IF EXISTS before_record ON frank.record;
CREATE TRIGGER before_record BEFORE INSERT ON frank.record FOR EACH ROW EXECUTE FUNCTION frank.before_record();
DROP TRIGGER IF EXISTS after_record ON frank.record;
CREATE TRIGGER after_record AFTER INSERT ON frank.record FOR EACH ROW EXECUTE FUNCTION frank.after_record();
DROP TRIGGER IF EXISTS without_record ON frank.record;
CREATE TRIGGER without_record AFTER DELETE ON frank.record FOR EACH ROW EXECUTE FUNCTION frank.without_record();

-- step
DROP TRIGGER IF EXISTS more_bands ON frank.band;
CREATE TRIGGER more_bands AFTER INSERT ON frank.band REFERENCING NEW TABLE AS new_bands FOR EACH STATEMENT EXECUTE FUNCTION frank.more_bands();
DROP TRIGGER IF EXISTS fewer_bands ON frank.band;
CREATE TRIGGER fewer_bands AFTER DELETE ON frank.band REFERENCING OLD TABLE AS old_bands FOR EACH STATEMENT EXECUTE FUNCTION frank.fewer_bands();

-- step
DO $$
BEGIN
	IF EXISTS (SELECT 1 FROM pg_catalog.pg_index WHERE indexrelid = to_regclass('frank.record_newest') AND NOT indisvalid) THEN
		DROP INDEX frank.record_newest; -- it was begun, and not ended
	END IF;
END $$;

-- step alone
CREATE INDEX CONCURRENTLY IF NOT EXISTS record_newest ON frank.record (place, sha256(label), turn DESC, number DESC);

-- step
INSERT INTO frank.label (place, label) SELECT DISTINCT r.place, r.label FROM frank.record r ON CONFLICT DO NOTHING;

-- step again
UPDATE frank.record r SET stored = frank.stored_of(r.place, r.number) WHERE (r.place, r.number) IN (SELECT o.place, o.number FROM frank.record o WHERE o.stored IS NULL ORDER BY o.place, o.number LIMIT 1000);

-- step
-- The newest so many records of each label and host, of those that the login may read. NULL is for any.
CREATE OR REPLACE FUNCTION frank.newest(of_hosts text[], with_label bytea, taken_before bigint, at_most bigint)
	RETURNS TABLE (place bigint, number bigint, host text, label bytea, taken bigint, turn bigint) LANGUAGE plpgsql STABLE SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
	all_hosts boolean = frank.may('*', 1);
BEGIN
	RETURN QUERY SELECT n.place, n.number, n.host, n.label, n.taken, n.turn FROM (
		SELECT l.place, r.number, p.host, l.label, r.taken, r.turn, row_number() OVER (PARTITION BY p.host, l.label ORDER BY r.turn DESC, r.number DESC) AS nth
		FROM frank.place p JOIN frank.label l ON l.place = p.id
			CROSS JOIN LATERAL (SELECT o.number, o.taken, o.turn FROM frank.record o WHERE o.place = l.place AND sha256(o.label) = sha256(l.label)
				AND ($3 IS NULL OR o.taken < $3) ORDER BY o.turn DESC, o.number DESC LIMIT $4) r
		WHERE (all_hosts OR p.host IN (SELECT a.host FROM frank.admitted a WHERE a.login = session_user AND a.may >= 1))
			AND ($1 IS NULL OR p.host = ANY ($1)) AND ($2 IS NULL OR l.label = $2)) n
		WHERE n.nth <= $4;
END $$;
REVOKE ALL ON FUNCTION frank.newest(text[], bytea, bigint, bigint) FROM PUBLIC;
GRANT EXECUTE ON FUNCTION frank.newest(text[], bytea, bigint, bigint) TO READERS, RECORDERS, KEEPERS;
