package ledger_test

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
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
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/store"
	"frankledger/core/ledger/store/postgres"
	"frankledger/core/ledger/upkeep"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/internal/testdisk"
	"frankledger/internal/testpg"
)

var tortureFor = flag.Duration("torture", usualTorture, "how long TestTorture goes on")

// usualTorture is how long it goes on in every run of the tests. Whoever asks for more has other tests try more, too.
const usualTorture = 2 * time.Second

// TestTorture has programs record, drop, thin, search, compare, check, export, import,
// compact and ask for histories in one ledger, and send to another that is a database where
// there is a server, all at once, while what they record is altered, the clock jumps, some of their
// calls to the store fail or wait, connections are cut, and some are killed. No sound ledger is ever
// called damaged, every record reads back what the kernel said when it was written, the
// newest is the one that the machine made last, what was dropped does not come again, and in
// the end all is as it was hashed.
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
	_, err = upkeep.Export(t.Context(), other, lines)
	require.NoError(t, errors.Join(err, lines.Close(), other.Close()))

	w := &torture{T: t, root: root, file: file, server: filepath.Join(folder, "server"), jump: new(atomic.Int64)}
	if database, err := testpg.New(); err == nil {
		w.server = database
	}
	second, err := createNamed(t.Context(), w.server)
	require.NoError(t, err)
	record(t, second, "elsewhere", root)
	require.NoError(t, second.Close())
	ctx, stop := context.WithTimeout(t.Context(), *tortureFor)
	defer stop()
	w.ctx = ctx
	for i := range 2 {
		w.each("record", w.file, true, func(l *ledger.Ledger, random *rand.Rand) error { return w.record(l, random, i == 0) })
	}
	w.each("record there", w.server, true, func(l *ledger.Ledger, random *rand.Rand) error { return w.record(l, random, false) })
	w.each("drop", w.file, true, func(l *ledger.Ledger, random *rand.Rand) error { return w.drop(l, random, nil) })
	w.each("drop there", w.server, true, func(l *ledger.Ledger, random *rand.Rand) error { return w.drop(l, random, &w.gone) })
	w.each("send", w.file, false, func(l *ledger.Ledger, random *rand.Rand) error {
		there, err := ledger.Await(context.Background(), must(named(w.server)))
		if err != nil {
			return err
		}
		defer there.Close()
		w.faulty(there, random)
		return upkeep.Send(context.Background(), l, there, "h", nil, func(s upkeep.Sent) {
			if _, gone := w.gone.Load(keyOf(s.Record)); s.Dropped && !gone && !w.goes(s.Record) {
				t.Errorf("it was not dropped there: %v", s.Record)
			}
		})
	})
	w.each("read", w.file, false, func(l *ledger.Ledger, random *rand.Rand) error { return w.read(l, random, nil) })
	w.each("read there", w.server, false, func(l *ledger.Ledger, random *rand.Rand) error { return w.read(l, random, &w.gone) })
	for name, file := range map[string]string{"check": w.file, "check there": w.server} {
		w.each(name, file, false, func(l *ledger.Ledger, _ *rand.Rand) error {
			faults, err := upkeep.Check(context.Background(), l)
			if err == nil && len(faults) > 0 {
				err = fmt.Errorf("faults: %v", faults)
			}
			return err
		})
	}
	w.each("export", w.file, false, func(l *ledger.Ledger, _ *rand.Rand) error { return w.export(l) })
	w.each("history", w.file, false, func(l *ledger.Ledger, random *rand.Rand) error {
		_, err := replay.History(context.Background(), l, "h", filepath.Join(root, fmt.Sprint("n", random.IntN(300))), nil)
		return err
	})
	w.again("kill", w.kill)
	w.again("jump", func(random *rand.Rand) { // of the clock
		w.jump.Store(int64(time.Duration(random.IntN(40*24)-20*24) * time.Hour))
		time.Sleep(time.Duration(random.IntN(100)) * time.Millisecond)
	})
	for _, database := range []string{w.server, must(named(file))} {
		if postgres.Is(database) {
			w.again("cut", func(random *rand.Rand) {
				if _, err := attempt(w.T, database, "SELECT count(pg_terminate_backend(pid)) FROM (SELECT pid FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid() AND application_name = 'frank' ORDER BY random() LIMIT 1) a"); err != nil {
					t.Error(err)
				}
				time.Sleep(time.Duration(random.IntN(200)) * time.Millisecond)
			})
		}
	}
	w.group.Wait()
	if t.Failed() {
		return
	}
	for _, file := range []string{w.file, w.server} {
		l, err := openNamed(t.Context(), file)
		require.NoError(t, err)
		defer l.Close()
		faults, err := upkeep.Check(t.Context(), l)
		require.NoError(t, err)
		assert.Empty(t, faults)
		assert.NoError(t, w.read(l, rand.New(rand.NewPCG(1, 1)), nil))
	}
	w.counts.Range(func(what, count any) bool {
		t.Log(what, count.(*atomic.Int64).Load())
		if what != "again" && what != "failed" && *tortureFor > usualTorture { // in a short run not all have their turn
			assert.NotZero(t, count.(*atomic.Int64).Load(), what)
		}
		return true
	})
}

