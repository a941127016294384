package entry

// Node identifies a thing among all that are there at the same time, whatever its names, on one machine or on those
// that have records.
type Node struct {
	Device, Inode uint64
	Host          string // of a record; "" of what is there now
}

// Node returns what the entry is known by under all its names.
func (e *Entry) Node() Node {
	n := Node{Device: e.Device, Inode: e.Inode}
	if f := e.Folder; f != nil && f.Place != nil && f.Place.Record != nil {
		n.Host = f.Place.Record.Host
	}
	return n
}

// Identity is what stays with a thing that is moved or renamed on its disk: its inode, and what would differ if
// another thing had got that inode since.
type Identity struct {
	Device, Inode uint64
	Kind          Kind
	Size          int64
	Modified      Time
	Created       Time
}

// Identity returns what an entry can be recognised by under another path, at another time; ok is false if too little
// is known. What happens in a folder alters its times, so only its time of creation counts.
func (e *Entry) Identity() (id Identity, ok bool) {
	if !e.Known.Has(FactStatus) {
		return id, false
	}
	id = Identity{Device: e.Device, Inode: e.Inode, Kind: e.Kind}
	if e.Known.Has(FactCreated) {
		id.Created = e.More.Created
	}
	if e.Kind == KindFolder {
		return id, e.Known.Has(FactCreated)
	}
	id.Size, id.Modified = e.Size, e.Modified
	return id, true
}
