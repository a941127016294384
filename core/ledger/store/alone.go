package store

import (
	"cmp"
	"context"
	"slices"
	"strings"
)

// Alone answers for a store that one machine has for itself what is asked of those that many share. A
// store embeds it.
type Alone struct {
	Reader func() Reader
	hosts  []string // that it tells of; nil for all
}

// Only implements Store.
func (a *Alone) Only(hosts ...string) { a.hosts = hosts }

// records returns those of the hosts that it tells of.
func (a *Alone) records(ctx context.Context) ([]RecordRow, error) {
	records, err := a.Reader().Records(ctx)
	if len(a.hosts) > 0 {
		records = slices.DeleteFunc(records, func(r RecordRow) bool { return !slices.Contains(a.hosts, r.Host) })
	}
	return records, err
}

// Shared implements Store.
func (*Alone) Shared() bool { return false }

// Reserve implements Store: numbers are given out by updates.
func (*Alone) Reserve(context.Context, string) error { return nil }

// Hold implements Store: what is read is of one moment anyhow.
func (*Alone) Hold() {}

// Wide implements Store.
func (*Alone) Wide() {}

// Firsts implements Store.
func (*Alone) Firsts(context.Context, []Key) (map[int64]*First, error) { return nil, nil }

// Identify implements Store.
func (*Alone) Identify(string, []byte) {}

// TellWaiting implements Store.
func (*Alone) TellWaiting(func(string)) {}

// Namesake implements Store.
func (*Alone) Namesake() bool { return false }

// Salvage implements Store: what is damaged is not read.
func (a *Alone) Salvage(func(string)) Reader { return a.Reader() }

// Hosts implements Store.
func (a *Alone) Hosts(ctx context.Context) (hosts []string, err error) {
	records, err := a.records(ctx)
	for _, r := range records {
		hosts = append(hosts, r.Host)
	}
	slices.Sort(hosts)
	return slices.Compact(hosts), err
}

// Select implements Store.
func (a *Alone) Select(ctx context.Context, c Choice) ([]RecordRow, error) {
	records, err := a.records(ctx)
	if err != nil {
		return nil, err
	}
	slices.SortFunc(records, func(a, b RecordRow) int {
		return cmp.Or(strings.Compare(a.Host, b.Host), strings.Compare(a.Label, b.Label), cmp.Compare(b.Turn, a.Turn), cmp.Compare(b.Number, a.Number))
	})
	type group struct{ host, label string }
	counts := map[group]int{}
	var chosen []RecordRow
	for _, r := range records {
		of := group{r.Host, r.Label}
		switch {
		case c.Number > 0 && r.Number != c.Number:
		case c.Number > 0:
			return []RecordRow{r}, nil
		case c.Hosts != nil && !slices.Contains(c.Hosts, r.Host) || c.Label != "" && r.Label != c.Label || !c.Before.IsZero() && !r.Taken.Before(c.Before) || counts[of] == c.Newest:
		default:
			counts[of]++
			chosen = append(chosen, r)
		}
	}
	return chosen, nil
}

// Moments implements Store.
func (a *Alone) Moments(ctx context.Context, c Choice) (moments []MomentRow, err error) {
	records, err := a.Select(ctx, c)
	for _, r := range records {
		moments = append(moments, MomentRow{r.Host, r.Label, r.Taken})
	}
	return moments, err
}

// Laid implements Store.
func (a *Alone) Laid(ctx context.Context) (map[int64]int64, error) {
	records, err := a.records(ctx)
	if err != nil {
		return nil, err
	}
	laid, asked := map[int64]int64{}, map[int64]bool{}
	for _, r := range records {
		if asked[r.Place] {
			continue
		}
		asked[r.Place] = true
		layers, err := a.Reader().Layers(ctx, r.Place)
		if err != nil {
			return nil, err
		}
		for _, one := range layers {
			laid[one.Record] = one.Stored
		}
	}
	return laid, nil
}
