package ledger

import (
	"encoding/hex"
	"errors"
	"fmt"
	"strconv"
	"time"

	"frankledger/core/entry"
	"frankledger/core/exact"
)

// An exported ledger is JSON lines: one that says what it is, then for each
// record a line for it, for each problem, and for each entry that is new,
// different or gone since the record of that place before; and one for the end.

// line is one of these. Of its members, one is there.
type line struct {
	Ledger  *int         `json:"frank_ledger,omitempty"` // version of the lines
	Record  *recordLine  `json:"record,omitempty"`
	Problem *problemLine `json:"problem,omitempty"`
	Entry   *entryLine   `json:"entry,omitempty"`
	Gone    *exact.Text  `json:"gone,omitempty"` // way of an entry
	Lost    *lostLine    `json:"lost,omitempty"`
	End     *int         `json:"end,omitempty"` // how many records there were
}

// linesVersion is that of the lines.
const linesVersion = 1

type recordLine struct {
	Number    int64        `json:"number"`
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
	Way      exact.Text `json:"way"`
	Tried    string     `json:"tried"`
	Reason   string     `json:"reason"`
	Entries  int64      `json:"entries"`
	Vanished bool       `json:"vanished,omitempty"`
}

// lostLine is a folder of which a damaged ledger could not tell everything.
type lostLine struct {
	Way    exact.Text `json:"way"`
	Reason string     `json:"reason"`
}

type entryLine struct {
	Way     exact.Text        `json:"way"`
	Kind    string            `json:"kind"`
	Entered bool              `json:"entered,omitempty"`
	Unread  bool              `json:"unread,omitempty"`
	Hidden  bool              `json:"hidden_flag,omitempty"`
	Unsized bool              `json:"unsized,omitempty"`
	Status  *statusLine       `json:"status,omitempty"`
	Created *exact.Time       `json:"created,omitempty"`
	Target  *exact.Text       `json:"target,omitempty"`
	Digests map[string]string `json:"digests,omitempty"` // by algorithm, in hexadecimal
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

// lineOf returns the line of an entry.
func lineOf(way string, k *kept) *entryLine {
	e := &k.entry
	l := &entryLine{Way: exact.Text(way), Kind: e.Kind.String(), Entered: k.entered, Unread: k.unread, Hidden: e.Marks&entry.MarkFlaggedHidden != 0, Unsized: e.Marks&entry.MarkUnsized != 0}
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
	return l
}

// kept returns the entry of a line, under a name.
func (l *entryLine) kept(name string) (k kept, err error) {
	k.entered, k.unread = l.Entered, l.Unread
	e := &k.entry
	e.Name = name
	kind, ok := entry.KindNamed(l.Kind)
	if !ok {
		return k, fmt.Errorf("there is no kind %q", l.Kind)
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
			return k, fmt.Errorf("the mode %q is not octal", s.Mode)
		}
		e.Known |= entry.FactStatus
		e.Inode, e.Device, e.Size, e.Disk, e.Links, e.UID, e.GID = s.Inode, s.Device, s.Size, s.Disk, s.Links, s.UID, s.GID
		e.Permissions, e.Modified, e.Accessed, e.Changed = entry.Permissions(mode), entry.Time(s.Modified), entry.Time(s.Accessed), entry.Time(s.Changed)
	}
	if l.Created != nil || l.Target != nil || len(l.Digests) > 0 {
		e.More = &entry.More{}
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
	for _, a := range stored { // in the order they are packed
		digits, there := l.Digests[a.Name]
		if !there {
			continue
		}
		sum, err := hex.DecodeString(digits)
		if err != nil || len(digits) != a.Digits {
			return k, fmt.Errorf("this is no digest by %s: %q", a.Name, digits)
		}
		e.More.Digests = append(e.More.Digests, entry.Digest{Fact: a.Fact, Sum: string(sum)})
		e.Known |= a.Fact
		known++
	}
	if known < len(l.Digests) {
		return k, errors.New("it has a digest by an algorithm that is not known")
	}
	return k, nil
}

// line returns the line of a record.
func (r *Record) line() *recordLine {
	l := &recordLine{Number: r.Number, Label: exact.Text(r.Label), Host: exact.Text(r.Host), Place: exact.Text(r.Place), Taken: exact.Time(entry.TimeOf(r.Taken)), Note: exact.Text(r.Note),
		Algorithm: r.Algorithm, Entries: r.Entries, Bytes: r.Bytes, Seal: hex.EncodeToString(r.seal[:])}
	for _, term := range r.Terms.Words() {
		l.Terms = append(l.Terms, exact.Text(term))
	}
	if r.self.Kind != 0 {
		l.Self = lineOf("", &kept{entry: r.self})
	}
	return l
}

// record returns the record of a line.
func (l *recordLine) record() (r Record, err error) {
	r = Record{Number: l.Number, Label: string(l.Label), Host: string(l.Host), Place: string(l.Place), Taken: time.Unix(l.Taken.Sec, int64(l.Taken.Nsec)).UTC(),
		Note: string(l.Note), Algorithm: l.Algorithm}
	var terms []string
	for _, term := range l.Terms {
		terms = append(terms, string(term))
	}
	r.Terms = ParseTerms(terms)
	if err := CheckLabel(r.Label); err != nil {
		return r, err
	}
	if l.Self != nil {
		k, err := l.Self.kept("")
		if err != nil {
			return r, err
		}
		r.self = k.entry
	}
	seal, err := hex.DecodeString(l.Seal)
	copy(r.seal[:], seal)
	return r, err
}
