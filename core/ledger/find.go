package ledger

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"frankledger/core/condition"
	"frankledger/core/ledger/store"
	"frankledger/core/text"
)

// Reference says which record is meant, and which folder in it.
type Reference struct {
	Host  string // "" for that of the ledger; see Ledger.Only
	Label string // "" if the number tells
	Back  int    // how many records before the newest of the label
	// By is the moment that the record was taken before: the end of a day, or of a week, a month or a year. Zero
	// for the newest.
	By     time.Time
	Number int64
	Path   string // from the place to a folder below it; "" for the place
}

// ParseReference reads what stands after the @ of a place: LABEL, LABEL:1 (the
// one before the newest), LABEL:2026-11-01 (the newest at or before the end of
// that day in the zone; also monday or last week, as seen from a moment), each with the host after another @, or a number; and perhaps a path
// after a slash.
func ParseReference(text string, asOf time.Time, zone *time.Location) (ref Reference, err error) {
	name, below, _ := strings.Cut(text, "/")
	ref.Path = strings.Trim(below, "/")
	name, host, hosted := strings.Cut(name, "@")
	if ref.Host = host; hosted && host == "" {
		return ref, fmt.Errorf("%w: write a host after %s@", ErrReference, name)
	}
	name, which, chosen := strings.Cut(name, ":")
	if hosted && name != "" && strings.Trim(name, "0123456789") == "" {
		return ref, fmt.Errorf("%w: the number of a record already names one host: %s", ErrReference, name)
	}
	if !chosen && name != "" && strings.Trim(name, "0123456789") == "" {
		ref.Number, err = strconv.ParseInt(name, 10, 64)
		return ref, err
	}
	if err := CheckLabel(name); err != nil {
		return ref, err
	}
	ref.Label = name
	if !chosen {
		return ref, nil
	}
	if back, err := strconv.Atoi(which); err == nil && back >= 0 {
		ref.Back = back
		return ref, nil
	}
	if which == "all" {
		return ref, fmt.Errorf("%w: only search can look into all records of %s at once", ErrReference, name)
	}
	from, to, err := condition.ParsePeriod(which, asOf, zone)
	if err != nil {
		return ref, fmt.Errorf("%w: write a number after %s:, such as 1 for the one before the newest, or a day such as 2026-11-01, monday or 'last week'", ErrReference, name)
	}
	if ref.By = to; from.Equal(to) {
		ref.By = to.Add(1) // at that moment, too
	}
	return ref, nil
}

// Find returns the record that is meant, of all hosts in the ledger or of the one that is named.
func (l *Ledger) Find(ctx context.Context, ref Reference) (Record, error) {
	hosts := l.Chosen
	if ref.Host != "" {
		hosts = []string{ref.Host}
	}
	fitting, err := l.fitting(ctx, ref, hosts)
	if err != nil {
		return Record{}, err
	}
	slices.SortFunc(fitting, func(a, b Record) int { return ByTurn(b, a) })
	if ref.Back >= len(fitting) {
		return Record{}, l.missing(ctx, ref, hosts)
	}
	return fitting[ref.Back], nil
}

// FindAll returns the record that is meant of each of some hosts that has one, by the names of
// these: of all if none are named. Where none has one, that is an error.
func (l *Ledger) FindAll(ctx context.Context, ref Reference, hosts []string) (found []Record, err error) {
	fitting, err := l.fitting(ctx, ref, hosts)
	for i, nth := 0, 0; i < len(fitting); i, nth = i+1, nth+1 {
		if i > 0 && fitting[i].Host != fitting[i-1].Host {
			nth = 0
		}
		if nth == ref.Back {
			found = append(found, fitting[i])
		}
	}
	if err == nil && len(found) == 0 {
		err = l.missing(ctx, ref, hosts)
	}
	return found, err
}

// Newest returns the newest record of each label of each of some hosts, by host and label: of
// all if none are named.
func (l *Ledger) Newest(ctx context.Context, hosts []string) ([]Record, error) {
	return l.selected(ctx, store.Choice{Hosts: hosts, Newest: 1})
}

// fitting returns the records of each host that may be meant, the newest first, as many as are needed.
func (l *Ledger) fitting(ctx context.Context, ref Reference, hosts []string) ([]Record, error) {
	if ref.Label == "" {
		return l.selected(ctx, store.Choice{Number: ref.Number})
	}
	return l.selected(ctx, store.Choice{Hosts: hosts, Label: ref.Label, Before: ref.By, Newest: ref.Back + 1})
}

// selected returns the records of a choice, by host and label, the newest first.
func (l *Ledger) selected(ctx context.Context, c store.Choice) ([]Record, error) {
	rows, err := l.Store.Select(ctx, c)
	if err != nil {
		return nil, err
	}
	chosen, err := recordsOf(rows)
	slices.SortFunc(chosen, newestOfEach)
	return chosen, err
}

// newestOfEach orders records by host and label, the newest of each first.
func newestOfEach(a, b Record) int {
	return cmp.Or(strings.Compare(a.Host, b.Host), strings.Compare(a.Label, b.Label), ByTurn(b, a))
}

