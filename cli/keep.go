package cli

import (
	"io"

	"github.com/spf13/cobra"

	"frankledger/cli/usage"
	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// addKeeping gives a command the option that keeps what it found for later.
func addKeeping(cmd *cobra.Command, o *lookingOptions) {
	cmd.Flags().StringVar(&o.saveList, "save-list", "", "also save the full paths of the matches in this `FILE`; @@FILE is then a place")
	group(cmd, groupOut, "save-list")
	shared(cmd, "save-list")
}

// keepRows has the entries of some rows kept, in their order, if a list is to be. Of a row
// without an entry nothing is.
func keepRows[R any](r *question, rows row.Source[R], of func(R) *entry.Entry) {
	if r.keeping == nil {
		return
	}
	r.keeping.shown = []string{}
	for i := range rows.Len() {
		if e := of(rows.At(i)); e != nil {
			r.keeping.shown = append(r.keeping.shown, e.FullPath())
		}
	}
}

// keepList writes the list, whole or not at all, and says so.
func (p *Program) keepList(r *question, d output.Destination) error {
	paths := r.keeping.paths()
	column := row.TextColumn("full_path", "from the root", func(path string) (string, bool) { return path, true })
	err := render.All(io.Writer(d), render.New(render.Kept, r.view.View, []row.Column[string]{column}), paths, r.view.Frame(&report.Summary{}))
	defer p.Writing("writing " + typeset.Escaped(r.keeping.file))()
	if closing := d.Close(err == nil); err == nil {
		err = closing
	}
	if err == nil {
		p.Say("%s saved in %s; %s%s is a place", units.Count(int64(len(paths)), "path", "paths"), typeset.Escaped(r.keeping.file), usage.ListMark, typeset.ShellQuoted(r.keeping.file))
	}
	return err
}
