package encoding

import "container/heap"

// Merged reads what several deltas say of one folder, each of some of its entries, in order of
// the bytes of names.
type Merged struct {
	walks  inOrder
	before *mergedWalk // that was read last, and has to go on
	err    error
}

type mergedWalk struct {
	*Walk
	delta int
}

// Merge begins before the first entry.
func Merge(deltas []Delta) *Merged {
	m := &Merged{walks: make(inOrder, 0, len(deltas))}
	for i, d := range deltas {
		w := &mergedWalk{NewWalk(d), i}
		if w.Next() {
			m.walks = append(m.walks, w)
		} else if m.err = w.Err(); m.err != nil {
			break
		}
	}
	heap.Init(&m.walks)
	return m
}

// Next returns the next entry, which is good until the next call, and the number of the delta
// that has it; nil after the last, or where a delta is damaged.
func (m *Merged) Next() (next *Recorded, delta int) {
	if last := m.before; last != nil {
		m.before = nil
		if last.Next() {
			heap.Fix(&m.walks, 0)
		} else if m.err = last.Err(); m.err == nil {
			heap.Pop(&m.walks)
		}
	}
	if m.err != nil || len(m.walks) == 0 {
		return nil, 0
	}
	m.before = m.walks[0]
	return &m.before.Recorded, m.before.delta
}

// Err returns what was wrong with a delta.
func (m *Merged) Err() error { return m.err }

// inOrder has the walk on top whose next name comes first.
type inOrder []*mergedWalk

func (o inOrder) Len() int           { return len(o) }
func (o inOrder) Less(i, j int) bool { return o[i].Entry.Name < o[j].Entry.Name }
func (o inOrder) Swap(i, j int)      { o[i], o[j] = o[j], o[i] }
func (o *inOrder) Push(w any)        { *o = append(*o, w.(*mergedWalk)) }
func (o *inOrder) Pop() any {
	last := len(*o) - 1
	w := (*o)[last]
	*o = (*o)[:last]
	return w
}
