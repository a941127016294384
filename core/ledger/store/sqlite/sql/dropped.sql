-- By what records are known again that were taken away.
CREATE TABLE dropped (
	host TEXT NOT NULL,
	id   BLOB NOT NULL,
	PRIMARY KEY (host, id)
) WITHOUT ROWID;
