package ledger_test

import (
	"bytes"
	"context"
	"errors"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/live"
	"frankledger/core/source"
)

var tortureFor = flag.Duration("torture", 3*time.Second, "how long TestTorture goes on")

// TestTorture has programs record, drop, search, compare, check, export and ask for
// histories in one ledger, all at once, while what they record is altered. No sound
// ledger is ever called damaged, every record reads back what was said to be written,
// and in the end all is as it was sealed.
func TestTorture(t *testing.T) {
	folder := t.TempDir()
	root, file := filepath.Join(folder, "tree"), filepath.Join(folder, "ledger")
	require.NoError(t, os.MkdirAll(root, 0o755))
	edit(t, rand.New(rand.NewPCG(1, 1)), root, 200)
	first, err := ledger.Create(t.Context(), file)
	require.NoError(t, err)
	record(t, first, "l", root)
	require.NoError(t, first.Close())

	ctx, stop := context.WithTimeout(t.Context(), *tortureFor)
	defer stop()
	var counts [8]atomic.Int64
	var group sync.WaitGroup
	var altering sync.Mutex // what is recorded stays the same while it is read
	each := func(what int, name string, write bool, do func(l *ledger.Ledger, random *rand.Rand) error) {
		group.Go(func() {
			random := rand.New(rand.NewPCG(uint64(what), uint64(time.Now().UnixNano())))
			for ctx.Err() == nil {
				open := ledger.Open
				if write {
					open = ledger.Create
				}
				l, err := open(context.Background(), file)
				if err == nil {
					err = do(l, random)
					l.Close()
				}
				switch {
				case errors.Is(err, ledger.ErrNoRecord) || errors.Is(err, ledger.ErrNoEntry): // dropped just now
				case err != nil:
					t.Errorf("%s: %v", name, err)
					return
				default:
					counts[what].Add(1)
				}
			}
		})
	}
	some := func(l *ledger.Ledger, random *rand.Rand) (ledger.Record, error) {
		records, err := l.Records(context.Background())
		if err != nil || len(records) == 0 {
			return ledger.Record{}, errors.Join(err, ledger.ErrNoRecord)
		}
		return records[random.IntN(len(records))], nil
	}
	read := func(l *ledger.Ledger, r ledger.Record) (entries int64, err error) {
		s, err := l.Source(context.Background(), r, "", "@l", 0)
		if err != nil {
			return 0, err
		}
		var n atomic.Int64
		_, err = s.Read(context.Background(), source.Request{Facts: entry.FactStatus, Depth: source.AllDepths}, source.SinkFunc(func() source.Visitor {
			return func(e []entry.Entry) error { n.Add(int64(len(e))); return nil }
		}))
		return n.Load(), err
	}
	for i := range 2 {
		each(0, "record", true, func(l *ledger.Ledger, random *rand.Rand) error {
			altering.Lock()
			edit(t, random, root, 3)
			s, err := live.Open(root, 0)
			taken := ledger.NewTaking(s.Place())
			if err == nil {
				_, err = s.Read(context.Background(), source.Request{Facts: facts, Depth: source.AllDepths, Self: true}, taken)
			}
			altering.Unlock()
			if err != nil {
				return err
			}
			o := ledger.Options{MoveLabel: true}
			if i == 0 {
				o.Fact, o.Recheck, o.Pool = entry.FactBLAKE3, random.IntN(2) == 0, digest.NewPool(live.Files{}, &source.Progress{})
			}
			_, _, err = l.Write(context.Background(), ledger.Record{Label: "l", Host: "h", Place: root, Taken: time.Now()}, taken, source.Report{}, o)
			return err
		})
	}
	each(1, "drop", true, func(l *ledger.Ledger, random *rand.Rand) error {
		records, err := l.Records(context.Background())
		if err != nil || len(records) < 4 {
			return err
		}
		return l.Drop(context.Background(), records[random.IntN(len(records))].Number)
	})
	each(2, "read", false, func(l *ledger.Ledger, random *rand.Rand) error {
		r, err := some(l, random)
		if err != nil {
			return err
		}
		n, err := read(l, r)
		if err == nil && n != r.Entries {
			err = fmt.Errorf("record %d has %d entries, and not %d", r.Number, n, r.Entries)
		}
		return err
	})
	each(3, "check", false, func(l *ledger.Ledger, _ *rand.Rand) error {
		faults, err := l.Check(context.Background())
		if err == nil && len(faults) > 0 {
			err = fmt.Errorf("faults: %v", faults)
		}
		return err
	})
	each(4, "export", false, func(l *ledger.Ledger, _ *rand.Rand) error {
		var lines bytes.Buffer
		saved, err := l.Export(context.Background(), &lines)
		if err == nil && len(saved.Lost) > 0 {
			err = fmt.Errorf("lost: %v", saved.Lost)
		}
		if err != nil {
			return err
		}
		other, err := ledger.Create(context.Background(), filepath.Join(t.TempDir(), "other"))
		if err != nil {
			return err
		}
		defer other.Close()
		done, err := other.Import(context.Background(), &lines)
		if err == nil && len(done.Records) != saved.Records {
			err = fmt.Errorf("%d records imported of %d", len(done.Records), saved.Records)
		}
		return err
	})
	each(5, "history", false, func(l *ledger.Ledger, random *rand.Rand) error {
		_, err := l.History(context.Background(), "h", filepath.Join(root, fmt.Sprint("n", random.IntN(300))))
		return err
	})
	group.Wait()
	l, err := ledger.Open(t.Context(), file)
	require.NoError(t, err)
	defer l.Close()
	faults, err := l.Check(t.Context())
	require.NoError(t, err)
	assert.Empty(t, faults)
	for i, what := range []string{"record", "drop", "read", "check", "export", "history"} {
		t.Log(what, counts[i].Load())
		assert.NotZero(t, counts[i].Load(), what)
	}
}
