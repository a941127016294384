// Package inspect gathers all that can be known about one thing on disk.
package inspect

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/core/sums"
	"frankledger/core/textfile"
)

// Facts are those of an entry that a card shows.
const Facts = entry.FactStatus | entry.FactCreated | entry.FactTarget | entry.FactReach | entry.FactReadable |
	entry.FactWritable | entry.FactExecutable | entry.FactInside | entry.FactContent | entry.FactXattrs | entry.FactFlags | entry.FactMount

// Card is what is known about an entry besides its facts.
type Card struct {
	Entry     *entry.Entry // with Facts
	MayEnter  bool         // a folder that the person running the program may enter
	Chain     []string     // of a link: what each step points to, as a path
	End       End          // where the chain leads
	Siblings  []string     // other names of the same file, where they were looked for
	Holds     *sums.Sum    // what a folder holds, at any depth
	Partly    bool         // not all of that could be read
	Preview   []string     // the first lines of text, exact bytes
	NoPreview string       // why there is none, where one was wanted
	Looked    *entry.Place // where siblings were looked for
}

// End is where a chain of links leads.
type End uint8

const (
	Somewhere End = iota
	Nowhere
	Round // back to itself
)

// Options say what to gather that takes longer.
type Options struct {
	Siblings string // a place to look for other names in; "" for none
	Preview  int    // how many lines
}

// Look makes the card of an entry that is a place of its own, which the source
// is. What could not be read is in the report. Of what was recorded, there is only
// what the record has.
func Look(ctx context.Context, s source.Source, e *entry.Entry, o Options) (*Card, source.Report, error) {
	path := e.Folder.Path()
	c := &Card{Entry: e}
	var report source.Report
	if e.Kind == entry.KindFolder {
		if err := c.weigh(ctx, s, &report); err != nil {
			return c, report, err
		}
	}
	if s.Place().Kept {
		return c, report, nil
	}
	switch e.Kind {
	case entry.KindLink:
		c.follow(path)
	case entry.KindFolder:
		c.MayEnter = unix.Access(path, unix.X_OK) == nil
	}
	if o.Siblings != "" && e.Kind != entry.KindFolder && e.Links > 1 {
		if err := c.findSiblings(ctx, o.Siblings, &report); err != nil {
			return c, report, err
		}
	}
	if o.Preview > 0 {
		c.preview(path, o.Preview)
	}
	return c, report, nil
}

// follow goes along a link step by step.
func (c *Card) follow(path string) {
	const most = 40 // as many as the system follows
	at := path
	type link struct{ device, inode uint64 }
	met := map[link]bool{}
	for range most {
		var st unix.Stat_t
		if unix.Lstat(at, &st) != nil {
			c.End = Nowhere
			return
		}
		target, err := os.Readlink(at)
		if err != nil {
			return
		}
		if met[link{uint64(st.Dev), st.Ino}] {
			c.End = Round
			return
		}
		met[link{uint64(st.Dev), st.Ino}] = true
		if !filepath.IsAbs(target) {
			target = at[:strings.LastIndexByte(at, '/')+1] + target // not cleaned: a folder before .. may be a link
		}
		c.Chain = append(c.Chain, target)
		at = target
	}
	c.End = Round
}

func (c *Card) weigh(ctx context.Context, s source.Source, report *source.Report) error {
	counter := sums.NewCounter(source.Nowhere)
	read, err := s.Read(ctx, source.Request{Facts: entry.FactStatus, Depth: source.AllDepths}, counter)
	report.Add(read)
	sum := counter.Sum()
	for _, p := range read.Problems {
		if p.Shut {
			sum.Unread++
		}
	}
	c.Holds, c.Partly = &sum, len(read.Problems) > 0
	return err
}

func (c *Card) findSiblings(ctx context.Context, place string, report *source.Report) error {
	s, err := live.Open(place, 0)
	if err != nil {
		return err
	}
	c.Looked = s.Place()
	full, err := filepath.Abs(c.Entry.Folder.Path())
	if err != nil {
		return err
	}
	var mu sync.Mutex
	read, err := s.Read(ctx, source.Request{Facts: entry.FactStatus, Depth: source.AllDepths}, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			for i := range entries {
				e := &entries[i]
				if e.Inode == c.Entry.Inode && e.Device == c.Entry.Device && filepath.Join(e.Folder.FullPath(), e.Name) != full {
					mu.Lock()
					c.Siblings = append(c.Siblings, e.Path())
					mu.Unlock()
				}
			}
			return nil
		}
	}))
	slices.Sort(c.Siblings)
	report.Add(read)
	return err
}

// longestPreview is how much is read for a preview at the most.
const longestPreview = 64 << 10

func (c *Card) preview(path string, lines int) {
	e := c.Entry
	switch {
	case e.Kind != entry.KindFile:
		c.NoPreview = "it is not a file"
		return
	case e.Known&entry.FactContent == 0:
		c.NoPreview = "it could not be read"
		return
	case e.More.Type == "":
		c.NoPreview = "it is empty"
		return
	}
	file, err := live.OpenContent(path)
	if err != nil {
		c.NoPreview = "it could not be read"
		return
	}
	defer file.Close()
	text, err := textfile.NewLines(file, file.Length())
	switch {
	case errors.Is(err, textfile.ErrNoText):
		c.NoPreview = "it is not text"
		return
	case err != nil:
		c.NoPreview = "it could not be read"
		return
	}
	line := ""
	for at, left := text.Start(), longestPreview; len(c.Preview) < lines && left > 0; {
		piece, next, err := text.Next(at)
		if err != nil {
			break
		}
		piece = piece[:min(len(piece), left)]
		line, left, at = line+string(piece), left-len(piece), next
		if text.Ends(next) || next == text.End() || left == 0 {
			c.Preview, line = append(c.Preview, line), ""
		}
	}
}
