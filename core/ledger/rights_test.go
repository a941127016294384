package ledger_test

import (
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/store"
	"frankledger/core/ledger/upkeep"
	"frankledger/internal/long"
	"frankledger/internal/testpg"
)

// prepared is a new, prepared database.
func prepared(t *testing.T) string {
	if os.Getenv(onPostgres) != "" {
		t.Skip("it makes databases of its own")
	}
	database := testpg.Database(t)
	_, _, err := ledger.Prepare(t.Context(), database)
	require.NoError(t, err)
	return database
}

// login makes a login of the server, and returns the connection string for it.
func login(t *testing.T, database, name string) string {
	query(t, database, "DO $$ BEGIN CREATE ROLE "+name+" LOGIN; EXCEPTION WHEN duplicate_object THEN END $$")
	u, err := url.Parse(database)
	require.NoError(t, err)
	u.User = url.User(name)
	return u.String()
}

// attempt runs statements, and returns the first value of what the last of them answers.
func attempt(t *testing.T, database, statements string) (string, error) {
	conn, err := pgconn.Connect(t.Context(), database)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	results, err := conn.Exec(t.Context(), statements).ReadAll()
	if err != nil {
		return "", err
	}
	last := results[len(results)-1]
	if len(last.Rows) > 0 {
		return string(last.Rows[0][0]), nil
	}
	return last.CommandTag.String(), nil
}

func query(t *testing.T, database, statements string) string {
	answer, err := attempt(t, database, statements)
	require.NoError(t, err, statements)
	return answer
}

func opened(t *testing.T, database string, open func(string) (*ledger.Ledger, error)) *ledger.Ledger {
	l, err := open(database)
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	return l
}

