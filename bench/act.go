package main

import (
	"bytes"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// actCases are about acting. They run in folders of the tree: plan has all the
// entries, hides 100 000 files.
var actCases = []benchCase{
	{name: "plan for every file", args: "act hide TREE/plan --as json where kind is file", against: "search TREE/plan --as json where kind is file", loop: "search", wall: 1.2},
	{name: "100 000 hides", args: "act hide TREE/hides --carry-out --yes --quiet where kind is file", loop: "rename", wall: 2, undo: true},
	{name: "a command on 100 000", args: "act run TREE/hides --carry-out --yes --batch where kind is file -- true @path", loop: "rename", undo: true, calls: 200},
}

const (
	hideFolders = 500
	hideFiles   = 200
)

// makeAct makes the folders to act in.
func makeAct(root string, entries int) error {
	if err := os.Mkdir(filepath.Join(root, "plan"), 0o755); err != nil {
		return err
	}
	if _, _, err := makeTree(filepath.Join(root, "plan"), entries); err != nil {
		return err
	}
	for i := range hideFolders {
		folder := filepath.Join(root, "hides", fmt.Sprint("folder-", i))
		if err := os.MkdirAll(folder, 0o755); err != nil {
			return err
		}
		for j := range hideFiles {
			if err := os.WriteFile(filepath.Join(folder, fmt.Sprintf("name-%04d.txt", j)), nil, 0o644); err != nil {
				return err
			}
		}
	}
	return nil
}

// renameAll gives every file in the folder to hide in a leading dot, or takes it
// off: the least that hiding can be.
func renameAll(root string, hide bool) error {
	var paths []string
	if err := filepath.WalkDir(filepath.Join(root, "hides"), func(path string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			paths = append(paths, path)
		}
		return err
	}); err != nil {
		return err
	}
	for _, path := range paths {
		folder, name := filepath.Split(path)
		to := "." + name
		if !hide {
			to = strings.TrimPrefix(name, ".")
		}
		if err := os.Rename(path, folder+to); err != nil {
			return err
		}
	}
	return nil
}

// takeBack undoes what a run did.
func (c benchCase) takeBack(self, frank, tree string, program bool) error {
	switch {
	case !c.undo:
		return nil
	case !program:
		return exec.Command(self, "loop", "reveal", tree).Run()
	case c.calls > 0: // nothing was changed
		return nil
	}
	return exec.Command(frank, "act", "undo").Run()
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
