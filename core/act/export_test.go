package act

// SettleNames has a test settle names that no pattern would give.
func SettleNames(p *Plan) { p.settleNames() }
