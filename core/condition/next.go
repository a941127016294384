package condition

import (
	"slices"
	"strings"

	"frankledger/core/entry"
)

// Next lists words that a condition can go on with, for completion, where a word may have
// been begun: fields where a test begins, what can be asked after a field, values, units,
// and and, or after a test.
func Next(words []string, begun string) []string {
	starts := append(entry.FieldNames(), "not")
	if len(words) == 0 {
		return starts
	}
	last := strings.ToLower(words[len(words)-1])
	field, op := asked(words)
	if field != nil && begun != "" && strings.Trim(begun, "0123456789.") == "" && field.Type == entry.Bytes {
		var sizes []string
		for _, unit := range []string{"kB", "MB", "GB", "TB", "KiB", "MiB", "GiB", "TiB"} {
			sizes = append(sizes, begun+unit)
		}
		return sizes
	}
	if _, err := Parse(words); err == nil {
		return []string{"and", "or"}
	}
	named := entry.FieldSaid(last)
	switch {
	case field != nil:
		return values(field, op)
	case last == "and" && len(words) > 2 && strings.EqualFold(words[len(words)-3], string(Between)):
		return nil // the second value of between
	case last == "and" || last == "or" || last == "not" || last == opening:
		return starts
	case named != nil && named.Type != entry.Flag:
		var next []string
		for _, op := range OpsOf(named) {
			first, _, _ := strings.Cut(string(op), " ")
			next = append(next, first)
		}
		return append(next, missingWord, presentWord)
	case last == "this" || last == "last":
		return periods
	case last == "at":
		return []string{"least", "most"}
	case strings.Trim(last, "0123456789") == "":
		return []string{"minutes", "hours", "days", "weeks", "months", "years"}
	}
	return nil
}

// asked returns the field that a value is wanted of, and what is asked of it; nil if none
// is.
func asked(words []string) (*entry.Field, Op) {
	for i := len(words) - 1; i > 0 && i >= len(words)-2; i-- {
		field, said := entry.FieldSaid(words[i-1]), strings.ToLower(strings.Join(words[i:], " "))
		if field == nil || field.Type == entry.Flag {
			continue
		}
		for _, op := range OpsOf(field) {
			if said == string(op) {
				return field, op
			}
		}
	}
	return nil, ""
}

// values lists values that a field can have, where they are few.
func values(f *entry.Field, op Op) []string {
	switch {
	case f.Type == entry.Moment && op != Within:
		next := []string{todayForm, yesterdayForm, "this", "last"}
		for _, names := range weekdays {
			next = append(next, names[0])
		}
		return next
	case f.Type == entry.Mode && op != Is:
		return []string{"u+r", "u+w", "u+x", "g+r", "g+w", "g+x", "o+r", "o+w", "o+x", "ug+w", "a+x"}
	case op != Is:
		return nil
	case f.Roster != entry.NoRoster:
		return []string{MeWord, UnknownWord}
	}
	return append(slices.Clip(f.Words), f.Families...)
}