// A recorder adds records of its own hosts, and can do nothing else, whatever it says to the
// database.
func TestRightsOfARecorder(t *testing.T) {
	database := prepared(t)
	web, spy := login(t, database, "web"), login(t, database, "spy")
	for login, host := range map[string]string{"web": "web", "spy": "spy"} {
		_, err := ledger.Admit(t.Context(), database, login, []string{host}, "record")
		require.NoError(t, err)
	}
	create := func(name string) (*ledger.Ledger, error) { return ledger.Create(t.Context(), name) }
	asWeb, asSpy := opened(t, web, create), opened(t, spy, create)
	root := t.TempDir()
	require.NoError(t, writeFile(filepath.Join(root, "in", "a"), 1))
	one, _, err := recordOf(t, asWeb, "web", "l", root, recording.Options{})
	require.NoError(t, err)
	mine, _, err := recordOf(t, asSpy, "spy", "l", root, recording.Options{})
	require.NoError(t, err)
	require.NoError(t, writeFile(filepath.Join(root, "in", "a"), 2))
	_, changes, err := recordOf(t, asWeb, "web", "l", root, recording.Options{})
	require.NoError(t, err)
	assert.EqualValues(t, 1, changes.Altered, "it knows the record before")
	last, _, err := recordOf(t, asSpy, "spy", "l", root, recording.Options{})
	require.NoError(t, err)
	assert.Equal(t, kernel(t, root), recorded(t, asSpy, last))

	_, _, err = recordOf(t, asSpy, "web", "l", root, recording.Options{})
	require.ErrorIs(t, err, ledger.ErrNoRight)
	assert.ErrorContains(t, err, "spy may not record web")
	require.ErrorIs(t, upkeep.Drop(t.Context(), asSpy, mine.Number), ledger.ErrNoRight)
	records, err := asSpy.Records(t.Context())
	require.NoError(t, err)
	require.Len(t, records, 2, "its own")

	before := query(t, database, allRows)
	place := query(t, database, "SELECT place FROM frank.record WHERE number = "+fmt.Sprint(mine.Number))
	other := query(t, database, "SELECT place FROM frank.record WHERE number = "+fmt.Sprint(one.Number))
	taken := query(t, spy, "SELECT frank.take_number('spy', 0)")
	sheet := func(place, record, names string) string {
		return "INSERT INTO frank.sheet (place, record, layer, n, folders, names, facts) VALUES (" + place + ", " + record + ", false, 99, '', " + names + ", '')"
	}
	row := func(place, number string) string {
		return "INSERT INTO frank.record (place, number, token, label, taken, note, terms, algorithm, entries, bytes, unsized, problems, seal, self) VALUES (" + place + ", " + number + ", '', 'l', 0, '', '[]', '', 0, 0, 0, 0, '', '')"
	}
	for name, statements := range map[string]string{
		"adds to a record of its own that is written": sheet(place, fmt.Sprint(last.Number), "''"),
		"adds a layer to one":                         strings.Replace(sheet(place, fmt.Sprint(mine.Number), "''"), "false", "true", 1),
		"adds between two records":                    sheet(place, fmt.Sprint(mine.Number+1), "''"),
		"adds to a record of another host":            sheet(other, fmt.Sprint(one.Number), "''"),
		"adds to a place of another host":             sheet(other, taken, "''"),
		"uses a number that was not given out":        sheet(place, fmt.Sprint(last.Number+1000), "''"),
		"writes the row of a record of another host":  row(other, taken),
		"uses the number of another host's record":    row(place, fmt.Sprint(one.Number)),
		"writes a record before its last":             row(place, fmt.Sprint(mine.Number-1)),
		"a place of another host":                     "INSERT INTO frank.place (id, host, path) VALUES (" + taken + ", 'web', '/x')",
		"a place with another host's number":          "INSERT INTO frank.place (id, host, path) VALUES (" + fmt.Sprint(one.Number) + ", 'spy', '/x')",
		"more than there is room for":                 sheet(place, taken, "repeat('x', 200000000)::bytea"),
		"a number for another host":                   "SELECT frank.take_number('web', 0)",
		"all numbers":                                 "SELECT setval('frank.record_number', 137438953472)",
		"stops another host's writers":                "SELECT frank.change('web', NULL)",
		"stops all":                                   "LOCK TABLE frank.host IN ACCESS EXCLUSIVE MODE",
		"stops all at another table":                  "LOCK TABLE frank.record IN SHARE MODE",
		"stamps of an old record":                     "SELECT frank.set_stamps(" + place + ", " + fmt.Sprint(mine.Number) + ", '')",
		"stamps of another host":                      "SELECT frank.set_stamps(" + other + ", " + taken + ", '')",
		"a mismatch of another host":                  "SELECT frank.add_mismatch(" + other + ", 'a', " + taken + ", 0, 'md5', '', '')",
		"what another host read again":                "SELECT frank.add_reread(" + other + ", 0, 0, 0, true, 1, 1)",
		"alters a record":                             "UPDATE frank.record SET label = 'x'",
		"removes one":                                 "DELETE FROM frank.record",
		"removes all":                                 "TRUNCATE frank.sheet",
		"admits itself":                               "INSERT INTO frank.admitted VALUES ('spy', '*', 3)",
		"gives itself a role":                         "DO $$ BEGIN EXECUTE format('GRANT %I TO spy', (SELECT roles || '_keep' FROM frank.about)); END $$",
		"begins a place without the host's row":       "COMMIT; SELECT frank.begin_place('spy', '/x')",
		"adds when another transaction has the row":   "COMMIT; BEGIN; " + sheet(place, taken, "''"),
		"a place without the function":                "INSERT INTO frank.place (id, host, path) VALUES (" + taken + ", 'spy', '/x')",
		"drops a record":                              "SELECT frank.drop_record(" + place + ", " + fmt.Sprint(mine.Number) + ")",
		"has a record forgotten":                      "SELECT frank.add_dropped('spy', decode(repeat('00', 16), 'hex'))",
		"a number of its choice":                      "INSERT INTO frank.number VALUES (137438953471, 'spy')",
		"room without end":                            "INSERT INTO frank.band (place, record, layer, n, stored, packed) VALUES (" + place + ", " + taken + ", false, 0, 9223372036854775807, '')",
		"puts a function of its own before the rest":  "CREATE FUNCTION frank.may(text, bigint) RETURNS boolean LANGUAGE sql AS 'SELECT true'",
		"switches the rights off":                     "ALTER TABLE frank.record DISABLE ROW LEVEL SECURITY",
	} {
		if !strings.HasPrefix(statements, "SET ") {
			statements = "BEGIN; SELECT frank.change('spy', NULL); " + statements
		}
		const mayNot, overBound = "42501", "23514" // of PostgreSQL's error codes
		wanted := mayNot
		if strings.Contains(name, "room") {
			wanted = overBound
		}
		_, err := attempt(t, spy, statements)
		var refused *pgconn.PgError
		if assert.ErrorAs(t, err, &refused, name) {
			assert.Equal(t, wanted, refused.Code, "%s: %v", name, err)
		}
	}
	assert.Equal(t, before, query(t, database, allRows))
	// It may add to a record that is not written, but only where nobody else writes of its host: no
	// transaction is left to add to it later.
	_, err = attempt(t, spy, sheet(place, taken, "''"))
	require.Error(t, err)
	_, err = attempt(t, spy, "BEGIN; SELECT frank.change('spy', NULL); "+sheet(place, taken, "''")+"; ROLLBACK")
	require.NoError(t, err)
	// Whatever it leaves open, others go on.
	conn, err := pgconn.Connect(t.Context(), spy)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	require.NoError(t, conn.Exec(t.Context(), "BEGIN; SELECT frank.take_number('spy', 0); SELECT frank.change('spy', NULL); SELECT * FROM frank.sheet").Close())
	_, _, err = recordOf(t, asWeb, "web", "l", root, recording.Options{})
	require.NoError(t, err)
	_, _, err = recordOf(t, opened(t, login(t, database, "late"), create), "late", "l", root, recording.Options{})
	require.ErrorIs(t, err, ledger.ErrNoRight)
	for _, table := range []string{"place", "record", "sheet", "band", "band_part"} {
		column := "place"
		if table == "place" {
			column = "id"
		}
		assert.Equal(t, "0", query(t, spy, "SELECT count(*) FROM frank."+table+" WHERE "+column+" = "+other), table)
		assert.NotEqual(t, "0", query(t, web, "SELECT count(*) FROM frank."+table+" WHERE "+column+" = "+other), table)
	}
	assert.Equal(t, "1", query(t, spy, "SELECT count(*) FROM frank.admitted"))
}

