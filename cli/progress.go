package cli

import (
	"time"

	"frankledger/cli/session"
	"frankledger/core/source"
	"frankledger/render"
	"frankledger/render/units"
)

// progress shows on the standard error how far a reading has come, if that is
// a terminal and the rows are not running over it. The function it returns
// takes it away again without a trace; it may be called more than once.
func (p *Program) progress(r *question, progress *source.Progress) (done func()) {
	streaming := r.order.AsIs && session.IsTerminal(p.Out)
	if streaming {
		return func() {}
	}
	return p.ProgressOf(r.quiet, func(since time.Duration) string { return progressLine(r.view.View, progress, since) })
}

// actLine tells how far acting has come.
func actLine(v *render.View, progress *source.Progress, steps, all int64, since time.Duration) string {
	line := units.Grouped(steps) + " of " + units.Count(all, "step", "steps")
	if entries := progress.Entries.Load(); entries > 0 {
		line += ", " + units.Count(entries, "entry", "entries") + " looked at"
	}
	if read := progress.Read.Load(); read > 0 { // once to copy and once to make sure
		line += ", copying: " + v.Units.SizeText(read) + " read, " + v.Units.SizeText(int64(float64(read)/max(since.Seconds(), 0.001))) + " a second"
	}
	return line
}

// progressLine tells how far a reading has come: of folders, or of content.
func progressLine(v *render.View, progress *source.Progress, since time.Duration) string {
	seconds := max(since.Seconds(), 0.001)
	if read, all := progress.Read.Load(), progress.ToRead.Load(); read > 0 || all > 0 {
		rate := int64(float64(read) / seconds)
		line := "reading content: " + v.Units.SizeText(read)
		if all > 0 {
			line += " of " + v.Units.SizeText(all)
		}
		line += ", " + v.Units.SizeText(rate) + " a second"
		if all > read && rate > 0 {
			line += ", " + units.Span(time.Duration(float64(all-read)/float64(rate)*float64(time.Second))) + " left"
		}
		return line
	}
	entries, folders := progress.Entries.Load(), progress.Folders.Load()
	line := "reading: " + units.Count(entries, "entry", "entries") + " in " + units.Count(folders, "folder", "folders")
	if bytes := progress.Bytes.Load(); bytes > 0 {
		line += ", " + v.Units.SizeText(bytes)
	}
	return line + ", " + units.Grouped(int64(float64(entries)/seconds)) + " a second; " +
		units.Count(max(progress.Found.Load()-folders, 0), "folder", "folders") + " left so far"
}
