CREATE TABLE place (
	id   INTEGER PRIMARY KEY,
	host TEXT NOT NULL,
	path BLOB NOT NULL,        -- full path, exact bytes
	UNIQUE (host, path)
);
CREATE TABLE record (
	id        INTEGER PRIMARY KEY AUTOINCREMENT,
	place     INTEGER NOT NULL,
	label     TEXT NOT NULL,
	taken     INTEGER NOT NULL, -- nanoseconds since 1970 in UTC
	note      TEXT NOT NULL,
	terms     TEXT NOT NULL,    -- options and condition it was taken with: a JSON array of words
	algorithm TEXT NOT NULL,    -- of the digests that were asked for, or nothing
	entries   INTEGER NOT NULL,
	bytes     INTEGER NOT NULL, -- of content of files
	seal      BLOB NOT NULL,    -- of the place
	self      BLOB NOT NULL,    -- the place itself, packed
	turn      INTEGER NOT NULL DEFAULT 0 -- in which the machine made it, among all of its records
);
CREATE TABLE problem (
	record   INTEGER NOT NULL,
	way      BLOB NOT NULL,     -- path from the place, exact bytes
	tried    TEXT NOT NULL,
	reason   TEXT NOT NULL,
	entries  INTEGER NOT NULL,
	vanished INTEGER NOT NULL
);
CREATE TABLE sheet (
	id      INTEGER PRIMARY KEY,
	place   INTEGER NOT NULL,
	record  INTEGER NOT NULL,
	folders BLOB NOT NULL,
	names   BLOB NOT NULL,
	facts   BLOB NOT NULL
);
CREATE INDEX sheet_place ON sheet (place, record);
