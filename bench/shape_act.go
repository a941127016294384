package main

import (
	"bytes"
	"fmt"
	"os/exec"
	"strings"
)

// actShape is about acting. Its cases run in folders of the tree: plan has all the entries, hides 100 000 files.
var actShape = &shape{
	name: "act", meaning: "plans, hiding, commands", entries: million, made: "act",
	cases: []benchCase{
		{name: "plan for every file", args: "act hide TREE/plan --as json where kind is file", against: "search TREE/plan --as json where kind is file", loop: "search", wall: 1.2},
		{name: "100 000 hides", args: "act hide TREE/hides --carry-out --yes --quiet where kind is file", loop: "rename", wall: 2, undo: true},
		{name: "a command on 100 000", args: "act run TREE/hides --carry-out --yes --batch where kind is file -- true @path", loop: "rename", undo: true, calls: 200},
	},
}

// takeBack undoes what a run did.
func (c benchCase) takeBack(p *place, program bool) error {
	switch {
	case !c.undo:
		return nil
	case !program:
		return exec.Command(p.self, "loop", "reveal", p.tree).Run()
	case c.calls > 0: // nothing was changed
		return nil
	}
	return exec.Command(p.frank, "act", "undo").Run()
}

// printCalls prints how many processes a command took.
func (c benchCase) printCalls(program []string) error {
	var said bytes.Buffer
	cmd := exec.Command(program[0], program[1:]...)
	cmd.Stderr = &said
	if err := cmd.Run(); err != nil {
		return err
	}
	fmt.Printf("%24s %s (at most %d)\n", "", strings.TrimSpace(said.String()), c.calls)
	return nil
}
