package ledger

import (
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"frankledger/core/entry"
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
	Gone    *text        `json:"gone,omitempty"` // way of an entry
	Lost    *lostLine    `json:"lost,omitempty"`
	End     *int         `json:"end,omitempty"` // how many records there were
}

// linesVersion is that of the lines.
const linesVersion = 1

type recordLine struct {
	Number    int64      `json:"number"`
	Label     text       `json:"label"`
	Host      text       `json:"host"`
	Place     text       `json:"place"`
	Taken     moment     `json:"taken"`
	Note      text       `json:"note,omitempty"`
	Terms     []text     `json:"terms,omitempty"`
	Algorithm string     `json:"algorithm,omitempty"`
	Entries   int64      `json:"entries"`
	Bytes     int64      `json:"bytes"`
	Seal      string     `json:"seal"`
	Self      *entryLine `json:"self,omitempty"`
}

type problemLine struct {
	Way      text   `json:"way"`
	Tried    string `json:"tried"`
	Reason   string `json:"reason"`
	Entries  int64  `json:"entries"`
	Vanished bool   `json:"vanished,omitempty"`
}

// lostLine is a folder of which a damaged ledger could not tell everything.
type lostLine struct {
	Way    text   `json:"way"`
	Reason string `json:"reason"`
}

type entryLine struct {
	Way     text              `json:"way"`
	Kind    string            `json:"kind"`
	Entered bool              `json:"entered,omitempty"`
	Unread  bool              `json:"unread,omitempty"`
	Hidden  bool              `json:"hidden_flag,omitempty"`
	Status  *statusLine       `json:"status,omitempty"`
	Created *moment           `json:"created,omitempty"`
	Target  *text             `json:"target,omitempty"`
	Digests map[string]string `json:"digests,omitempty"` // by algorithm, in hexadecimal
}

type statusLine struct {
	Inode    uint64 `json:"inode"`
	Device   uint64 `json:"device"`
	Size     int64  `json:"size"`
	Disk     int64  `json:"disk"`
	Links    uint32 `json:"links"`
	UID      uint32 `json:"uid"`
	GID      uint32 `json:"gid"`
	Mode     string `json:"mode"`
	Modified moment `json:"modified"`
	Accessed moment `json:"accessed"`
	Changed  moment `json:"changed"`
}

// text is exact bytes: in JSON a string or, where they are no UTF-8, an object
// with their hexadecimal digits.
type text string

type textInHex struct {
	Hex string `json:"hex"`
}

// MarshalJSON implements json.Marshaler.
func (t text) MarshalJSON() ([]byte, error) {
	if utf8.ValidString(string(t)) {
		return json.Marshal(string(t))
	}
	return json.Marshal(textInHex{hex.EncodeToString([]byte(t))})
}

// UnmarshalJSON implements json.Unmarshaler.
func (t *text) UnmarshalJSON(data []byte) error {
	if len(data) > 0 && data[0] == '{' {
		var in textInHex
		if err := json.Unmarshal(data, &in); err != nil {
			return err
		}
		raw, err := hex.DecodeString(in.Hex)
		*t = text(raw)
		return err
	}
	return json.Unmarshal(data, (*string)(t))
}

// moment is a time, in JSON as seconds since 1970 in UTC with nine decimals, as
// text.
type moment entry.Time

// MarshalJSON implements json.Marshaler.
func (m moment) MarshalJSON() ([]byte, error) {
	return fmt.Appendf(nil, `"%d.%09d"`, m.Sec, m.Nsec), nil
}

var errMoment = errors.New("a time is seconds since 1970 with nine decimals")

// UnmarshalJSON implements json.Unmarshaler.
func (m *moment) UnmarshalJSON(data []byte) error {
	seconds, fraction, ok := strings.Cut(strings.Trim(string(data), `"`), ".")
	sec, err := strconv.ParseInt(seconds, 10, 64)
	nsec, err2 := strconv.ParseUint(fraction, 10, 32)
	if !ok || err != nil || err2 != nil || len(fraction) != 9 {
		return errMoment
	}
	*m = moment{sec, uint32(nsec)}
	return nil
}

// lineOf returns the line of an entry.
func lineOf(way string, k *kept) *entryLine {
	e := &k.entry
	l := &entryLine{Way: text(way), Kind: e.Kind.String(), Entered: k.entered, Unread: k.unread, Hidden: e.Marks&entry.MarkFlaggedHidden != 0}
	if e.Known.Has(entry.FactStatus) {
		l.Status = &statusLine{e.Inode, e.Device, e.Size, e.Disk, e.Links, e.UID, e.GID, e.Permissions.Octal(), moment(e.Modified), moment(e.Accessed), moment(e.Changed)}
	}
	if e.Known.Has(entry.FactCreated) {
		m := moment(e.More.Created)
		l.Created = &m
	}
	if e.Known.Has(entry.FactTarget) {
		t := text(e.More.Target)
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
	for _, d := range keptDigests { // in the order they are packed
		for _, a := range entry.Algorithms {
			digits, there := l.Digests[a.Name]
			if a.Fact != d.fact || !there {
				continue
			}
			sum, err := hex.DecodeString(digits)
			if err != nil || uint64(len(sum)) != d.bytes {
				return k, fmt.Errorf("this is no digest by %s: %q", a.Name, digits)
			}
			e.More.Digests = append(e.More.Digests, entry.Digest{Fact: a.Fact, Sum: string(sum)})
			e.Known |= a.Fact
			known++
		}
	}
	if known < len(l.Digests) {
		return k, errors.New("it has a digest by an algorithm that is not known")
	}
	return k, nil
}

// line returns the line of a record.
func (r *Record) line() *recordLine {
	l := &recordLine{Number: r.Number, Label: text(r.Label), Host: text(r.Host), Place: text(r.Place), Taken: moment(entry.TimeOf(r.Taken)), Note: text(r.Note),
		Algorithm: r.Algorithm, Entries: r.Entries, Bytes: r.Bytes, Seal: hex.EncodeToString(r.seal[:])}
	for _, term := range r.Terms {
		l.Terms = append(l.Terms, text(term))
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
	for _, term := range l.Terms {
		r.Terms = append(r.Terms, string(term))
	}
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
