package live

import (
	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/live/calls"
)

// visited keeps the folders of a place open that were entered last, and some of those above them,
// so that a folder far down is not opened from the place each time. One goroutine uses it.
type visited struct {
	place *entry.Place
	last  *visit // that was entered
	open  map[*entry.Folder]*visit
	most  int // that may be open; 0 before the first
	clock uint64
}

// visit is a folder that is open.
type visit struct {
	folder *entry.Folder
	dir    calls.Dir
	used   uint64 // when it was last used, by the clock
}

const (
	mostVisited = 128 // folders that one goroutine keeps open
	// leastVisited are the place, a folder above, and the one that is entered.
	leastVisited = 3
	// leastStride is at least how far apart the folders are that are kept on a way down.
	leastStride = 16
)

// enter opens a folder, which stays open until another is entered.
func (v *visited) enter(folder *entry.Folder) (calls.Dir, error) {
	if v.last != nil && v.last.folder == folder {
		return v.last.dir, nil
	}
	if v.place != folder.Place {
		if err := v.begin(folder); err != nil {
			return calls.Dir{}, err
		}
	}
	from := folder
	for v.open[from] == nil {
		from = from.Parent
	}
	at := v.use(v.open[from])
	trail := make([]*entry.Folder, folder.Depth-from.Depth)
	for below := folder; below != from; below = below.Parent {
		trail[below.Depth-from.Depth-1] = below
	}
	stride := v.stride(folder.Depth)
	for len(trail) > 0 {
		n := min(stride-(trail[0].Depth-1)%stride, len(trail))
		dir, err := openTrail(at.dir, trail[:n])
		if err != nil {
			return calls.Dir{}, err
		}
		at = v.keep(trail[n-1], dir)
		trail = trail[n:]
	}
	v.last = at
	return at.dir, nil
}

// begin goes to the place of a folder.
func (v *visited) begin(folder *entry.Folder) error {
	v.close()
	root, err := calls.OpenDir(unix.AT_FDCWD, folder.Place.Given, true)
	if err != nil {
		return err
	}
	for folder.Parent != nil {
		folder = folder.Parent
	}
	if v.most == 0 {
		const goroutines = 2 * 64 // each may read two files side by side
		v.most = min(mostVisited, max(leastVisited, mayOpen()/2/goroutines))
	}
	v.place, v.open = folder.Place, map[*entry.Folder]*visit{}
	v.keep(folder, root)
	return nil
}

// stride returns how far apart folders are kept on the way to one so far down: the folders of
// a chain that is entered here and there need a quarter of what may be open.
func (v *visited) stride(depth int) int {
	stride := leastStride
	for depth/stride > v.most/4 {
		stride *= 2
	}
	return stride
}

func (v *visited) use(at *visit) *visit {
	v.clock++
	at.used = v.clock
	return at
}

// keep takes over a folder that was opened, and closes the one that was used longest ago if there
// are too many. The place stays open, and so does the folder used before.
func (v *visited) keep(folder *entry.Folder, dir calls.Dir) *visit {
	if len(v.open) >= v.most {
		var oldest *visit
		for _, at := range v.open {
			if at.folder.Parent != nil && at.used != v.clock && (oldest == nil || at.used < oldest.used) {
				oldest = at
			}
		}
		if oldest != nil {
			oldest.dir.Close()
			delete(v.open, oldest.folder)
			if v.last == oldest {
				v.last = nil
			}
		}
	}
	at := v.use(&visit{folder: folder, dir: dir})
	v.open[folder] = at
	return at
}

// close closes all of them.
func (v *visited) close() {
	for _, at := range v.open {
		at.dir.Close()
	}
	v.place, v.last, v.open = nil, nil, nil
}
