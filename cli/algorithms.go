package cli

import (
	"fmt"
	"strings"

	"frankledger/core/entry"
)

func parseAlgorithms(words string) (list []entry.Algorithm, err error) {
	var facts entry.Facts
	for word := range strings.SplitSeq(words, ",") {
		a, err := entry.LookupAlgorithm(word)
		if err != nil {
			return nil, err
		}
		if facts.Has(a.Fact) {
			return nil, fmt.Errorf("%s is there twice", a.Name)
		}
		list, facts = append(list, a), facts|a.Fact
	}
	return list, nil
}
