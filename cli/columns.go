package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"frankledger/core/entry"
)

func orderWords() []string {
	words := []string{"none"}
	for _, name := range entry.FieldNames() {
		words = append(words, name, name+"/reverse")
	}
	return words
}

// columnWords are the words for columns: those that there already are, and the same to be added.
func columnWords() []string {
	words := append(entry.FieldNames(), allWord)
	for _, name := range entry.FieldNames() {
		words = append(words, addMark+name)
	}
	return words
}

// fieldsNamed returns the fields of these names.
func fieldsNamed(names []string) (fields []*entry.Field) {
	for _, name := range names {
		fields = append(fields, entry.FieldNamed(name))
	}
	return fields
}

// mostFields are all fields but those for which all of each file has to be read.
func mostFields() (fields []*entry.Field) {
	for i := range entry.Fields {
		if entry.Fields[i].Needs&(entry.FactDigests|entry.FactText) == 0 {
			fields = append(fields, &entry.Fields[i])
		}
	}
	return fields
}

// columns are the fields that are asked for: some, or changes to the usual ones.
type columns struct {
	fields      []*entry.Field
	added, less []*entry.Field
}

// Marks of fields that are added to the usual ones, or taken from them.
const (
	addMark  = "+"
	lessMark = "-"
)

// parseColumns reads the names of fields, with commas between them, or the word all. After a + or a - fields are
// added to the usual ones, or taken from them.
func parseColumns(words string) (c columns, err error) {
	switch words {
	case "": // the usual ones
		return c, nil
	case allWord:
		return columns{fields: mostFields()}, nil
	}
	to := &c.fields
	for word := range strings.SplitSeq(words, ",") {
		name := strings.TrimSpace(word)
		switch {
		case strings.HasPrefix(name, addMark):
			to, name = &c.added, name[1:]
		case strings.HasPrefix(name, lessMark):
			to, name = &c.less, name[1:]
		}
		field, err := entry.LookupField(name)
		if err != nil {
			return c, err
		}
		if slices.Contains(slices.Concat(c.fields, c.added, c.less), field) {
			return c, fmt.Errorf("%s is there twice", field.Name)
		}
		*to = append(*to, field)
	}
	if len(c.fields) > 0 && c.changed() {
		return c, errors.New("name all columns, or change the usual ones with + and -, not both")
	}
	return c, nil
}

// changed reports whether the usual columns are changed.
func (c columns) changed() bool { return len(c.added)+len(c.less) > 0 }

// of are the columns where these are the usual ones.
func (c columns) of(usual []*entry.Field) ([]*entry.Field, error) {
	if len(c.fields) > 0 {
		return c.fields, nil
	}
	fields := slices.Clone(usual)
	for _, field := range c.less {
		at := slices.Index(fields, field)
		if at < 0 {
			var names []string
			for _, one := range usual {
				names = append(names, one.Name)
			}
			return nil, fmt.Errorf("%s is not a usual column; those are: %s", field.Name, strings.Join(names, ","))
		}
		fields = slices.Delete(fields, at, at+1)
	}
	for _, field := range c.added {
		if !slices.Contains(fields, field) {
			fields = append(fields, field)
		}
	}
	if len(fields) == 0 && len(c.less) > 0 {
		return nil, errors.New("no column is left")
	}
	return fields, nil
}
