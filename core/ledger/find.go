package ledger

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"frankledger/core/calendar"
	"frankledger/core/similar"
)

// Reference says which record is meant, and which folder in it.
type Reference struct {
	Label string // "" if the number tells
	Back  int    // how many records before the newest of the label
	// By is the moment that the record was taken before: the end of a day. Zero
	// for the newest.
	By     time.Time
	Number int64
	Path   string // from the place to a folder below it; "" for the place
}

// What can be wrong with a reference, or a label.
var (
	ErrReference = errors.New("not the name of a record")
	ErrLabel     = errors.New("there is no such label")
)

// CheckLabel returns an error unless a word can be a label: it would not be
// taken for a number, and has none of the characters that stand after one.
func CheckLabel(label string) error {
	switch {
	case label == "":
		return fmt.Errorf("%w: a label is a word, such as weekly", ErrReference)
	case strings.ContainsAny(label, ":/@*") || strings.ContainsFunc(label, func(r rune) bool { return r < ' ' || r == 0x7f }):
		return fmt.Errorf("%w: a label cannot contain : / @ or *", ErrReference)
	case strings.Trim(label, "0123456789") == "":
		return fmt.Errorf("%w: a label cannot be all digits, which are the number of a record", ErrReference)
	}
	return nil
}

// ParseReference reads what stands after the @ of a place: LABEL, LABEL:1 (the
// one before the newest), LABEL:2026-11-01 (the newest at or before the end of
// that day in the zone) or a number, and perhaps a path after a slash.
func ParseReference(text string, zone *time.Location) (ref Reference, err error) {
	name, below, _ := strings.Cut(text, "/")
	ref.Path = strings.Trim(below, "/")
	name, which, chosen := strings.Cut(name, ":")
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
	day, err := time.Parse(time.DateOnly, which)
	if err != nil {
		return ref, fmt.Errorf("%w: write a number after %s:, such as 1 for the one before the newest, or a day such as 2026-11-01", ErrReference, name)
	}
	_, ref.By = calendar.Day(calendar.Date{Year: day.Year(), Month: day.Month(), Day: day.Day()}, 0, zone)
	return ref, nil
}

// Find returns the record that is meant.
func (l *Ledger) Find(ctx context.Context, ref Reference) (Record, error) {
	records, err := l.Records(ctx)
	if err != nil {
		return Record{}, err
	}
	var labels []string
	var fitting []Record // the newest first
	for _, r := range slices.Backward(records) {
		if ref.Label == "" && r.Number == ref.Number {
			return r, nil
		}
		if !slices.Contains(labels, r.Label) {
			labels = append(labels, r.Label)
		}
		if r.Label == ref.Label && (ref.By.IsZero() || r.Taken.Before(ref.By)) {
			fitting = append(fitting, r)
		}
	}
	switch {
	case ref.Label == "":
		return Record{}, fmt.Errorf("%w: %d", ErrNoRecord, ref.Number)
	case ref.Back < len(fitting):
		return fitting[ref.Back], nil
	case slices.Contains(labels, ref.Label):
		return Record{}, fmt.Errorf("%w: %s has only %d of them", ErrNoRecord, ref.Label, len(fitting))
	}
	if near := similar.Nearest(ref.Label, labels); near != "" {
		return Record{}, fmt.Errorf("%w: %s; did you mean %s?", ErrLabel, ref.Label, near)
	}
	if len(labels) == 0 {
		return Record{}, fmt.Errorf("%w: %s; there are no records yet", ErrLabel, ref.Label)
	}
	return Record{}, fmt.Errorf("%w: %s; there are %s", ErrLabel, ref.Label, strings.Join(labels, ", "))
}
