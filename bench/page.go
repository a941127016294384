package main

import (
	"bytes"
	"fmt"
	"os"
	"runtime"
	"strings"
)

// measured is a case with its figures.
type measured struct {
	benchCase
	figures
}

// writePage writes the table of a shape into a page of documentation, between two lines:
// <!-- bench SHAPE --> and <!-- end -->.
func writePage(path, shape, made string, runs int, rows []measured) error {
	return writeBetween(path, shape, func(b *bytes.Buffer) {
		fmt.Fprintf(b, "%s; %d cores, %s; medians of %d runs each, in turn.\n\n", made, runtime.NumCPU(), runtime.Version(), runs)
		b.WriteString("| work | against | program | processor time | ratio | budget | over two threads | budget | peak memory | budget |\n| --- | --- | --- | --- | --- | --- | --- | --- | --- | --- |\n")
		for _, m := range rows {
			b.WriteString(m.row())
		}
	})
}

// writeBetween writes something between the lines of a shape.
func writeBetween(path, shape string, write func(*bytes.Buffer)) error {
	page, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	begin, end := []byte("<!-- bench "+shape+" -->\n"), []byte("<!-- end -->")
	before, rest, found := bytes.Cut(page, begin)
	_, after, closed := bytes.Cut(rest, end)
	if !found || !closed {
		return fmt.Errorf("%s has no lines %s and %s", path, strings.TrimSpace(string(begin)), end)
	}
	var b bytes.Buffer
	b.Write(before)
	b.Write(begin)
	write(&b)
	b.Write(end)
	b.Write(after)
	return os.WriteFile(path, b.Bytes(), 0o644)
}

// row is a line of the table.
func (m *measured) row() string {
	ratio, budget := m.WallRatio, m.wall
	against, took := fmt.Sprintf("%s, %.2f s", m.Loop, m.Wall/m.WallRatio), fmt.Sprintf("%.2f s", m.Wall)
	if m.cpu > 0 {
		ratio, budget = m.CPURatio, m.cpu
		against, took = "an empty program", fmt.Sprintf("%.0f ms", m.Wall*1000)
	}
	if m.most > 0 {
		ratio, budget = m.Wall*1000, m.most
		against, took = "", fmt.Sprintf("%.0f ms", m.Wall*1000)
	} else if m.loop == "empty" && m.cpu == 0 {
		ratio, against = 0, ""
	}
	shown, limit := fmt.Sprintf("%.2f", ratio), ""
	if budget > 0 {
		limit = fmt.Sprintf("%g", budget)
		if ratio > budget {
			shown = "**" + shown + "**, missed"
		}
	}
	if m.most > 0 {
		shown, limit = strings.Replace(shown, fmt.Sprintf("%.2f", ratio), fmt.Sprintf("%.0f ms", ratio), 1), limit+" ms"
	} else if ratio == 0 {
		shown = ""
	}
	two, twoLimit := "", ""
	if m.TwoRatio > 0 {
		two, twoLimit = fmt.Sprintf("%.2f", m.TwoRatio), fmt.Sprintf("%g", m.two)
		if m.TwoRatio > m.two {
			two = "**" + two + "**, missed"
		}
	}
	peak, most := fmt.Sprintf("%.0f MiB", m.Peak), ""
	if m.peak > 0 {
		most = fmt.Sprintf("%g MiB", m.peak)
		if m.Peak > m.peak {
			peak = "**" + peak + "**, missed"
		}
	}
	work := strings.NewReplacer(" TREE/", " ", " TREE", "", " --ledger LEDGER", "", "|", `\|`).Replace(m.args)
	return fmt.Sprintf("| %s: `%s` | %s | %s | %.2f s | %s | %s | %s | %s | %s | %s |\n", m.name, work, against, took, m.CPU, shown, limit, two, twoLimit, peak, most)
}
