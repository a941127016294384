package ledger

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
)

// ErrLabelTaken is returned for a label that stands for another place.
var ErrLabelTaken = errors.New("this label already stands for another place")

// CheckLabelOf returns an error if the label of a record stands for another place of
// its host, with that.
func (l *Ledger) CheckLabelOf(ctx context.Context, r Record) error {
	records, err := l.Records(ctx)
	if err != nil {
		return err
	}
	return LabelTaken(records, r)
}

// LabelTaken looks at what the label stands for now: at its newest record.
func LabelTaken(records []Record, r Record) error {
	for _, other := range slices.Backward(records) {
		if other.Host == r.Host && other.Label == r.Label {
			if other.Place != r.Place {
				return fmt.Errorf("%w: %s", ErrLabelTaken, other.Place)
			}
			return nil
		}
	}
	return nil
}

// CheckLabel returns an error unless a word can be a label: it would not be
// taken for a number, and has none of the characters that stand after one.
func CheckLabel(label string) error {
	switch {
	case label == "":
		return fmt.Errorf("%w: a label is a word, such as weekly", ErrReference)
	case strings.ContainsAny(label, ":/@*") || strings.ContainsFunc(label, func(r rune) bool { return r < ' ' || r == 0x7f }):
		return fmt.Errorf("%w: a label cannot contain : / @ or *", ErrReference)
	case strings.Trim(label, "0123456789") == "":
		return fmt.Errorf("%w: a label cannot be all digits, because these are the number of a record", ErrReference)
	}
	return nil
}
