package verbs

import (
	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
)

// All are all verbs.
var All = map[plans.Action]doing.Verb{
	plans.Hide:   hide{},
	plans.Reveal: reveal{},
	plans.Move:   move{},
	plans.Remove: remove{},
	plans.Stamp:  stamp{},
	plans.Permit: permit{},
	plans.Copy:   copyTo{},
	plans.Own:    own{},
	plans.Rename: naming{},
	plans.Clear:  clearing{},
	plans.Run:    run{},
	plans.Create: create{},
}
