package main

import (
	"fmt"
	"os"
	"time"
)

func main() {
	if os.Args[1] == "make" {
		fmt.Println(makeTree(os.Args[2], 1000000))
		return
	}
	t := time.Now()
	n, err := loop(os.Args[2], os.Args[1] == "facts")
	fmt.Println(n, err, time.Since(t))
}
