//go:build race

package cli_test

// raceFlags have the program built as the tests are.
var raceFlags = []string{"-race"}
