package ledger

import (
	"context"
	"time"

	"frankledger/core/row"
)

// Latest is the newest record of a host under a label, and whether the next one is late.
type Latest struct {
	Record
	Usual time.Duration // between two of its records; 0 where that is not known
	Late  bool
}

// Latest returns the newest record of each label of some hosts, of all if none are named, by host and label.
func (l *Ledger) Latest(ctx context.Context, hosts []string, now time.Time) ([]Latest, error) {
	newest, err := l.Newest(ctx, hosts)
	if err != nil {
		return nil, err
	}
	rhythms, err := l.rhythms(ctx, "", hosts)
	if err != nil {
		return nil, err
	}
	type key struct{ host, label string }
	of := map[key]*Rhythm{}
	for i := range rhythms {
		of[key{rhythms[i].Host, rhythms[i].Label}] = &rhythms[i]
	}
	list := make([]Latest, len(newest))
	for i, r := range newest {
		list[i].Record = r
		if rhythm := of[key{r.Host, r.Label}]; rhythm != nil {
			list[i].Usual, list[i].Late = rhythm.Usual, rhythm.Late(now)
		}
	}
	return list, nil
}

// LatestColumns returns what these are shown with.
func LatestColumns() []row.Column[*Latest] {
	text := func(name, meaning string, get func(*Latest) string) row.Column[*Latest] {
		return row.TextColumn(name, meaning, func(l *Latest) (string, bool) { return get(l), true })
	}
	number := func(name, meaning string, t row.Type, get func(*Latest) int64) row.Column[*Latest] {
		return row.NumberColumn(name, meaning, t, func(l *Latest) (int64, bool) { return get(l), true })
	}
	return []row.Column[*Latest]{
		text("host", "the machine", func(l *Latest) string { return l.Host }),
		text("label", "the label of the record", func(l *Latest) string { return l.Label }),
		row.FlagColumn("late", "the next record is late: this one is older than twice the usual time", func(l *Latest) (is, known bool) { return l.Late, l.Usual > 0 }).Looking(func(l *Latest) row.Look {
			if l.Late {
				return row.Warning
			}
			return row.Plain
		}),
		row.TimeColumn("taken", "when the newest record was taken", func(l *Latest) (row.Moment, bool) { return row.MomentOf(l.Taken), true }),
		row.NumberColumn("interval", "the usual time between two records", row.Span, func(l *Latest) (int64, bool) { return int64(l.Usual / time.Second), l.Usual > 0 }),
		number("number", "of the newest record", row.Number, func(l *Latest) int64 { return l.Number }),
		number("count", "how many entries it has", row.Count, func(l *Latest) int64 { return l.Entries }),
		number("problems", "places that could not be read", row.Number, func(l *Latest) int64 { return l.Problems }),
		text("place", "the full path of what was recorded", func(l *Latest) string { return l.Place }),
	}
}
