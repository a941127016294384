-- From version 3 to version 4.
--
-- A ledger tells which programs may read it and which may write to it: those that know at least these versions.
-- From here on, it can be upgraded while others work with it.
ALTER TABLE frank.about ADD COLUMN readers integer NOT NULL DEFAULT 4, ADD COLUMN writers integer NOT NULL DEFAULT 4;
