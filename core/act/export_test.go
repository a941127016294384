package act

import "frankledger/core/entry"

// SettleNames has a test settle names that no pattern would give.
func SettleNames(p *Plan) { p.settleNames() }

// SetKeepers has a test say what stays of entries that are to be cleared.
func SetKeepers(p *Planner, keepers map[*entry.Entry]*entry.Entry) { p.keepers = keepers }
