package usage

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"frankledger/core/ledger"
	"frankledger/render/typeset"
)

// The statuses that the program exits with.
const (
	StatusComplete    = 0
	StatusDifferent   = 1
	StatusUsage       = 2
	StatusIncomplete  = 3
	StatusFailed      = 4
	StatusInterrupted = 130
)

// Statuses are all of these, with what they mean.
var Statuses = []struct {
	Status  int
	Meaning string
}{
	{StatusComplete, "the answer is complete"},
	{StatusDifferent, "a check found a difference (verify, compare, checksum --expect, --fail-if)"},
	{StatusUsage, "the command line is wrong"},
	{StatusIncomplete, "the answer is incomplete: something could not be read, and frank reported it"},
	{StatusFailed, "the command failed"},
	{StatusInterrupted, "the command was stopped, with Ctrl-C or by another program"},
}

// Failure is an error that knows the status to exit with.
type Failure struct {
	Status int
	Err    error // nil: everything was said already
	// Repairs are command lines that were likely meant.
	Repairs [][]string
	Topic   string // what help tells of it; "" for the command
	Option  string // that it is about, if it is
	Value   string // of that, which is wrong; "" for the one that the option has
}

func (f *Failure) Error() string {
	if f.Err == nil {
		return fmt.Sprintf("status %d", f.Status)
	}
	return f.Err.Error()
}

func (f *Failure) Unwrap() error { return f.Err }

// Misuse makes an error in how the command was written.
func Misuse(format string, args ...any) error {
	return &Failure{Status: StatusUsage, Err: fmt.Errorf(format, args...)}
}

// MisuseOf makes an error in how an option was written.
func MisuseOf(option, format string, args ...any) error {
	return &Failure{Status: StatusUsage, Err: fmt.Errorf(format, args...), Option: option}
}

// Repaired gives a misuse command lines that were likely meant, as words without the name
// of the program.
func Repaired(err error, lines ...[]string) error {
	var f *Failure
	if errors.As(err, &f) {
		for _, line := range lines {
			if line != nil && !slices.ContainsFunc(f.Repairs, func(other []string) bool { return slices.Equal(other, line) }) {
				f.Repairs = append(f.Repairs, line)
			}
		}
	}
	return err
}

// CommandLine writes a command line as a person would paste it.
func CommandLine(args []string) string {
	words := []string{"frank"}
	for _, arg := range args {
		words = append(words, typeset.ShellQuoted(ledger.Shown(arg)))
	}
	return strings.Join(words, " ")
}

// Escaped returns an error whose text, which may have names from outside in it, is escaped.
func Escaped(err error) error { return escaped{err} }

// escaped is an error whose text may have names from outside in it, such as labels of other
// machines.
type escaped struct{ error }

func (e escaped) Error() string { return typeset.Escaped(e.error.Error()) }

func (e escaped) Unwrap() error { return e.error }
