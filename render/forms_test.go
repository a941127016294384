package render_test

import (
	"testing"

	"frankledger/render"
	"frankledger/render/rendertest"
)

// Every format keeps to what a format is, on a terminal and in a file.
func TestForms(t *testing.T) {
	t.Parallel()
	for _, form := range append([]*render.Form{render.Counted, render.Kept, render.Manifest}, render.Forms...) {
		for name, width := range map[string]int{"in a file": 0, "on a screen": 60} {
			t.Run(form.Name+" "+name, func(t *testing.T) {
				t.Parallel()
				rendertest.Test(t, func() render.Format[*rendertest.Row] {
					v := view()
					v.Width, v.Escape = width, width > 0
					return render.New(form, v.View, rendertest.Columns())
				})
			})
		}
	}
}
