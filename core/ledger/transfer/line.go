package transfer

import (
	"encoding/hex"
	"errors"
	"fmt"
	"strconv"
	"time"

	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// line is one of these. Of its members, one is there.
type line struct {
	Ledger  *int         `json:"frank_ledger,omitempty"` // version of the lines
	Record  *recordLine  `json:"record,omitempty"`
	Problem *problemLine `json:"problem,omitempty"`
	Entry   *entryLine   `json:"entry,omitempty"`
	Gone    *exact.Text  `json:"gone,omitempty"` // path of an entry
	Lost    *lostLine    `json:"lost,omitempty"`
	End     *int         `json:"end,omitempty"` // how many records there were
}

type recordLine struct {
	Number    int64        `json:"number"`
	Turn      int64        `json:"turn,omitempty"`
	Label     exact.Text   `json:"label"`
	Host      exact.Text   `json:"host"`
	Place     exact.Text   `json:"place"`
	Taken     exact.Time   `json:"taken"`
	Note      exact.Text   `json:"note,omitempty"`
	Terms     []exact.Text `json:"terms,omitempty"`
	Algorithm string       `json:"algorithm,omitempty"`
	Entries   int64        `json:"entries"`
	Bytes     int64        `json:"bytes"`
	Seal      string       `json:"seal"`
	Self      *entryLine   `json:"self,omitempty"`
	// Volumes are the numbers that file systems have in the records of the place.
	Volumes map[string]uint64 `json:"volumes,omitempty"`
}

type problemLine struct {
	Relative exact.Text `json:"way"`
	Tried    string     `json:"tried"`
	Reason   string     `json:"reason"`
	Entries  int64      `json:"entries"`
	Vanished bool       `json:"vanished,omitempty"`
}

// lostLine is a folder of which a damaged ledger could not tell everything.
type lostLine struct {
	Relative exact.Text `json:"way"`
	Reason   string     `json:"reason"`
}

type entryLine struct {
	Relative exact.Text        `json:"way"`
	Kind     string            `json:"kind"`
	Entered  bool              `json:"entered,omitempty"`
	Unread   bool              `json:"unread,omitempty"`
	Hidden   bool              `json:"hidden_flag,omitempty"`
	Unsized  bool              `json:"unsized,omitempty"`
	Status   *statusLine       `json:"status,omitempty"`
	Created  *exact.Time       `json:"created,omitempty"`
	Target   *exact.Text       `json:"target,omitempty"`
	Digests  map[string]string `json:"digests,omitempty"` // by algorithm, in hexadecimal
	Details  *string           `json:"details,omitempty"` // attributes and the like, packed as in a ledger, in hexadecimal
}

type statusLine struct {
	Inode    uint64     `json:"inode"`
	Device   uint64     `json:"device"`
	Size     int64      `json:"size"`
	Disk     int64      `json:"disk"`
	Links    uint32     `json:"links"`
	UID      uint32     `json:"uid"`
	GID      uint32     `json:"gid"`
	Mode     string     `json:"mode"`
	Modified exact.Time `json:"modified"`
	Accessed exact.Time `json:"accessed"`
	Changed  exact.Time `json:"changed"`
}

// entryLineOf returns the line of an entry.
func entryLineOf(path string, r *encoding.Recorded) *entryLine {
	e := &r.Entry
	l := &entryLine{Relative: exact.Text(path), Kind: e.Kind.String(), Entered: r.Entered, Unread: r.Unread, Hidden: e.Marks&entry.MarkFlaggedHidden != 0, Unsized: e.Marks&entry.MarkUnsized != 0}
	if e.Known.Has(entry.FactStatus) {
		l.Status = &statusLine{e.Inode, e.Device, e.Size, e.Disk, e.Links, e.UID, e.GID, e.Permissions.Octal(), exact.Time(e.Modified), exact.Time(e.Accessed), exact.Time(e.Changed)}
	}
	if e.Known.Has(entry.FactCreated) {
		m := exact.Time(e.More.Created)
		l.Created = &m
	}
	if e.Known.Has(entry.FactTarget) {
		t := exact.Text(e.More.Target)
		l.Target = &t
	}
	for _, a := range entry.Algorithms {
		if e.Known.Has(a.Fact) {
			if l.Digests == nil {
				l.Digests = map[string]string{}
			}
			l.Digests[a.Name] = e.More.Digests.By(a.Fact)
		}
	}
	if e.Known.Has(entry.FactXattrs | entry.FactFlags) {
		packed := hex.EncodeToString(encoding.AppendDetails(nil, e.Details()))
		l.Details = &packed
	}
	return l
}

// recorded returns the entry of a line, without its name.
func (l *entryLine) recorded() (r encoding.Recorded, err error) {
	r.Entered, r.Unread = l.Entered, l.Unread
	e := &r.Entry
	kind, ok := entry.KindNamed(l.Kind)
	if !ok {
		return r, fmt.Errorf("there is no kind %q", l.Kind)
	}
	e.Kind = kind
	if l.Hidden {
		e.Marks |= entry.MarkFlaggedHidden
	}
	if l.Unsized {
		e.Marks |= entry.MarkUnsized
	}
	if s := l.Status; s != nil {
		mode, err := strconv.ParseUint(s.Mode, 8, 16)
		if err != nil {
			return r, fmt.Errorf("the mode %q is not octal", s.Mode)
		}
		e.Known |= entry.FactStatus
		e.Inode, e.Device, e.Size, e.Disk, e.Links, e.UID, e.GID = s.Inode, s.Device, s.Size, s.Disk, s.Links, s.UID, s.GID
		e.Permissions, e.Modified, e.Accessed, e.Changed = entry.Permissions(mode), entry.Time(s.Modified), entry.Time(s.Accessed), entry.Time(s.Changed)
	}
	if l.Created != nil || l.Target != nil || len(l.Digests) > 0 || l.Details != nil {
		e.More = &entry.More{}
	}
	if l.Details != nil {
		packed, err := hex.DecodeString(*l.Details)
		if err == nil {
			e.More.Details, err = encoding.ParseDetails(packed)
		}
		if err != nil {
			return r, fmt.Errorf("the details are damaged: %w", err)
		}
		e.Known |= entry.FactXattrs | entry.FactFlags
	}
	if l.Created != nil {
		e.More.Created = entry.Time(*l.Created)
		e.Known |= entry.FactCreated
	}
	if l.Target != nil {
		e.More.Target = string(*l.Target)
		e.Known |= entry.FactTarget
	}
	known := 0
	for _, a := range encoding.Algorithms { // in the order they are packed
		digits, there := l.Digests[a.Name]
		if !there {
			continue
		}
		sum, err := hex.DecodeString(digits)
		if err != nil || len(digits) != a.Digits {
			return r, fmt.Errorf("this is not a digest by %s: %q", a.Name, digits)
		}
		e.More.Digests = append(e.More.Digests, entry.Digest{Fact: a.Fact, Sum: string(sum)})
		e.Known |= a.Fact
		known++
	}
	if known < len(l.Digests) {
		return r, errors.New("it has a digest by an algorithm that is not known")
	}
	return r, nil
}

// recordLineOf returns the line of a record.
func recordLineOf(r *store.RecordRow, volumes map[string]uint64) (*recordLine, error) {
	l := &recordLine{Number: r.Number, Turn: r.Turn, Label: exact.Text(r.Label), Host: exact.Text(r.Host), Place: exact.Text(r.Path), Taken: exact.Time(entry.TimeOf(r.Taken)), Note: exact.Text(r.Note),
		Algorithm: r.Algorithm, Entries: r.Entries, Bytes: r.Bytes, Seal: hex.EncodeToString(r.Tree[:]), Volumes: volumes}
	for _, term := range r.Terms {
		l.Terms = append(l.Terms, exact.Text(term))
	}
	self, ok := encoding.UnpackSelf(r.Self)
	if !ok {
		return nil, fmt.Errorf("%w: record %d", encoding.ErrDamaged, r.Number)
	}
	if self.Kind != 0 {
		l.Self = entryLineOf("", &encoding.Recorded{Entry: self})
	}
	return l, nil
}

// row returns the record of a line.
func (l *recordLine) row() (r store.RecordRow, err error) {
	r = store.RecordRow{Number: l.Number, Turn: l.Turn, Label: string(l.Label), Host: string(l.Host), Path: string(l.Place), Taken: time.Unix(l.Taken.Sec, int64(l.Taken.Nsec)).UTC(),
		Note: string(l.Note), Algorithm: l.Algorithm}
	for _, term := range l.Terms {
		r.Terms = append(r.Terms, string(term))
	}
	if l.Self != nil {
		self, err := l.Self.recorded()
		if err != nil {
			return r, err
		}
		r.Self = encoding.PackSelf(&self.Entry)
	}
	tree, err := hex.DecodeString(l.Seal)
	copy(r.Tree[:], tree)
	return r, err
}
