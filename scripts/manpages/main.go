// Manpages writes the manual pages, made from the commands themselves.
//
//	go run ./scripts/manpages docs/man          write them
//	go run ./scripts/manpages --check docs/man  fail if they are not up to date
package main

import (
	"bytes"
	"flag"
	"fmt"
	"os"
	"path/filepath"

	"frankledger/cli"
)

func main() {
	check := flag.Bool("check", false, "write nothing, fail if something would change")
	flag.Parse()
	if flag.NArg() != 1 {
		fmt.Fprintln(os.Stderr, "manpages: name the folder")
		os.Exit(2)
	}
	if err := write(flag.Arg(0), *check); err != nil {
		fmt.Fprintln(os.Stderr, "manpages:", err)
		os.Exit(1)
	}
}

func write(folder string, check bool) error {
	pages := cli.ManPages()
	if !check {
		if err := os.MkdirAll(folder, 0o755); err != nil {
			return err
		}
	}
	there, err := os.ReadDir(folder)
	if err != nil {
		return err
	}
	for _, file := range there {
		if _, wanted := pages[file.Name()]; !wanted {
			return fmt.Errorf("%s is there and belongs to no command", file.Name())
		}
	}
	for name, page := range pages {
		path := filepath.Join(folder, name)
		if !check {
			if err := os.WriteFile(path, page, 0o644); err != nil {
				return err
			}
			continue
		}
		old, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		if !bytes.Equal(old, page) {
			return fmt.Errorf("%s is not up to date; run go run ./scripts/manpages %s", path, folder)
		}
	}
	return nil
}
