-- How much of a record there is to look at where hidden entries, and what is in hidden folders, are left out.
CREATE TABLE counts (
	record INTEGER PRIMARY KEY,
	looked INTEGER NOT NULL,
	hidden INTEGER NOT NULL -- entries that are hidden, without those in hidden folders
);
CREATE TRIGGER counts_go AFTER DELETE ON record BEGIN
	DELETE FROM counts WHERE record = old.id;
END;
