package ledger_test

import (
	"encoding/hex"
	"math/rand/v2"
	"path/filepath"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/source"
	"frankledger/internal/long"
)

// Whoever asks for the records while one is written, in the same program, knows of it as soon as
// that is said.
func TestRecordsWhileOneIsWritten(t *testing.T) {
	root := t.TempDir()
	l, err := createNamed(t.Context(), filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	done := make(chan struct{})
	var group sync.WaitGroup
	for range 2 {
		group.Go(func() {
			for {
				select {
				case <-done:
					return
				default:
					_, err := l.Records(t.Context())
					assert.NoError(t, err)
				}
			}
		})
	}
	for i := range 20 {
		record(t, l, "l", root)
		records, err := l.Records(t.Context())
		require.NoError(t, err)
		assert.Len(t, records, i+1)
	}
	close(done)
	group.Wait()
}

// An answer is of one moment: where the connection is lost in the middle of it, it ends, and does not
// go on with what there is later.
func TestLostMoment(t *testing.T) {
	database := prepared(t)
	root := t.TempDir()
	l := opened(t, database, func(name string) (*ledger.Ledger, error) { return ledger.Create(t.Context(), name) })
	record(t, l, "l", root)
	reader := opened(t, database, func(name string) (*ledger.Ledger, error) { return ledger.Open(t.Context(), name) })
	records, err := reader.Records(t.Context())
	require.NoError(t, err)
	require.Len(t, records, 1)
	query(t, database, "SELECT count(pg_terminate_backend(pid)) FROM pg_stat_activity WHERE datname = current_database() AND state = 'idle in transaction'")
	record(t, l, "l", root)
	for range 4 {
		records, err := reader.Records(t.Context())
		require.Error(t, err, "%d records", len(records))
	}
}

// The first statement that fails is what is told, or what is done again, also where more was sent
// meanwhile.
func TestFailsWhileMoreIsSentLong(t *testing.T) {
	long.Test(t)
	database := prepared(t)
	fabricated := func() *recording.Snapshot { // some megabytes, however they are packed
		place := &entry.Place{Given: "/srv", Full: "/srv"}
		taken := recording.NewSnapshot(place)
		visit, top := taken.Visitor(), &entry.Folder{Place: place}
		random := rand.New(rand.NewPCG(1, 2))
		name := make([]byte, 100)
		batch := []entry.Entry{{Folder: top, Self: true, Kind: entry.KindFolder, Known: entry.FactStatus, Inode: 1 << 20, Device: 1, Links: 1}}
		for i := range 50_000 {
			for i := range name {
				name[i] = byte(random.Uint32())
			}
			batch = append(batch, entry.Entry{Folder: top, Name: strconv.Itoa(i) + hex.EncodeToString(name), Kind: entry.KindFile, Known: entry.FactStatus, Inode: uint64(i + 1), Device: 1, Links: 1})
		}
		require.NoError(t, visit(batch))
		return taken
	}
	l := opened(t, database, func(name string) (*ledger.Ledger, error) { return ledger.Create(t.Context(), name) })
	write := func() error {
		_, _, err := recording.Write(t.Context(), l, ledger.Record{Label: "l", Host: "h", Place: "/srv", Taken: time.Now()}, fabricated(), source.Report{}, recording.Options{})
		return err
	}
	fail := func(state, times string) {
		query(t, database, "DROP TRIGGER IF EXISTS fails ON frank.sheet; DROP SEQUENCE IF EXISTS public.met; CREATE SEQUENCE public.met; "+
			"CREATE OR REPLACE FUNCTION public.fails() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN IF nextval('public.met') <= "+times+" THEN RAISE EXCEPTION USING ERRCODE = '"+state+"', MESSAGE = 'made up'; END IF; RETURN NEW; END $$; "+
			"CREATE TRIGGER fails BEFORE INSERT ON frank.sheet FOR EACH STATEMENT EXECUTE FUNCTION public.fails()")
	}
	fail("42501", "1000")
	assert.ErrorIs(t, write(), ledger.ErrNoRight)
	fail("40001", "1")
	assert.NoError(t, write())
	assert.Equal(t, "1", query(t, database, "SELECT count(*) FROM frank.record"))
	assert.Greater(t, query(t, database, "SELECT last_value FROM public.met"), "2", "more than one statement was needed")
}
