package live

import (
	"sync"

	"frankledger/core/limiter"
)

// queue is the stack of work still to be done. The newest is done first, which
// keeps both the stack and the number of open folders small. Workers join while there is
// work that nobody does, and leave when there are more than should be.
type queue struct {
	mu      sync.Mutex
	changed sync.Cond
	work    []work
	busy    int // work taken and not yet finished
	idle    int // workers waiting
	workers int
	stopped bool
	limiter *limiter.Limiter
	join    func() // has one more worker begin; nil where only one works
}

func newQueue(c *limiter.Limiter) *queue {
	q := &queue{limiter: c}
	q.changed.L = &q.mu
	return q
}

// begin has the caller be the only worker.
func (q *queue) begin() {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.workers = 1
}

// rest takes off what work is left.
func (q *queue) rest() (left []work) {
	q.mu.Lock()
	defer q.mu.Unlock()
	left, q.work = q.work, nil
	return left
}

// push adds work. Only who is doing work may push, or the caller before any
// worker has started. Goes tells whether the pusher has more to do before it pops.
func (q *queue) push(goes bool, items ...work) {
	q.mu.Lock()
	q.work = append(q.work, items...)
	wake := min(q.idle, len(items))
	left := len(q.work) - q.idle
	if !goes {
		left--
	}
	q.more(left)
	q.mu.Unlock()
	for range wake {
		q.changed.Signal()
	}
}

// more has up to so many workers join. The queue is locked.
func (q *queue) more(wanted int) {
	if q.join == nil {
		return
	}
	for range min(wanted, q.limiter.Limit()-q.workers) {
		q.workers++
		q.join()
	}
}

// grown has workers join after more may be than before.
func (q *queue) grown() {
	q.mu.Lock()
	defer q.mu.Unlock()
	if !q.stopped && q.busy > 0 { // else it is at its end
		q.more(len(q.work) - q.idle)
	}
}

// isShort reports whether there is work that nobody does, or whether there would be, were
// there anyone to do it.
func (q *queue) isShort() bool {
	q.mu.Lock()
	defer q.mu.Unlock()
	return len(q.work) > q.idle
}

// working returns how many have work.
func (q *queue) working() int {
	q.mu.Lock()
	defer q.mu.Unlock()
	return q.busy
}

// wants returns how many pieces of work would be begun at once, and one that waits for
// the next worker that is done.
func (q *queue) wants() int {
	q.mu.Lock()
	defer q.mu.Unlock()
	return max(1, q.limiter.Limit()-q.busy) - len(q.work)
}

// pop waits for work. It returns false when all is done, or was stopped, or when there are
// enough workers without this one.
func (q *queue) pop() (work, bool) {
	q.mu.Lock()
	defer q.mu.Unlock()
	for {
		if q.stopped || q.workers > q.limiter.Limit() {
			q.workers--
			q.changed.Signal() // another may take what this one was woken for
			return work{}, false
		}
		if last := len(q.work) - 1; last >= 0 {
			item := q.work[last]
			q.work[last] = work{}
			q.work = q.work[:last]
			q.busy++
			return item, true
		}
		if q.busy == 0 {
			q.workers--
			q.changed.Broadcast()
			return work{}, false
		}
		q.idle++
		q.changed.Wait()
		q.idle--
	}
}

// finish says that work taken is done.
func (q *queue) finish() {
	q.mu.Lock()
	q.busy--
	done := q.busy == 0 && len(q.work) == 0
	q.mu.Unlock()
	if done {
		q.changed.Broadcast()
	}
}

// stop makes every pop return false from now on.
func (q *queue) stop() {
	q.mu.Lock()
	q.stopped = true
	q.mu.Unlock()
	q.changed.Broadcast()
}

func (q *queue) isStopped() bool {
	q.mu.Lock()
	defer q.mu.Unlock()
	return q.stopped
}
