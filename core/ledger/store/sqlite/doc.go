// Package sqlite keeps a ledger in one SQLite file. SQLite's own locks keep programs apart; what is read is
// of one moment. The tables are made by the statements in the folder sql.
package sqlite
