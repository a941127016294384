package cli

import (
	"fmt"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/render"
)

func orderWords() []string {
	words := []string{"none"}
	for _, name := range entry.FieldNames() {
		words = append(words, name, name+"/reverse")
	}
	return words
}

func parseColumns(words string, form *render.Form) ([]*entry.Field, error) {
	switch words {
	case "":
		var fields []*entry.Field
		for _, name := range form.Fields {
			fields = append(fields, entry.FieldNamed(name))
		}
		return fields, nil
	case allWord: // but what takes reading all of each file
		var all []*entry.Field
		for i := range entry.Fields {
			if entry.Fields[i].Needs&entry.FactDigests == 0 {
				all = append(all, &entry.Fields[i])
			}
		}
		return all, nil
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
