package ledger_test

import (
	"context"
	"encoding/hex"
	"errors"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/upkeep"
)

var (
	hostileFor  = flag.Duration("hostile", time.Second, "how long TestHostileLogins goes on")
	hostileSeed = flag.Uint64("hostile-seed", 0, "its seed; another one each time by default")
)

// hostile makes up statements of a login that may record, or keep, one host.
type hostile struct {
	random    *rand.Rand
	columns   map[string][][2]string // of tables: names and types
	functions map[string][][2]string // of their parameters
	numbers   []string               // that mean something here
	texts     []string
	segments  []string // bytes that segments have
}

// value makes up one for a column, or a parameter, of a name and a type: often one that could
// be meant.
func (h *hostile) value(name, kind string) string {
	if h.random.IntN(10) < 7 {
		switch name {
		case "place", "at", "id":
			return "(SELECT id FROM frank.place WHERE host = 'evil' LIMIT 1)"
		case "record", "number", "of_record", "to_record":
			return "(SELECT max(n) FROM pg_temp.taken)"
		case "host", "whose", "name":
			return "'evil'"
		case "n", "part", "level":
			return fmt.Sprint(h.random.IntN(4))
		case "entries", "looked", "hidden", "unsized", "problems", "turn":
			return "1"
		case "terms":
			return "'[]'"
		case "layer":
			return "false"
		}
	}
	pick := func(list []string) string { return list[h.random.IntN(len(list))] }
	switch kind {
	case "bigint", "integer":
		if h.random.IntN(2) == 0 {
			return pick(h.numbers)
		}
		return pick([]string{"-1", "0", "1", "2", "99", "2147483647", "16777215", "16777216", "137438953471", "137438953472", "1152921504606846976", "4611686018427387904", "9223372036854775807", "(-9223372036854775808)"})
	case "boolean":
		return pick([]string{"true", "false"})
	case "bytea":
		switch h.random.IntN(6) {
		case 0:
			return "repeat('x', " + pick([]string{"1", "16", "4096", "70000", "3000000", "20000000"}) + ")::bytea"
		case 1:
			noise := make([]byte, h.random.IntN(400))
			for i := range noise {
				noise[i] = byte(h.random.Uint32())
			}
			return `'\x` + hex.EncodeToString(noise) + "'"
		case 2:
			return "''"
		case 3, 4:
			bytes, _ := hex.DecodeString(pick(h.segments))
			for range h.random.IntN(4) {
				if len(bytes) > 0 {
					bytes[h.random.IntN(len(bytes))] = byte(h.random.Uint32())
				}
			}
			return `'\x` + hex.EncodeToString(bytes) + "'"
		}
		return `'\x` + pick(h.segments) + "'"
	}
	return pick(append([]string{"'evil'", "'gull'", "'heron'", "'*'", "''", "'l'", "repeat('é', 300)", "E'a\\nb\\x1b[2J'", "'md5'", "NULL"}, h.texts...))
}

func (h *hostile) statement() string {
	var tables []string
	for table := range h.columns {
		tables = append(tables, table)
	}
	table := tables[h.random.IntN(len(tables))]
	switch h.random.IntN(16) {
	case 0:
		return "LOCK TABLE frank." + table + " IN " + []string{"ACCESS EXCLUSIVE", "EXCLUSIVE", "SHARE", "ROW EXCLUSIVE", "SHARE UPDATE EXCLUSIVE"}[h.random.IntN(5)] + " MODE NOWAIT"
	case 1:
		return []string{"BEGIN", "COMMIT", "ROLLBACK", "SAVEPOINT s", "ROLLBACK TO s", "BEGIN ISOLATION LEVEL SERIALIZABLE", "SET ROLE postgres", "SET SESSION AUTHORIZATION DEFAULT", "SELECT pg_advisory_lock(1)", "DISCARD ALL"}[h.random.IntN(10)]
	case 2:
		return "DELETE FROM frank." + table
	case 3:
		column := h.columns[table][h.random.IntN(len(h.columns[table]))]
		return "UPDATE frank." + table + " SET " + column[0] + " = " + h.value(column[0], column[1])
	case 4:
		return "SELECT frank.change('evil', NULL)"
	case 5, 6, 7, 8:
		var names []string
		for name := range h.functions {
			names = append(names, name)
		}
		name := names[h.random.IntN(len(names))]
		var values []string
		for _, one := range h.functions[name] {
			values = append(values, h.value(one[0], one[1])+"::"+one[1])
		}
		return "SELECT frank." + name + "(" + strings.Join(values, ", ") + ")"
	case 9, 10: // what there is, under another number
		var names, values []string
		for _, column := range h.columns[table] {
			names, values = append(names, column[0]), append(values, column[0])
			if h.random.IntN(3) == 0 {
				values[len(values)-1] = h.value(column[0], column[1])
			}
		}
		return "INSERT INTO frank." + table + " (" + strings.Join(names, ", ") + ") SELECT " + strings.Join(values, ", ") + " FROM frank." + table + " LIMIT " + fmt.Sprint(1+h.random.IntN(3))
	}
	var names, values []string
	for _, column := range h.columns[table] {
		names, values = append(names, column[0]), append(values, h.value(column[0], column[1]))
	}
	return "INSERT INTO frank." + table + " (" + strings.Join(names, ", ") + ") VALUES (" + strings.Join(values, ", ") + ")"
}