// allRows asks for a digest of all that the tables of records have.
const allRows = `SELECT md5(string_agg(t::text, ';' ORDER BY t::text)) FROM (SELECT r::text FROM frank.record r UNION ALL SELECT s::text FROM frank.sheet s UNION ALL SELECT p::text FROM frank.place p
	UNION ALL SELECT b::text FROM frank.band_part b UNION ALL SELECT a::text FROM frank.admitted a UNION ALL SELECT a::text FROM frank.stamp a UNION ALL SELECT a::text FROM frank.reread a UNION ALL SELECT a::text FROM frank.mismatch a) t(t)`

// A reader reads what it is admitted to; a keeper takes away, too; and both no longer when that is
// withdrawn.
func TestRightsOfReadersAndKeepers(t *testing.T) {
	database := prepared(t)
	root := t.TempDir()
	require.NoError(t, writeFile(filepath.Join(root, "in", "a"), 1))
	owner := opened(t, database, func(name string) (*ledger.Ledger, error) { return ledger.Create(t.Context(), name) })
	var numbers []int64
	for _, host := range []string{"gull", "heron", "gull", "heron"} {
		r, _, err := recordOf(t, owner, host, "l", root, recording.Options{})
		require.NoError(t, err)
		numbers = append(numbers, r.Number)
	}
	ana, kim := login(t, database, "ana"), login(t, database, "kim")
	seen := func(name string) (hosts []string, err error) {
		l, err := ledger.Create(t.Context(), name)
		if err != nil {
			return nil, err
		}
		defer l.Close()
		records, err := l.Records(t.Context())
		for _, r := range records {
			hosts = append(hosts, r.Host)
			assert.Len(t, recorded(t, l, r), 2)
		}
		return hosts, err
	}
	_, err := seen(ana)
	require.ErrorIs(t, err, ledger.ErrNoRight)
	admit := func(login, right string, hosts ...string) {
		_, err := ledger.Admit(t.Context(), database, login, hosts, right)
		require.NoError(t, err)
	}
	admit("ana", "read", "heron")
	hosts, err := seen(ana)
	require.NoError(t, err)
	assert.Equal(t, []string{"heron", "heron"}, hosts)
	admit("ana", "read", ledger.EveryHost)
	hosts, err = seen(ana)
	require.NoError(t, err)
	assert.Equal(t, []string{"gull", "heron", "gull", "heron"}, hosts)
	asAna := opened(t, ana, func(name string) (*ledger.Ledger, error) { return ledger.Create(t.Context(), name) })
	_, _, err = recordOf(t, asAna, "gull", "l", root, recording.Options{})
	require.ErrorIs(t, err, ledger.ErrNoRight)
	require.ErrorIs(t, upkeep.Drop(t.Context(), asAna, numbers[0]), ledger.ErrNoRight)

	admit("kim", "keep", "gull")
	asKim := opened(t, kim, func(name string) (*ledger.Ledger, error) { return ledger.Create(t.Context(), name) })
	require.NoError(t, upkeep.Drop(t.Context(), asKim, numbers[0]))
	require.ErrorIs(t, upkeep.Drop(t.Context(), asKim, numbers[1]), ledger.ErrNoRecord)
	require.NoError(t, upkeep.Compact(t.Context(), asKim))
	faults, err := upkeep.Check(t.Context(), owner)
	require.NoError(t, err)
	assert.Empty(t, faults)
	hosts, err = seen(kim)
	require.NoError(t, err)
	assert.Equal(t, []string{"gull"}, hosts)

	others, err := ledger.Admit(t.Context(), database, "nosuch", []string{"gull"}, "record")
	require.ErrorIs(t, err, ledger.ErrNoLogin)
	assert.Empty(t, others)
	admit("ana", "", ledger.EveryHost)
	hosts, err = seen(ana)
	require.NoError(t, err)
	assert.Equal(t, []string{"heron", "heron"}, hosts, "what it was admitted to by name stays")
	admit("ana", "", "heron")
	_, err = seen(ana)
	require.ErrorIs(t, err, ledger.ErrNoRight)
}

