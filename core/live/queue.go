package live

import "sync"

// queue is the stack of work still to be done. The newest is done first, which
// keeps both the stack and the number of open folders small.
type queue struct {
	mu      sync.Mutex
	changed sync.Cond
	work    []work
	busy    int // work taken and not yet finished
	idle    int // workers waiting
	stopped bool
}

func newQueue() *queue {
	q := &queue{}
	q.changed.L = &q.mu
	return q
}

// push adds work. Only who is doing work may push, or the caller before any
// worker has started.
func (q *queue) push(items ...work) {
	q.mu.Lock()
	q.work = append(q.work, items...)
	wake := min(q.idle, len(items))
	q.mu.Unlock()
	for range wake {
		q.changed.Signal()
	}
}

// bare reports whether a worker that wants work now would find none.
func (q *queue) bare() bool {
	q.mu.Lock()
	defer q.mu.Unlock()
	return len(q.work) == 0
}

// pop waits for work. It returns false when all is done, or was stopped.
func (q *queue) pop() (work, bool) {
	q.mu.Lock()
	defer q.mu.Unlock()
	for {
		if q.stopped {
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