// missing says why no record is the one that is meant.
func (l *Ledger) missing(ctx context.Context, ref Reference, hosts []string) error {
	if ref.Label == "" {
		return fmt.Errorf("%w: %d", ErrNoRecord, ref.Number)
	}
	of := ""
	if len(hosts) == 1 && ref.Host != "" {
		of = " of " + ref.Host
	}
	all, err := l.selected(ctx, store.Choice{Hosts: hosts, Newest: ref.Back + 1})
	if err != nil {
		return err
	}
	var labels []string
	counts := map[string]int{} // of what may be meant, by host
	slices.SortFunc(all, func(a, b Record) int { return ByTurn(b, a) })
	for _, r := range all {
		if !slices.Contains(labels, r.Label) {
			labels = append(labels, r.Label)
		}
		if r.Label == ref.Label && (ref.By.IsZero() || r.Taken.Before(ref.By)) {
			counts[r.Host]++
		}
	}
	if slices.Contains(labels, ref.Label) && !ref.By.IsZero() {
		if oldest, is, err := l.oldest(ctx, ref.Label, hosts); err != nil || is {
			if err == nil {
				err = fmt.Errorf("%w: the oldest of %s%s is @%d, taken %s", ErrNoRecord, ref.Label, of, oldest.Number, oldest.Taken.Format(time.DateOnly))
			}
			return err
		}
	}
	if slices.Contains(labels, ref.Label) {
		most := 0
		for _, count := range counts {
			most = max(most, count)
		}
		if len(counts) > 1 {
			records := "records"
			if most == 1 {
				records = "record"
			}
			return fmt.Errorf("%w: no machine has more than %d %s of %s", ErrNoRecord, most, records, ref.Label)
		}
		return fmt.Errorf("%w: %s%s has records from :0 (the newest) to :%d", ErrNoRecord, ref.Label, of, most-1)
	}
	if near := text.Nearest(ref.Label, labels); near != "" {
		return fmt.Errorf("%w%s: %s; did you mean %s?", ErrLabel, of, ref.Label, near)
	}
	if len(labels) == 0 {
		return fmt.Errorf("%w: %s; there are no records%s yet", ErrLabel, ref.Label, of)
	}
	return fmt.Errorf("%w%s: %s; there are %s", ErrLabel, of, ref.Label, strings.Join(labels, ", "))
}

// oldest returns the first record of a label, of some hosts or of all.
func (l *Ledger) oldest(ctx context.Context, label string, hosts []string) (oldest Record, is bool, err error) {
	all, err := l.selected(ctx, store.Choice{Hosts: hosts, Label: label, Newest: math.MaxInt32})
	for _, r := range all {
		if !is || ByTurn(r, oldest) < 0 {
			oldest, is = r, true
		}
	}
	return oldest, is, err
}

// Rhythm is how often a host records something under a label.
type Rhythm struct {
	Host, Label string
	Newest      time.Time
	Usual       time.Duration // between two of its records; of those of other hosts, where it has one only; 0 where that is not known
}

// Late reports whether the newest record is older than twice the time that usually lies between two
// of them, and than a quarter of an hour more.
func (r *Rhythm) Late(now time.Time) bool {
	return r.Usual > 0 && now.Sub(r.Newest) > 2*r.Usual+15*time.Minute
}

// Late returns which of some hosts, of all if none are named, are late with a record of a label, or
// of any.
func (l *Ledger) Late(ctx context.Context, label string, hosts []string, now time.Time) ([]Rhythm, error) {
	all, err := l.rhythms(ctx, label, hosts)
	return slices.DeleteFunc(all, func(one Rhythm) bool { return !one.Late(now) }), err
}

// rhythms returns how often some hosts, all if none are named, record a label, or any, in order of these. What is
// usual is the median of the last seven times between two records.
func (l *Ledger) rhythms(ctx context.Context, label string, hosts []string) ([]Rhythm, error) {
	const looked = 8
	moments, err := l.Store.Moments(ctx, store.Choice{Hosts: hosts, Label: label, Newest: looked})
	if err != nil {
		return nil, err
	}
	var all []Rhythm
	usual := map[string][]time.Duration{} // of a label
	for len(moments) > 0 {
		first := moments[0]
		n := 1
		for n < len(moments) && moments[n].Host == first.Host && moments[n].Label == first.Label {
			n++
		}
		var between []time.Duration
		for i := 1; i < n; i++ {
			between = append(between, moments[i-1].Taken.Sub(moments[i].Taken).Abs())
		}
		one := Rhythm{Host: first.Host, Label: first.Label, Newest: first.Taken, Usual: median(between)}
		if one.Usual > 0 {
			usual[one.Label] = append(usual[one.Label], one.Usual)
		}
		all, moments = append(all, one), moments[n:]
	}
	for i := range all {
		if all[i].Usual == 0 {
			all[i].Usual = median(usual[all[i].Label])
		}
	}
	return all, nil
}

// median returns the one in the middle; 0 of none.
func median(list []time.Duration) time.Duration {
	if len(list) == 0 {
		return 0
	}
	slices.Sort(list)
	return list[len(list)/2]
}
