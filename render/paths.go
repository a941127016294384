package render

import "frankledger/core/entry"

// paths writes the path of each entry, its exact bytes, with an end after it.
// Straight onto a terminal the bytes are escaped, since there they would act.
type paths struct {
	view *View
	end  byte
}

func (p paths) Begin(dst []byte) []byte { return dst }

func (p paths) Row(dst []byte, e *entry.Entry) []byte {
	if p.view.Escape {
		dst = append(dst, Escaped(e.Path())...)
	} else {
		dst = e.AppendPath(dst)
	}
	return append(dst, p.end)
}

func (p paths) End(dst []byte, _ *Summary) []byte { return dst }
