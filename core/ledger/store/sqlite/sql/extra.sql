-- A tree hash covers the entries of a record; the sum covers what else is written of it. The table came after
-- the others: programs that know nothing of it do not mind. A row goes with its record, whatever program
-- drops that.
CREATE TABLE IF NOT EXISTS extra (
	record  INTEGER PRIMARY KEY,
	unsized INTEGER NOT NULL, -- files whose size is not known
	sum     BLOB NOT NULL     -- over the rows of the record, its place and its problems, and over unsized
);
CREATE TRIGGER IF NOT EXISTS extra_goes AFTER DELETE ON record BEGIN
	DELETE FROM extra WHERE record = old.id;
END
