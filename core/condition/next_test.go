package condition_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"frankledger/core/condition"
	"frankledger/core/entry"
)

func TestNext(t *testing.T) {
	for words, want := range map[string]string{
		"":                                  "name",
		"name":                              "has",
		"size":                              "at",
		"size at":                           "least",
		"mode":                              "lacks",
		"sha256":                            "is",
		"kind is":                           "folder",
		"owner is":                          "unknown",
		"type is":                           "audio",
		"modified since":                    "monday",
		"modified on last":                  "week",
		"mode any":                          "o+w",
		"name has dawn":                     "and",
		"empty":                             "or",
		"empty and":                         "modified",
		"empty and not":                     "broken",
		"modified within 7":                 "days",
		"size between 1kB and 2kB":          "and",
		"modified between today and now or": "hidden",
	} {
		assert.Contains(t, condition.Next(strings.Fields(words), ""), want, words)
	}
	assert.Contains(t, condition.Next(strings.Fields("empty and size at least"), "10"), "10MB")
	assert.NotContains(t, condition.Next([]string{"empty"}, ""), "name")
	assert.Empty(t, condition.Next(strings.Fields("size between 1kB and"), ""))
	assert.Len(t, condition.OpsOf(entry.FieldNamed("blake3")), 1)
}
