package text_test

import (
	"fmt"
	"slices"

	"frankledger/core/text"
)

func ExampleNearest() {
	fmt.Println(text.Nearest("modifed", []string{"name", "modified", "size"}))
	fmt.Printf("%q\n", text.Nearest("owner", []string{"name", "modified", "size"}))
	// Output:
	// modified
	// ""
}

// Numbers in names are compared as numbers.
func ExampleCompareNatural() {
	names := []string{"card 10", "card 9", "Card 1"}
	slices.SortFunc(names, text.CompareNatural)
	fmt.Println(names)
	// Output:
	// [Card 1 card 9 card 10]
}
