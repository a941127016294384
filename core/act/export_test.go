package act

import (
	"frankledger/core/entry"

	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
)

// SettleNames has a test settle names that no pattern would give.
func SettleNames(p *plans.Plan) { verbs.All[plans.Rename].(doing.Settler).Settle(p) }

// SetKeepers has a test say what stays of entries that are to be cleared.
func SetKeepers(p *doing.Planner, keepers map[*entry.Entry]*entry.Entry) { p.Keepers = keepers }
