package cli

import (
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

// fieldsNamed returns the fields of these names.
func fieldsNamed(names []string) (fields []*entry.Field) {
	for _, name := range names {
		fields = append(fields, entry.FieldNamed(name))
	}
	return fields
}

// mostFields are all fields but those for which each file has to be read.
func mostFields() (fields []*entry.Field) {
	for i := range entry.Fields {
		if entry.Fields[i].Needs&entry.FactDigests == 0 {
			fields = append(fields, &entry.Fields[i])
		}
	}
	return fields
}

// parseColumns reads the names of fields, with commas between them, or the word all.
func parseColumns(words string) ([]*entry.Field, error) {
	switch words {
	case "": // the usual ones
		return nil, nil
	case allWord:
		return mostFields(), nil
	}
	var columns []*entry.Field
	for word := range strings.SplitSeq(words, ",") {
		field, err := entry.LookupField(strings.TrimSpace(word))
		if err != nil {
			return nil, err
		}
		if slices.Contains(columns, field) {
			return nil, fmt.Errorf("%s is there twice", field.Name)
		}
		columns = append(columns, field)
	}
	return columns, nil
}