// torture is what TestTorture's programs share.
type torture struct {
	*testing.T
	ctx                context.Context // as long as it goes on
	root, file, server string
	group              sync.WaitGroup
	altering           sync.Mutex    // what is recorded stays the same while it is read
	jump               *atomic.Int64 // of the clock, in nanoseconds
	last               atomic.Int64  // turn of a record that was said to be written
	told               sync.Map      // digests of what the kernel said of records that were said to be written, by keyOf
	going, gone        sync.Map      // records that someone is dropping, or has dropped, on the server, by keyOf
	counts             sync.Map      // how often what was done
}

// errReading says that an error is of what is only read.
var errReading = errors.New("reading")

// keyOf is by what a record is known wherever it is.
func keyOf(r ledger.Record) string { return fmt.Sprint(r.Host, " ", r.Turn, " ", r.Taken.UnixNano()) }

func (w *torture) goes(r ledger.Record) bool {
	_, is := w.going.Load(keyOf(r))
	return is
}

func (w *torture) count(what string) {
	count, _ := w.counts.LoadOrStore(what, new(atomic.Int64))
	count.(*atomic.Int64).Add(1)
}

// again does something as long as all goes on.
func (w *torture) again(name string, do func(*rand.Rand)) {
	w.counts.Store(name, new(atomic.Int64))
	w.group.Go(func() {
		random := rand.New(rand.NewPCG(6, rand.Uint64()))
		for w.ctx.Err() == nil && !w.Failed() {
			do(random)
			w.count(name)
		}
	})
}

// faulty has some calls to the store fail or wait.
func (w *torture) faulty(l *ledger.Ledger, random *rand.Rand) {
	fails := random.IntN(60) // at which call, if there are so many
	if random.IntN(3) > 0 {
		fails = -1
	}
	var calls atomic.Int64
	l.Interpose(func(bool) error {
		n := calls.Add(1)
		if n%16 == int64(fails&15) {
			time.Sleep(time.Millisecond)
		}
		if n == int64(fails) {
			return errInjected
		}
		return nil
	})
}

