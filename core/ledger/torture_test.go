package ledger_test

import (
	"bytes"
	"context"
	"errors"
	"flag"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
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
	"frankledger/internal/testdisk"
	"frankledger/internal/testpg"
)

var tortureFor = flag.Duration("torture", 2*time.Second, "how long TestTorture goes on")

// TestTorture has programs record, drop, search, compare, check, export, import,
// compact and ask for histories in one ledger, all at once, while what they record is
// altered, some of their calls to the store fail or wait, and some are killed. No
// sound ledger is ever called damaged, every record reads back what the kernel said
// when it was written, and in the end all is as it was hashed.
func TestTorture(t *testing.T) {
	folder := t.TempDir()
	root, file := filepath.Join(folder, "tree"), filepath.Join(folder, "ledger")
	require.NoError(t, os.MkdirAll(root, 0o755))
	edit(t, rand.New(rand.NewPCG(1, 1)), root, 200)
	first, err := createNamed(t.Context(), file)
	require.NoError(t, err)
	record(t, first, "l", root)
	require.NoError(t, first.Close())
	other, err := createNamed(t.Context(), filepath.Join(folder, "other"))
	require.NoError(t, err)
	record(t, other, "elsewhere", filepath.Dir(file))
	lines, err := os.Create(file + ".lines")
	require.NoError(t, err)
	_, err = other.Export(t.Context(), lines)
	require.NoError(t, errors.Join(err, lines.Close(), other.Close()))

	ctx, stop := context.WithTimeout(t.Context(), *tortureFor)
	defer stop()
	var counts [8]atomic.Int64
	var failed, waited atomic.Int64
	var told sync.Map // what the kernel said of each record that was said to be written
	var group sync.WaitGroup
	var altering sync.Mutex // what is recorded stays the same while it is read
	each := func(what int, name string, write bool, do func(l *ledger.Ledger, random *rand.Rand) error) {
		group.Go(func() {
			random := rand.New(rand.NewPCG(uint64(what), uint64(time.Now().UnixNano())))
			for ctx.Err() == nil {
				open := openNamed
				if write {
					open = createNamed
				}
				l, err := open(context.Background(), file)
				if err == nil {
					fails := random.IntN(60) // at which call, if there are so many
					if random.IntN(3) > 0 {
						fails = -1
					}
					var calls atomic.Int64
					l.Interpose(func(bool) error {
						n := calls.Add(1)
						if n%16 == int64(fails&15) {
							time.Sleep(time.Millisecond)
							waited.Add(1)
						}
						if n == int64(fails) {
							return errInjected
						}
						return nil
					})
					err = do(l, random)
					l.Close()
				}
				switch {
				case errors.Is(err, errInjected) && !errors.Is(err, ledger.ErrDamaged):
					failed.Add(1)
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
	for i := range 2 {
		each(0, "record", true, func(l *ledger.Ledger, random *rand.Rand) error {
			altering.Lock()
			edit(t, random, root, 3)
			s, err := live.Open(root, 0)
			taken := ledger.NewSnapshot(s.Place())
			if err == nil {
				_, err = s.Read(context.Background(), source.Request{Facts: facts, Depth: source.AllDepths, Self: true}, taken)
			}
			said := kernel(t, root)
			altering.Unlock()
			if err != nil {
				return err
			}
			o := ledger.Options{MoveLabel: true}
			if i == 0 {
				o.Fact, o.Recheck, o.Pool = entry.FactBLAKE3, random.IntN(2) == 0, digest.NewPool(live.Files{}, &source.Progress{})
			}
			r, _, err := l.Write(context.Background(), ledger.Record{Label: "l", Host: "h", Place: root, Taken: time.Now()}, taken, source.Report{}, o)
			if err == nil {
				told.Store(r.Number, said)
			}
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
		lines, err := readBack(l, r)
		if err == nil && int64(len(lines)) != r.Entries {
			err = fmt.Errorf("record %d has %d entries, and not %d", r.Number, len(lines), r.Entries)
		}
		if said, is := told.Load(r.Number); err == nil && is && !maps.Equal(said.(map[string]string), lines) {
			err = fmt.Errorf("record %d is not what the kernel said", r.Number)
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
		other, err := createNamed(context.Background(), filepath.Join(t.TempDir(), "other"))
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
	group.Go(func() { // programs that are killed
		random := rand.New(rand.NewPCG(6, uint64(time.Now().UnixNano())))
		for ctx.Err() == nil {
			altering.Lock()
			child := exec.Command(os.Args[0])
			child.Env = append(os.Environ(), "FRANK_TORTURE="+must(named(file))+"\n"+root+"\n"+file+".lines")
			var said strings.Builder
			child.Stderr = &said
			err := child.Start()
			if err != nil {
				t.Error(err)
				altering.Unlock()
				return
			}
			time.Sleep(time.Duration(random.IntN(300)) * time.Millisecond)
			child.Process.Kill()
			if child.Wait(); child.ProcessState.Exited() {
				t.Errorf("it ended by itself: %s", said.String())
			}
			altering.Unlock()
			counts[6].Add(1)
			time.Sleep(time.Duration(random.IntN(300)) * time.Millisecond)
		}
	})
	group.Wait()
	l, err := openNamed(t.Context(), file)
	require.NoError(t, err)
	defer l.Close()
	faults, err := l.Check(t.Context())
	require.NoError(t, err)
	assert.Empty(t, faults)
	for i, what := range []string{"record", "drop", "read", "check", "export", "history", "kill"} {
		t.Log(what, counts[i].Load())
		assert.NotZero(t, counts[i].Load(), what)
	}
	t.Log("failed", failed.Load(), "waited", waited.Load())
}

// TestMain is a program that TestTorture kills, if that runs it.
func TestMain(m *testing.M) {
	if where := strings.Split(os.Getenv("FRANK_TORTURE"), "\n"); len(where) == 3 {
		fmt.Fprintln(os.Stderr, busy(where[0], where[1], where[2]))
		os.Exit(3)
	}
	testdisk.Use()
	status := m.Run()
	testpg.Stop()
	os.Exit(status)
}

// busy records, drops, compacts and imports until it is killed.
func busy(file, root, exported string) error {
	ctx, random := context.Background(), rand.New(rand.NewPCG(7, uint64(time.Now().UnixNano())))
	for {
		l, err := createNamed(ctx, file)
		if err != nil {
			return err
		}
		switch random.IntN(4) {
		case 0:
			err = write(l, root, ledger.Options{})
		case 1:
			if records, _ := l.Records(ctx); len(records) > 3 {
				err = l.Drop(ctx, records[random.IntN(len(records))].Number)
			}
		case 2:
			err = l.Compact(ctx)
		case 3:
			var lines *os.File
			if lines, err = os.Open(exported); err == nil {
				_, err = l.Import(ctx, lines)
				lines.Close()
			}
		}
		if err != nil && !errors.Is(err, ledger.ErrNoRecord) && !errors.Is(err, ledger.ErrThere) {
			return err
		}
		l.Close()
	}
}