// A database that an earlier version prepared is brought up to this one.
func TestPrepareUpgrades(t *testing.T) {
	if os.Getenv(onPostgres) != "" {
		t.Skip("it makes databases of its own")
	}
	database := testpg.Database(t)
	dump, err := os.ReadFile(filepath.Join("testdata", "shared-v1.sql"))
	require.NoError(t, err)
	query(t, database, string(dump))
	_, err = ledger.Open(t.Context(), database)
	require.ErrorIs(t, err, ledger.ErrOlder)
	made, upgraded, err := ledger.Prepare(t.Context(), database)
	require.NoError(t, err)
	assert.False(t, made)
	assert.True(t, upgraded)
	_, upgraded, err = ledger.Prepare(t.Context(), database)
	require.NoError(t, err)
	assert.False(t, upgraded)
	l := opened(t, database, func(name string) (*ledger.Ledger, error) { return ledger.Create(t.Context(), name) })
	records, err := l.Records(t.Context())
	require.NoError(t, err)
	require.Len(t, records, 6)
	root := t.TempDir()
	require.NoError(t, writeFile(filepath.Join(root, "in", "a"), 1))
	r, _, err := recordOf(t, l, "gull", "new", root, recording.Options{})
	require.NoError(t, err)
	assert.Greater(t, r.Number, records[5].Number)
	require.NoError(t, upkeep.Drop(t.Context(), l, records[0].Number))
	faults, err := upkeep.Check(t.Context(), l)
	require.NoError(t, err)
	assert.Empty(t, faults)

	// A newer one says which programs may read it and write to it.
	create := func() error { _, err := ledger.Create(t.Context(), database); return err }
	query(t, database, "UPDATE frank.about SET version = 99")
	_, err = ledger.Open(t.Context(), database)
	require.NoError(t, err)
	require.NoError(t, create())
	query(t, database, "UPDATE frank.about SET writers = 99")
	_, err = ledger.Open(t.Context(), database)
	require.NoError(t, err)
	require.ErrorIs(t, create(), ledger.ErrNewer)
	query(t, database, "UPDATE frank.about SET readers = 99")
	_, err = ledger.Open(t.Context(), database)
	require.ErrorIs(t, err, ledger.ErrNewer)
	_, _, err = ledger.Prepare(t.Context(), database)
	require.ErrorIs(t, err, ledger.ErrNewer)
	query(t, database, "DROP SCHEMA frank CASCADE; CREATE SCHEMA frank; CREATE TABLE frank.about (company text)")
	_, err = ledger.Open(t.Context(), database)
	require.Error(t, err)
	_, _, err = ledger.Prepare(t.Context(), database)
	require.ErrorIs(t, err, store.ErrForeign)
}

