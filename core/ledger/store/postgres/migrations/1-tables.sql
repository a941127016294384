-- From nothing to version 1: the tables.
--
-- What goes with a place has its number first in its key, so that tables can be distributed by it. Text that
-- may be any bytes is bytea. A place has the number of its first record.
CREATE SCHEMA frank;
CREATE TABLE frank.about (
	one     integer PRIMARY KEY CHECK (one = 1),
	version integer NOT NULL
);
CREATE TABLE frank.counter (
	name text PRIMARY KEY,
	last bigint NOT NULL
);
CREATE TABLE frank.place (
	id   bigint PRIMARY KEY,
	host text NOT NULL,
	path bytea NOT NULL,
	UNIQUE (host, path)
);
CREATE TABLE frank.record (
	place     bigint NOT NULL,
	number    bigint NOT NULL,
	token     bytea NOT NULL,   -- of the attempt that wrote it
	label     bytea NOT NULL,
	taken     bigint NOT NULL,  -- nanoseconds since 1970 in UTC
	note      bytea NOT NULL,
	terms     bytea NOT NULL,   -- a JSON array of words
	algorithm text NOT NULL,
	entries   bigint NOT NULL,
	bytes     bigint NOT NULL,
	unsized   bigint NOT NULL,
	looked    bigint,
	hidden    bigint,
	problems  bigint NOT NULL,
	seal      bytea NOT NULL,
	self      bytea NOT NULL,
	sum       bytea,            -- over the record, its place and its problems
	PRIMARY KEY (place, number)
);
CREATE TABLE frank.problem (
	place    bigint NOT NULL,
	record   bigint NOT NULL,
	n        bigint NOT NULL,
	way      bytea NOT NULL,
	tried    bytea NOT NULL,
	reason   bytea NOT NULL,
	entries  bigint NOT NULL,
	vanished boolean NOT NULL,
	PRIMARY KEY (place, record, n)
);
CREATE TABLE frank.sheet (
	place   bigint NOT NULL,
	record  bigint NOT NULL,
	layer   boolean NOT NULL,
	n       bigint NOT NULL,
	folders bytea NOT NULL,
	names   bytea NOT NULL,
	facts   bytea NOT NULL,
	PRIMARY KEY (place, record, layer, n)
);
CREATE TABLE frank.band (
	place  bigint NOT NULL,
	record bigint NOT NULL,
	layer  boolean NOT NULL,
	n      bigint NOT NULL,
	stored bigint NOT NULL,
	packed bytea NOT NULL,
	PRIMARY KEY (place, record, layer, n)
);
CREATE TABLE frank.band_part (
	place   bigint NOT NULL,
	record  bigint NOT NULL,
	layer   boolean NOT NULL,
	n       bigint NOT NULL,
	part    integer NOT NULL,
	content bytea NOT NULL,
	PRIMARY KEY (place, record, layer, n, part)
);
CREATE TABLE frank.volume (
	place  bigint NOT NULL,
	id     text NOT NULL,
	device bigint NOT NULL,
	PRIMARY KEY (place, id)
);
CREATE TABLE frank.stamp (
	place   bigint PRIMARY KEY,
	record  bigint NOT NULL,
	folders bytea NOT NULL
);
CREATE TABLE frank.reread (
	place bigint NOT NULL,
	n     bigint NOT NULL,
	taken bigint NOT NULL,
	first bigint NOT NULL,
	next  bigint NOT NULL,
	whole boolean NOT NULL,
	files bigint NOT NULL,
	bytes bigint NOT NULL,
	PRIMARY KEY (place, n)
);
CREATE TABLE frank.mismatch (
	place     bigint NOT NULL,
	way       bytea NOT NULL,
	record    bigint NOT NULL,
	found     bigint NOT NULL,
	algorithm text NOT NULL,
	before    bytea NOT NULL,
	now       bytea NOT NULL,
	PRIMARY KEY (place, way)
);
INSERT INTO frank.counter (name, last) VALUES ('place', 0), ('record', 0);