// each opens a ledger and does something with it, as long as all goes on.
func (w *torture) each(name, file string, write bool, do func(l *ledger.Ledger, random *rand.Rand) error) {
	w.counts.LoadOrStore(name, new(atomic.Int64))
	w.group.Go(func() {
		random := rand.New(rand.NewPCG(uint64(len(name)), rand.Uint64()))
		for w.ctx.Err() == nil && !w.Failed() {
			open := ledger.Open
			if write {
				open = ledger.Await
			}
			l, err := open(context.Background(), must(named(file)))
			if err == nil {
				w.faulty(l, random)
				err = do(l, random)
				l.Close()
			}
			switch {
			case err == nil:
				w.count(name)
			case errors.Is(err, ledger.ErrDamaged):
				w.Errorf("%s: %v", name, err)
			case errors.Is(err, errInjected):
				w.count("failed")
			// Dropped just now, or cut in the middle of an answer: to be run again.
			case errors.Is(err, ledger.ErrNoRecord), errors.Is(err, replay.ErrNoEntry), errors.Is(err, store.ErrChanged), errors.Is(err, postgres.ErrLostMoment), errors.Is(err, errReading), !write && errors.Is(err, ledger.ErrNoServer):
				w.count("again")
			default:
				w.Errorf("%s: %v", name, err)
			}
		}
	})
}

// record records the tree, in the ledger or on the server, by a clock that jumps.
func (w *torture) record(l *ledger.Ledger, random *rand.Rand, digests bool) error {
	w.altering.Lock()
	edit(w.T, random, w.root, 3)
	s, err := live.Open(w.root, 0)
	taken := recording.NewSnapshot(s.Place())
	if err == nil {
		_, err = s.Read(context.Background(), source.Request{Facts: facts, Depth: source.AllDepths, Self: true}, taken)
	}
	said := kernel(w.T, w.root)
	w.altering.Unlock()
	if err != nil {
		return err
	}
	after := w.last.Load()
	o := recording.Options{MoveLabel: true, After: after}
	if digests {
		o.Fact, o.Recheck, o.Pool = entry.FactBLAKE3, random.IntN(2) == 0, digest.NewPool(live.Files{}, &source.Progress{})
	}
	r, _, err := recording.Write(context.Background(), l, ledger.Record{Label: "l", Host: "h", Place: w.root, Taken: time.Now().Add(time.Duration(w.jump.Load()))}, taken, source.Report{}, o)
	if err != nil {
		return err
	}
	if r.Turn <= after {
		return fmt.Errorf("record %d has turn %d, and one before had %d", r.Number, r.Turn, after)
	}
	w.told.Store(keyOf(r), digestOfLines(said))
	for now := w.last.Load(); r.Turn > now && !w.last.CompareAndSwap(now, r.Turn); now = w.last.Load() {
	}
	return nil
}

// drop drops a record, or thins by the clock, and notes what is gone.
func (w *torture) drop(l *ledger.Ledger, random *rand.Rand, gone *sync.Map) error {
	records, err := l.Records(context.Background())
	if errors.Is(err, ledger.ErrNoServer) {
		return errors.Join(errReading, err)
	} else if err != nil {
		return err
	}
	var drop []ledger.Record
	switch {
	case len(records) > 30:
		drop = records[:10]
	case random.IntN(4) == 0:
		drop = upkeep.Keep{Days: 5, Weeks: 3}.Spare(records, time.Now().Add(time.Duration(w.jump.Load())), time.UTC)
	case len(records) > 3:
		drop = records[random.IntN(len(records)):][:1]
	}
	newest := map[string]ledger.Record{}
	for _, r := range records {
		newest[r.Host+r.Place] = r
	}
	for _, r := range drop {
		if len(drop) > 1 && newest[r.Host+r.Place].Number == r.Number {
			return fmt.Errorf("record %d is the newest, and would be dropped", r.Number)
		}
		if gone != nil {
			w.going.Store(keyOf(r), true)
		}
		if err := upkeep.Drop(context.Background(), l, r.Number); err != nil {
			return err
		}
		if gone != nil {
			gone.Store(keyOf(r), true)
		}
	}
	return nil
}

