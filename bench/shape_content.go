package main

import (
	"encoding/json"
	"fmt"
	"os/exec"

	"frankledger/bench/gen"
)

// contentShape is about what is in files. Each case runs in a folder of the tree that has its name.
var contentShape = &shape{
	name: "content", meaning: "files to read: large ones, small ones, copies",
	entries: million, made: "content", folders: true,
	cases: []benchCase{
		{name: "eight", args: "checksum TREE --as csv", loop: "hash", wall: 0.60, peak: 64},
		{name: "one", args: "checksum TREE --as csv", loop: "hash", wall: 1.05, peak: 64},
		{name: "small", args: "checksum TREE --as csv", loop: "hash", wall: 0.65, peak: 64},
		{name: "copies", args: "duplicates TREE --as json", loop: "copies", wall: 1.2, peak: 200, reads: 1.10},
		{name: "unlike", args: "duplicates TREE --as json", loop: "facts", wall: 0.9, reads: 0},
	},
}

// printReads tells how much content a program read.
func (c benchCase) printReads(program []string, folder string) error {
	out, err := exec.Command(program[0], program[1:]...).Output()
	if err != nil {
		return err
	}
	var answer struct {
		Summary struct {
			BytesRead int64 `json:"bytes_read"`
			Sets      int
		}
	}
	if err := json.Unmarshal(out, &answer); err != nil {
		return err
	}
	read := float64(answer.Summary.BytesRead)
	if c.reads == 0 {
		fmt.Printf("%-24s read %.0f bytes, found %d sets\n", "", read, answer.Summary.Sets)
		return nil
	}
	made, err := gen.ReadCopies(folder)
	if err != nil {
		return err
	}
	fmt.Printf("%-24s read %.1f MiB of %s %.1f MiB: the files in sets %.1f MiB by %.2f, and 16 KiB for each of %d files\n", "",
		read/(1<<20), "at most", (c.reads*float64(made.Bytes)+16384*float64(made.Shared))/(1<<20), float64(made.Bytes)/(1<<20), c.reads, made.Shared)
	return nil
}
