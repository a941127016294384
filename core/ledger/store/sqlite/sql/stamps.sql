-- The table came after the others. A program that knows nothing of it leaves the stamps of an older record,
-- which count no more.
CREATE TABLE IF NOT EXISTS stamp (
	place   INTEGER PRIMARY KEY,
	record  INTEGER NOT NULL, -- the newest when it was written
	folders BLOB NOT NULL     -- by their numbers, eight bytes each
)
