package condition

import (
	"frankledger/core/entry"
)

// Fields that every condition may need: only some kinds have others, and only files a size.
var (
	KindField   = entry.FieldNamed("kind")
	sizeField   = entry.FieldNamed("size")
	nameField   = entry.FieldNamed("name")
	hiddenField = entry.FieldNamed("hidden")
)

const (
	MeWord      = "me"
	UnknownWord = "unknown"
)
