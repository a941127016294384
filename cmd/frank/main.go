// Frank lists, finds and catalogues what is on a disk. See the README.
package main

import (
	"os"
	_ "time/tzdata" // time zones, for systems that have none

	"frankledger/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:])) }
