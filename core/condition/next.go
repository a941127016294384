package condition

import (
	"strings"

	"frankledger/core/entry"
)

// Next lists words that a condition can go on with, for completion: fields where
// a test begins, what can be asked after a field, and, or after a test.
func Next(words []string) []string {
	starts := append(entry.FieldNames(), "not")
	if len(words) == 0 {
		return starts
	}
	last := strings.ToLower(words[len(words)-1])
	if _, err := Parse(words); err == nil {
		return []string{"and", "or"}
	}
	field := entry.FieldNamed(last)
	switch {
	case last == "and" && len(words) > 2 && strings.EqualFold(words[len(words)-3], string(Between)):
		return nil // the second value of between
	case last == "and" || last == "or" || last == "not" || last == opening:
		return starts
	case field != nil && field.Type != entry.Flag:
		var next []string
		for _, op := range OpsOf(field) {
			first, _, _ := strings.Cut(string(op), " ")
			next = append(next, first)
		}
		return next
	case last == "at":
		return []string{"least", "most"}
	case last == string(Is) && len(words) > 1 && entry.FieldNamed(words[len(words)-2]) != nil:
		return values(entry.FieldNamed(words[len(words)-2]))
	case strings.Trim(last, "0123456789") == "":
		return []string{"minutes", "hours", "days", "weeks", "months", "years"}
	}
	return nil
}

// values lists values that a field can have, where they are few.
func values(f *entry.Field) []string {
	if f.Roster != entry.NoRoster {
		return []string{meWord, unknownWord}
	}
	return f.Words
}