// message is several statements in one, as a client may send them, which mostly begin a
// transaction that has the row of the host.
func (h *hostile) message() string {
	var all []string
	if h.random.IntN(4) > 0 {
		all = append(all, "BEGIN", "SELECT frank.change('evil', NULL)", "INSERT INTO pg_temp.taken SELECT frank.take_number('evil', 0)")
	}
	for range []int{1, 1, 1, 2, 3, 6}[h.random.IntN(6)] {
		all = append(all, h.statement())
	}
	if h.random.IntN(3) > 0 {
		all = append(all, "COMMIT")
	}
	return strings.Join(all, "; ")
}

// list asks for rows of texts.
func list(t *testing.T, database, query string) (rows [][]string) {
	conn, err := pgconn.Connect(t.Context(), database)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	results, err := conn.Exec(t.Context(), query).ReadAll()
	require.NoError(t, err)
	for _, row := range results[len(results)-1].Rows {
		var texts []string
		for _, value := range row {
			texts = append(texts, string(value))
		}
		rows = append(rows, texts)
	}
	return rows
}

// Whatever logins say that may record, or keep, one host: what is asked of the others is
// answered as before, within seconds, and everybody can record.
func TestHostileLogins(t *testing.T) {
	if testing.Short() {
		t.Skip("not in short tests")
	}
	database := prepared(t)
	seed := *hostileSeed
	if seed == 0 {
		seed = rand.Uint64()
	}
	t.Logf("seed %d", seed)
	h := &hostile{random: rand.New(rand.NewPCG(seed, 5)), columns: map[string][][2]string{}, functions: map[string][][2]string{}}
	create := func(name string) (*ledger.Ledger, error) { return ledger.Create(t.Context(), name) }
	logins := map[string]string{}
	for _, one := range []struct{ login, host, may string }{{"gull", "gull", "record"}, {"heron", "heron", "keep"}, {"ana", ledger.EveryHost, "read"}, {"evil", "evil", "record"}, {"evilkeeper", "evil", "keep"}} {
		logins[one.login] = login(t, database, one.login)
		_, err := ledger.Admit(t.Context(), database, one.login, []string{one.host}, one.may)
		require.NoError(t, err)
	}
	root := t.TempDir()
	for i := range 30 {
		require.NoError(t, writeFile(filepath.Join(root, fmt.Sprint("d", i%5), fmt.Sprint("f", i)), i))
	}
	for _, host := range []string{"gull", "heron", "evil", "gull", "evil"} {
		l := opened(t, logins[host], create)
		_, _, err := recordOf(t, l, host, "l", root, recording.Options{})
		require.NoError(t, err)
		l.Close()
	}
	for _, row := range list(t, database, "SELECT table_name, column_name, data_type FROM information_schema.columns WHERE table_schema = 'frank' ORDER BY 1, ordinal_position") {
		h.columns[row[0]] = append(h.columns[row[0]], [2]string{row[1], row[2]})
	}
	for _, row := range list(t, database, "SELECT p.proname, p.proargnames[u.n], format_type(u.a, NULL) FROM pg_proc p JOIN pg_namespace s ON s.oid = p.pronamespace, unnest(p.proargtypes) WITH ORDINALITY u(a, n) WHERE s.nspname = 'frank' ORDER BY 1, u.n") {
		h.functions[row[0]] = append(h.functions[row[0]], [2]string{row[1], row[2]})
	}
	for _, row := range list(t, database, "SELECT id::text FROM frank.place UNION SELECT number::text FROM frank.record UNION SELECT (number+1)::text FROM frank.record UNION SELECT (last_value+1)::text FROM frank.record_number") {
		h.numbers = append(h.numbers, row[0])
	}
	h.numbers = append(h.numbers, "(SELECT max(n) FROM pg_temp.taken)", "(SELECT min(id) FROM frank.place)")
	for _, row := range list(t, database, "SELECT encode(folders, 'hex') FROM frank.sheet UNION SELECT encode(names, 'hex') FROM frank.sheet UNION SELECT encode(packed, 'hex') FROM frank.band UNION SELECT encode(seal, 'hex') FROM frank.record UNION SELECT encode(self, 'hex') FROM frank.record") {
		h.segments = append(h.segments, row[0])
	}
	others := strings.ReplaceAll(allRows, "FROM frank.record r", "FROM frank.record r WHERE place IN (SELECT id FROM frank.place WHERE host <> 'evil')")
	for _, table := range []string{"sheet s", "band_part b", "stamp a", "reread a", "mismatch a"} {
		others = strings.ReplaceAll(others, "FROM frank."+table, "FROM frank."+table+" WHERE place IN (SELECT id FROM frank.place WHERE host <> 'evil')")
	}
	others = strings.ReplaceAll(others, "FROM frank.place p", "FROM frank.place p WHERE host <> 'evil'")
	expected := query(t, database, others)

	said, done := 0, 0
	for begun := time.Now(); time.Since(begun) < *hostileFor && !t.Failed(); {
		var open []*pgconn.PgConn
		var messages []string
		for range 3 {
			who := []string{"evil", "evilkeeper"}[h.random.IntN(2)]
			conn, err := pgconn.Connect(t.Context(), logins[who])
			require.NoError(t, err)
			require.NoError(t, conn.Exec(t.Context(), "SET statement_timeout = 5000; SET lock_timeout = 100; CREATE TEMP TABLE taken (n bigint)").Close())
			for range 40 {
				conn.Exec(t.Context(), "ROLLBACK; SET lock_timeout = 100; SET statement_timeout = 5000; CREATE TEMP TABLE IF NOT EXISTS taken (n bigint); TRUNCATE taken").Close()
				message := h.message()
				messages = append(messages, who+": "+message)
				said++
				if conn.Exec(t.Context(), message).Close() == nil {
					done++
				}
			}
			open = append(open, conn) // whatever it has begun
		}
		failed := func(format string, args ...any) {
			path := filepath.Join(os.TempDir(), fmt.Sprintf("hostile-%d.sql", seed))
			os.WriteFile(path, []byte(strings.Join(messages, "\n")), 0o600)
			t.Errorf("seed %d: %s; what was said last is in %s", seed, fmt.Sprintf(format, args...), path)
		}
		ctx, stop := context.WithTimeout(t.Context(), 40*time.Second)
		if now := query(t, database, others); now != expected {
			failed("rows of others differ")
		}
		asked := time.Now()
		ana, err := ledger.Open(ctx, logins["ana"])
		if err == nil {
			_, err = ana.Records(ctx)
			var newest []ledger.Record
			if err == nil {
				newest, err = ana.Newest(ctx, nil)
			}
			met := 0
			for _, r := range newest {
				if r.Host == "gull" || r.Host == "heron" {
					met++
					if len(recorded(t, ana, r)) != 35 {
						failed("the answer about %s is another", r.Host)
					}
				}
			}
			if met != 2 {
				failed("%d of 2 hosts answer: %v", met, err)
			}
			if err == nil {
				_, err = ana.Room(ctx)
			}
			if err == nil {
				_, err = ana.Late(ctx, "l", nil, time.Now())
			}
			var faults []upkeep.Fault
			if err == nil {
				if faults, err = upkeep.Check(ctx, ana); errors.Is(err, ledger.ErrDamaged) {
					err = nil
				}
			}
			for _, f := range faults {
				if f.Host != "evil" {
					failed("%s is said to be damaged: %v", f.Host, f)
				}
			}
			ana.Close()
		}
		if err != nil {
			failed("a reader: %v", err)
		}
		if took := time.Since(asked); took > 20*time.Second {
			failed("answers took %v", took)
		}
		for _, host := range []string{"gull", "heron"} {
			l, err := ledger.Create(ctx, logins[host])
			if err == nil {
				_, _, err = recordOf(t, l, host, "l", root, recording.Options{})
				l.Close()
			}
			if err != nil {
				failed("%s could not record: %v", host, err)
			}
		}
		stop()
		for _, conn := range open {
			conn.Close(context.Background())
		}
		expected = query(t, database, others)
	}
	t.Logf("%d messages, of which %d went through", said, done)
	assert.NotZero(t, done)
}
