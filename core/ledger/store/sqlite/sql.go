package sqlite

import _ "embed"

// The statements that make tables. The first four make a new ledger; the others are run before something
// is added to their tables, which ledgers of earlier programs have not got.
var (
	//go:embed sql/tables.sql
	mainTables string
	//go:embed sql/bands.sql
	bandTables string
	//go:embed sql/counts.sql
	countsTable string
	//go:embed sql/dropped.sql
	droppedTable string
	//go:embed sql/extra.sql
	extraTable string
	//go:embed sql/stamps.sql
	stampTable string
	//go:embed sql/rereads.sql
	watchTables string
)

// schema makes all tables of a new ledger.
func schema() string { return mainTables + bandTables + countsTable + droppedTable }
