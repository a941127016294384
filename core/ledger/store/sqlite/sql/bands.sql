-- Summaries of segments; see encoding.Band.
CREATE TABLE band (
	id     INTEGER PRIMARY KEY,
	place  INTEGER NOT NULL,
	record INTEGER NOT NULL,
	stored INTEGER NOT NULL, -- bytes of its sheets, and of its parts
	packed BLOB NOT NULL     -- what sheets it is of
);
CREATE INDEX band_place ON band (place, record);
CREATE TABLE band_part (
	id      INTEGER PRIMARY KEY, -- band * 8192 + part
	content BLOB NOT NULL
);
