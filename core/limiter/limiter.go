// Package limiter finds out how many should work at once: as many as there are cores where
// these are what limits the work, and more while they mostly wait, for a disk or for
// another machine.
package limiter

import (
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sys/unix"
)

// Most is how many ever work at once. More would not be answered sooner by any disk, and
// each holds memory and open files.
const Most = 64

// Limiter is how many may work at once on something.
type Limiter struct {
	limit   atomic.Int32
	once    sync.Once
	stop    chan struct{}
	group   sync.WaitGroup
	least   int
	most    int
	threads bool                                             // of the process follow the limit
	clock   func() (now time.Duration, worked time.Duration) // worked is the processor time of all cores
}

// New returns a limiter of as many as there are cores, that may become as many as the files
// that a process may have open allow.
func New() *Limiter {
	most := Most
	var files unix.Rlimit
	if err := unix.Getrlimit(unix.RLIMIT_NOFILE, &files); err == nil && files.Cur < 16*Most {
		most = int(files.Cur) / 16
	}
	c := newLimiter(Cores(), most, processClock())
	c.threads = true
	return c
}

// Cores returns how many there are, though a limiter may have more threads now.
var Cores = sync.OnceValue(func() int { return runtime.GOMAXPROCS(0) })

func newLimiter(least, most int, clock func() (now, worked time.Duration)) *Limiter {
	c := &Limiter{stop: make(chan struct{}), least: least, most: max(least, most), clock: clock}
	c.limit.Store(int32(least))
	return c
}

// Limit returns how many may work now.
func (c *Limiter) Limit() int { return int(c.limit.Load()) }

// Grown reports whether more work than there are cores: what is done mostly waits.
func (c *Limiter) Grown() bool { return c.Limit() > c.least }

// Expect has some more work at once, before it is known whether that is any good.
func (c *Limiter) Expect() { c.limit.CompareAndSwap(int32(c.least), int32(min(4*c.least, c.most))) }

// every is how often it is decided anew. A disk that takes five milliseconds to answer has
// answered each worker twice by then.
const every = 10 * time.Millisecond

// Watch decides from now on how many may work, until Stop is called; only the first call
// has an effect. Short tells whether there is work that nobody does; it and more, which is
// called when more may work than before, are called from another goroutine.
func (c *Limiter) Watch(short func() bool, more func()) {
	c.once.Do(func() {
		c.group.Go(func() {
			ticker := time.NewTicker(every)
			defer ticker.Stop()
			then, before := c.clock()
			for {
				select {
				case <-c.stop:
					return
				case <-ticker.C:
				}
				now, worked := c.clock()
				if c.decide(now-then, worked-before, short()) {
					more()
				}
				then, before = now, worked
			}
		})
	})
}

// Stop ends what Watch began: when it returns, nothing more is called.
func (c *Limiter) Stop() {
	c.once.Do(func() {}) // it is too late for Watch
	close(c.stop)
	c.group.Wait()
	c.set(c.least)
}

// Below these parts of all cores' time the work waits, and above they are what limits it.
const (
	waits = 0.9
	busy  = 0.97
)

// decide sets the limit, by how long it was since the last time and how much of that the
// cores worked. It returns whether more may work than before.
func (c *Limiter) decide(passed, worked time.Duration, short bool) bool {
	limit := c.Limit()
	switch part := worked.Seconds() / (passed.Seconds() * float64(c.least)); {
	case part < waits && short && limit < c.most:
		c.set(min(c.most, limit+(limit+1)/2))
		return true
	case (part > busy || !short) && limit > c.least:
		c.set(max(c.least, limit-(limit+7)/8))
	}
	return false
}

// set sets the limit. While it waits in the system, a thread keeps others from running for
// some microseconds, unless there is room for it beside them: which is what GOMAXPROCS
// gives it.
func (c *Limiter) set(limit int) {
	if limit == c.Limit() {
		return
	}
	c.limit.Store(int32(limit))
	if c.threads {
		runtime.GOMAXPROCS(min(limit, threadsEach*c.least))
	}
}

// threadsEach is how many threads a core can have at once.
const threadsEach = 8

// processClock returns a clock of this process.
func processClock() func() (now, worked time.Duration) {
	begun := time.Now()
	return func() (time.Duration, time.Duration) {
		var usage unix.Rusage
		if unix.Getrusage(unix.RUSAGE_SELF, &usage) != nil {
			return time.Since(begun), time.Since(begun) * time.Duration(Cores()) // nothing is known: as if busy
		}
		return time.Since(begun), time.Duration(usage.Utime.Nano() + usage.Stime.Nano())
	}
}