// read reads a record back, the newest or any, and holds the records against what is known of them.
func (w *torture) read(l *ledger.Ledger, random *rand.Rand, gone *sync.Map) error {
	before := map[any]bool{} // gone before it was asked
	if gone != nil {
		gone.Range(func(key, _ any) bool { before[key] = true; return true })
	}
	records, err := l.Records(context.Background())
	if err != nil {
		return err
	}
	var newest ledger.Record
	for _, r := range records {
		if before[keyOf(r)] {
			return fmt.Errorf("record %d was dropped and is here again", r.Number)
		}
		if r.Label == "l" && r.Turn >= newest.Turn {
			newest = r
		}
	}
	if !slices.IsSortedFunc(records, func(a, b ledger.Record) int { return cmp.Compare(a.Turn, b.Turn) }) {
		return fmt.Errorf("out of order: %v", records)
	}
	if newest.Number == 0 {
		return ledger.ErrNoRecord
	}
	r, err := l.Find(context.Background(), ledger.Reference{Label: "l"})
	if err != nil || r.Number != newest.Number {
		return cmp.Or(err, fmt.Errorf("the newest is %d, and not %d", newest.Number, r.Number))
	}
	if random.IntN(2) == 0 {
		r = records[random.IntN(len(records))]
	}
	lines, err := readBack(l, r)
	if err == nil && int64(len(lines)) != r.Entries {
		err = fmt.Errorf("record %d has %d entries, and not %d", r.Number, len(lines), r.Entries)
	}
	if said, is := w.told.Load(keyOf(r)); err == nil && is && said != digestOfLines(lines) {
		err = fmt.Errorf("record %d is not what the kernel said", r.Number)
	}
	return err
}

func digestOfLines(lines map[string]string) [sha256.Size]byte {
	return sha256.Sum256(must(json.Marshal(lines))) // in the order of its keys
}

func (w *torture) export(l *ledger.Ledger) error {
	var lines bytes.Buffer
	saved, err := upkeep.Export(context.Background(), l, &lines)
	if err == nil && len(saved.Lost) > 0 {
		err = fmt.Errorf("lost: %v", saved.Lost)
	}
	if err != nil {
		return err
	}
	folder, err := os.MkdirTemp(filepath.Dir(w.file), "export")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	other, err := ledger.Create(context.Background(), filepath.Join(folder, "other"))
	if err != nil {
		return err
	}
	defer other.Close()
	done, err := upkeep.Import(context.Background(), other, &lines)
	if err == nil && len(done.Records) != saved.Records {
		err = fmt.Errorf("%d records imported of %d", len(done.Records), saved.Records)
	}
	return err
}

// kill has a program change the ledger, and kills it.
func (w *torture) kill(random *rand.Rand) {
	w.altering.Lock()
	defer w.altering.Unlock()
	child := exec.Command(os.Args[0])
	child.Env = append(os.Environ(), "FRANK_TORTURE="+must(named(w.file))+"\n"+w.root+"\n"+w.file+".lines")
	var said strings.Builder
	child.Stderr = &said
	if err := child.Start(); err != nil {
		w.Error(err)
		return
	}
	time.Sleep(time.Duration(random.IntN(300)) * time.Millisecond)
	child.Process.Kill()
	if child.Wait(); child.ProcessState.Exited() {
		w.Errorf("it ended by itself: %s", said.String())
	}
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
		l, err := ledger.Await(ctx, file)
		if err != nil {
			return err
		}
		switch random.IntN(4) {
		case 0:
			err = write(l, root, recording.Options{})
		case 1:
			if records, _ := l.Records(ctx); len(records) > 3 {
				err = upkeep.Drop(ctx, l, records[random.IntN(len(records))].Number)
			}
		case 2:
			err = upkeep.Compact(ctx, l)
		case 3:
			var lines *os.File
			if lines, err = os.Open(exported); err == nil {
				_, err = upkeep.Import(ctx, l, lines)
				lines.Close()
			}
		}
		if err != nil && !errors.Is(err, ledger.ErrNoRecord) && !errors.Is(err, upkeep.ErrThere) && !errors.Is(err, postgres.ErrLostMoment) {
			return err
		}
		l.Close()
	}
}
