// Package long is for tests that take long. They have names that end in Long, and run when
// the option -long is given to go test.
package long

import (
	"flag"
	"strings"
	"testing"
)

var on = flag.Bool("long", false, "run the tests that take long, and try for longer what is tried at random")

// Test skips a test that takes long, unless such tests are wanted.
func Test(t *testing.T) {
	t.Helper()
	if !strings.HasSuffix(t.Name(), "Long") {
		t.Fatal("the name of a test that takes long ends in Long")
	}
	if !*on {
		t.Skip("it takes long: give go test the option -long")
	}
}

// Wanted reports whether tests that take long are wanted.
func Wanted() bool { return *on }
