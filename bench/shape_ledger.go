package main

import (
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
)

// ledgerShape is about records of the tree. LEDGER stands for the file, which is put back before each run to
// what it was.
var ledgerShape = &shape{
	name: "ledger", meaning: "records of the tree", entries: million, made: "tree",
	cases: []benchCase{
		{name: "first record", args: "record TREE --label t --ledger LEDGER", loop: "facts", wall: 3, peak: 250, ledger: &ledgerState{most: 90}},
		{name: "record, unchanged", args: "record TREE --label t --ledger LEDGER", loop: "facts", wall: 1.3, ledger: &ledgerState{records: 1, grows: 0.1}},
		{name: "record, quick, unchanged", args: "record TREE --label t --quick --ledger LEDGER", against: "record TREE --label t --ledger AGAIN", wall: 0.15, ledger: &ledgerState{records: 1, grows: 0.1}},
		{name: "record, 1 % changed", args: "record TREE --label t --ledger LEDGER", loop: "facts", wall: 1.5, ledger: &ledgerState{records: 1, grows: 3, alter: true}},
		{name: "search in a record", args: "search @t --ledger LEDGER where name has rec000799", loop: "facts", wall: 0.15, ledger: &ledgerState{records: 1}},
		{name: "weigh a record", args: "weigh @t --ledger LEDGER", loop: "facts", wall: 1, ledger: &ledgerState{records: 1}},
		{name: "tally a record", args: "tally @t --by ext --ledger LEDGER", loop: "facts", wall: 1, ledger: &ledgerState{records: 1}},
		{name: "compare equal records", args: "compare @t:1 @t --ledger LEDGER", loop: "empty", cpu: 20, ledger: &ledgerState{records: 2}},
	},
}

// ledgerState is what the ledger is before a run, and how it may have grown
// after.
type ledgerState struct {
	records int     // of the tree, as it is
	alter   bool    // one entry in a hundred, since
	grows   float64 // at most, per cent
	most    float64 // bytes an entry, at most

	saved string // a ledger of so many records
	was   int64  // its size
	now   int64
}

// prepare makes the ledger to begin with.
func (s *ledgerState) prepare(p *place) error {
	s.saved = filepath.Join(p.work, fmt.Sprint("records-", s.records))
	for range s.records {
		if err := exec.Command(p.frank, "record", p.tree, "--label", "t", "--ledger", s.saved).Run(); err != nil {
			return err
		}
	}
	if info, err := os.Stat(s.saved); err == nil {
		s.was = info.Size()
	}
	return nil
}

// before puts the ledger back, and alters entries.
func (s *ledgerState) before(p *place) error {
	if err := os.Remove(p.ledger); err != nil && !os.IsNotExist(err) {
		return err
	}
	if s.records > 0 {
		if err := copyFile(s.saved, p.ledger); err != nil {
			return err
		}
	}
	if !s.alter {
		return nil
	}
	return exec.Command(p.self, "alter", "100", p.tree).Run()
}

func copyFile(path, target string) error {
	from, err := os.Open(path)
	if err != nil {
		return err
	}
	defer from.Close()
	to, err := os.Create(target)
	if err == nil {
		_, err = io.Copy(to, from)
	}
	if err == nil {
		err = to.Close()
	}
	return err
}

// after notes how large the ledger is.
func (s *ledgerState) after(ledger string) error {
	info, err := os.Stat(ledger)
	if err == nil {
		s.now = info.Size()
	}
	return err
}

// print prints how the ledger has grown.
func (s *ledgerState) print(entries int) {
	switch {
	case s.most > 0:
		fmt.Printf("%24s %.1f bytes an entry (%.0f)\n", "", float64(s.now)/float64(entries), s.most)
	case s.grows > 0:
		fmt.Printf("%24s grows by %.3f %% (%.1f)\n", "", 100*float64(s.now-s.was)/float64(s.was), s.grows)
	}
	os.Remove(s.saved)
}
