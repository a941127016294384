package ledger_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"frankledger/core/ledger"
	"frankledger/core/source"
)

func TestTermsComeBack(t *testing.T) {
	for words, terms := range map[string]ledger.Terms{
		"": {},
		"--hidden omit --skip a* --skip b/c --same-disk --match-case where kind is file": {Hidden: source.OmitHidden, Skip: []string{"a*", "b/c"}, SameDisk: true, MatchCase: true,
			Where: []string{"kind", "is", "file"}},
		"where name has --skip": {Where: []string{"name", "has", "--skip"}},
	} {
		assert.Equal(t, words, terms.String())
		assert.Equal(t, terms, ledger.ParseTerms(terms.Words()))
	}
	assert.Equal(t, ledger.Terms{Skip: []string{""}}, ledger.ParseTerms([]string{"--of-a-later-version", "--skip"}))
}
