package condition_test

import (
	"fmt"
	"strings"
	"time"

	"frankledger/core/condition"
	"frankledger/core/condition/compile"
	"frankledger/core/entry"
	"frankledger/core/source"
)

// A condition that people say in everyday words has a normal form.
func ExampleParse() {
	c, err := condition.Parse(strings.Fields("bigger than 10MB and not ext is wav"))
	fmt.Println(c, err)
	_, err = condition.Parse(strings.Fields("sise over 10MB"))
	fmt.Println(err)
	// Output:
	// size over 10MB and not ext is wav <nil>
	// there is no field sise; did you mean size?
}

// A condition is compiled once, and then decides on entries, by the facts that are known of them.
func ExampleProgram() {
	c, err := condition.Parse(strings.Fields("name starts rec and size over 1kB"))
	if err != nil {
		panic(err)
	}
	program, err := compile.Condition(c, &condition.Environment{AsOf: time.Now(), Zone: time.UTC})
	if err != nil {
		panic(err)
	}
	test := program.Test()
	e := entry.Entry{Name: "rec1.wav", Kind: entry.KindFile}
	fmt.Println(test(&e, 0) == source.Open) // its size was not asked for yet
	e.Size, e.Known = 2000, entry.FactStatus
	fmt.Println(test(&e, entry.FactStatus) == source.Yes)
	// Output:
	// true
	// true
}
