-- The tables came after the others: programs that know nothing of them do not mind.
CREATE TABLE IF NOT EXISTS reread (
	place INTEGER NOT NULL,
	taken INTEGER NOT NULL, -- nanoseconds since 1970 in UTC
	first INTEGER NOT NULL, -- in the order that files are read again: from here
	next  INTEGER NOT NULL, -- to here
	whole INTEGER NOT NULL, -- or all
	files INTEGER NOT NULL,
	bytes INTEGER NOT NULL
);
CREATE TABLE IF NOT EXISTS mismatch (
	place     INTEGER NOT NULL,
	way       BLOB NOT NULL, -- path from the place, exact bytes
	record    INTEGER NOT NULL,
	found     INTEGER NOT NULL, -- nanoseconds since 1970 in UTC
	algorithm TEXT NOT NULL,
	before    BLOB NOT NULL, -- digests
	now       BLOB NOT NULL,
	UNIQUE (place, way)
)
