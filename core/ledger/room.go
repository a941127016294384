package ledger

import (
	"cmp"
	"context"
	"slices"
	"time"

	"frankledger/core/row"
)

// Room is what the records of a host under a label take.
type Room struct {
	Host, Label    string
	Records        int64
	Entries        int64 // in the newest
	Stored         int64 // bytes, with layers
	Layers         int64 // bytes of these
	Oldest, Newest time.Time
}

// Room returns how much room the records take, by host and label: those that take most first.
func (l *Ledger) Room(ctx context.Context) ([]Room, error) {
	records, err := l.Records(ctx)
	if err != nil {
		return nil, err
	}
	laid, err := l.Store.Laid(ctx)
	if err != nil {
		return nil, err
	}
	type key struct{ host, label string }
	of := map[key]*Room{}
	for _, r := range records {
		k := key{r.Host, r.Label}
		room := of[k]
		if room == nil {
			room = &Room{Host: r.Host, Label: r.Label, Oldest: r.Taken}
			of[k] = room
		}
		room.Records++
		room.Entries, room.Newest = r.Entries, r.Taken
		room.Stored += r.Stored + laid[r.Number]
		room.Layers += laid[r.Number]
	}
	list := make([]Room, 0, len(of))
	for _, room := range of {
		list = append(list, *room)
	}
	slices.SortFunc(list, func(a, b Room) int {
		return cmp.Or(cmp.Compare(b.Stored, a.Stored), cmp.Compare(a.Host, b.Host), cmp.Compare(a.Label, b.Label))
	})
	return list, nil
}

// RoomColumns returns what these are shown with.
func RoomColumns() []row.Column[*Room] {
	text := func(name, meaning string, get func(*Room) string) row.Column[*Room] {
		return row.TextColumn(name, meaning, func(r *Room) (string, bool) { return get(r), true })
	}
	number := func(name, meaning string, t row.Type, get func(*Room) int64) row.Column[*Room] {
		return row.NumberColumn(name, meaning, t, func(r *Room) (int64, bool) { return get(r), true })
	}
	moment := func(name, meaning string, get func(*Room) time.Time) row.Column[*Room] {
		return row.TimeColumn(name, meaning, func(r *Room) (row.Moment, bool) { return row.MomentOf(get(r)), true })
	}
	return []row.Column[*Room]{
		text("host", "the machine", func(r *Room) string { return r.Host }),
		text("label", "of the records", func(r *Room) string { return r.Label }),
		number("records", "how many these are", row.Count, func(r *Room) int64 { return r.Records }),
		number("stored", "bytes that the ledger keeps for them", row.Bytes, func(r *Room) int64 { return r.Stored }),
		number("layers", "part of these bytes that only makes reading faster", row.Bytes, func(r *Room) int64 { return r.Layers }),
		number("count", "how many entries the newest has", row.Count, func(r *Room) int64 { return r.Entries }),
		moment("oldest", "when the first was taken", func(r *Room) time.Time { return r.Oldest }),
		moment("newest", "when the last was taken", func(r *Room) time.Time { return r.Newest }),
	}
}
