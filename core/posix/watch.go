package posix

import (
	"cmp"
	"errors"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"
)

// Calls are what a function of this program asked of the system.
type Calls struct {
	By     string // the function
	Count  int64
	Failed map[string]int64 // by the system's reason
	Took   time.Duration    // all of them together
}

// watch counts calls; nil where they are not.
var watch *watcher

type watcher struct {
	mu sync.Mutex
	by map[string]*Calls
}

// Watch has calls counted from now on. It is called before any is made.
func Watch() { watch = &watcher{by: map[string]*Calls{}} }

// note counts a call, by the function that asked for it.
func (w *watcher) note(took time.Duration, err error) {
	pc, _, _, _ := runtime.Caller(2)
	name := runtime.FuncForPC(pc).Name()
	name = name[strings.LastIndexByte(name, '/')+1:]
	w.mu.Lock()
	defer w.mu.Unlock()
	c := w.by[name]
	if c == nil {
		c = &Calls{By: name, Failed: map[string]int64{}}
		w.by[name] = c
	}
	c.Count++
	c.Took += took
	if err != nil {
		for unwrapped := err; unwrapped != nil; unwrapped = errors.Unwrap(unwrapped) {
			err = unwrapped
		}
		c.Failed[err.Error()]++
	}
}

// Watched returns what was counted, what took longest first; nil unless Watch was called.
func Watched() (list []Calls) {
	if watch == nil {
		return nil
	}
	watch.mu.Lock()
	defer watch.mu.Unlock()
	for _, c := range watch.by {
		list = append(list, *c)
	}
	slices.SortFunc(list, func(a, b Calls) int { return cmp.Or(cmp.Compare(b.Took, a.Took), cmp.Compare(a.By, b.By)) })
	return list
}