// What a machine may write of itself takes a bounded room of those who read it: what is more is its
// damage, and the others are told of as ever.
func TestRoomIsBoundedLong(t *testing.T) {
	long.Test(t)
	database := prepared(t)
	root := t.TempDir()
	require.NoError(t, writeFile(filepath.Join(root, "in", "a"), 1))
	l := opened(t, database, func(name string) (*ledger.Ledger, error) { return ledger.Create(t.Context(), name) })
	evil, _, err := recordOf(t, l, "evil", "l", root, recording.Options{})
	require.NoError(t, err)
	gull, _, err := recordOf(t, l, "gull", "l", root, recording.Options{})
	require.NoError(t, err)
	place := "(SELECT id FROM frank.place WHERE host = 'evil')"
	query(t, database, "INSERT INTO frank.record (place, number, token, label, taken, note, terms, algorithm, entries, bytes, unsized, problems, seal, self, turn) SELECT "+place+
		", 1000 + g, '', 'l', 0, convert_to(repeat('n', 65000), 'UTF8'), '[]', '', 0, 0, 0, 0, '', '', g FROM generate_series(1, 400) g")
	query(t, database, "INSERT INTO frank.mismatch SELECT "+place+", convert_to(g || repeat('m', 65000), 'UTF8'), 1, 0, 'md5', '', '' FROM generate_series(1, 1200) g")
	query(t, database, fmt.Sprint("INSERT INTO frank.problem SELECT ", place, ", ", evil.Number, ", g, convert_to(g || repeat('p', 65000), 'UTF8'), '', '', 1, false FROM generate_series(1, 1200) g"))

	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	records, err := l.Records(t.Context())
	require.NoError(t, err)
	words := 0
	for _, r := range records {
		words += len(r.Note)
	}
	assert.Len(t, records, 402)
	assert.Less(t, words, 17<<20)
	_, err = upkeep.Mismatches(t.Context(), l, evil)
	assert.ErrorIs(t, err, ledger.ErrDamaged)
	_, err = readBack(l, evil)
	assert.ErrorIs(t, err, ledger.ErrDamaged)
	got, err := readBack(l, gull)
	require.NoError(t, err)
	assert.Len(t, got, 2)
	faults, err := upkeep.Check(t.Context(), l)
	require.NoError(t, err)
	assert.NotEmpty(t, faults)
	for _, f := range faults {
		assert.Equal(t, "evil", f.Host, f.What)
	}
	runtime.ReadMemStats(&after)
	assert.Less(t, after.Sys-min(after.Sys, before.Sys), uint64(300<<20))
}

// Two ledgers on one server, each prepared by a login that is no superuser, have roles of their own: what is
// admitted to one, or withdrawn, is no matter for the other.
func TestLedgersOfOneServer(t *testing.T) {
	var databases, keepers []string
	for i := range 2 {
		database := testpg.Database(t)
		keeper := fmt.Sprint("keeper", i)
		own := login(t, database, keeper)
		query(t, database, "ALTER ROLE "+keeper+" CREATEROLE; GRANT CREATE ON DATABASE "+query(t, database, "SELECT current_database()")+" TO "+keeper)
		_, _, err := ledger.Prepare(t.Context(), own)
		require.NoError(t, err)
		databases, keepers = append(databases, login(t, database, "recorder")), append(keepers, own)
	}
	root := t.TempDir()
	records := func(at int) error {
		l, err := ledger.Create(t.Context(), databases[at])
		if err == nil {
			_, _, err = recordOf(t, l, "gull", "l", root, recording.Options{})
			l.Close()
		}
		return err
	}
	for at := range databases {
		require.ErrorIs(t, records(at), ledger.ErrNoRight)
		_, err := ledger.Admit(t.Context(), keepers[at], "recorder", []string{"gull"}, "record")
		require.NoError(t, err)
		require.NoError(t, records(at))
	}
	_, err := ledger.Admit(t.Context(), keepers[0], "recorder", []string{"gull"}, "")
	require.NoError(t, err)
	assert.ErrorIs(t, records(0), ledger.ErrNoRight)
	assert.NoError(t, records(1))
}
