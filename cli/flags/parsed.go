package flags

import (
	"errors"
	"fmt"
	"strconv"
	"time"

	"github.com/spf13/pflag"

	"frankledger/cli/usage"
	"frankledger/core/condition"
)

// Parsed is the value of an option whose words a function reads. It implements [pflag.Value].
type Parsed[T any] struct {
	Value  T
	option string
	words  string
	kind   string
	read   func(words string) (T, error)
}

// AddParsed gives a command an option whose words a function reads. Its error stands after the name of the
// option; a [Wanted] says what the option takes. The option has the usual words until others are given; if
// these are "", it has no value of its own, and the function does not see them.
func AddParsed[T any](f *pflag.FlagSet, to *Parsed[T], name, short, usual string, read func(words string) (T, error), meaning string) {
	*to = Parsed[T]{option: name, words: usual, kind: "string", read: read}
	if usual != "" {
		var err error
		if to.Value, err = read(usual); err != nil {
			panic(err) // of the program itself
		}
	}
	f.VarP(to, name, short, meaning)
}

// String implements [pflag.Value].
func (p *Parsed[T]) String() string { return p.words }

// Type implements [pflag.Value].
func (p *Parsed[T]) Type() string { return p.kind }

// Set implements [pflag.Value]. The error says what the option can be.
func (p *Parsed[T]) Set(words string) error {
	value, err := p.read(words)
	var wanted Wanted
	switch {
	case errors.As(err, &wanted):
		return &usage.Failure{Status: usage.StatusUsage, Option: p.option, Value: words, Err: fmt.Errorf("--%s %w", p.option, err)}
	case errors.Is(err, strconv.ErrSyntax) || errors.Is(err, strconv.ErrRange):
		return err // what the kind of the value says
	case err != nil:
		return &usage.Failure{Status: usage.StatusUsage, Option: p.option, Value: words, Err: fmt.Errorf("--%s: %w", p.option, err)}
	}
	p.Value, p.words = value, words
	return nil
}

// Wanted is an error that says what an option takes, as the rest of a sentence that begins with its name.
type Wanted string

func (w Wanted) Error() string { return string(w) }

// AddNumber gives a command an option that is a number from 1 on, and 0 where it is not given. The usual one is
// written as words, "0" for none.
func AddNumber(f *pflag.FlagSet, to *Parsed[int], name, short, usual, meaning string) {
	AddParsed(f, to, name, short, "", func(words string) (int, error) {
		n, err := strconv.ParseInt(words, 0, strconv.IntSize)
		if err == nil && n < 1 {
			err = Wanted(fmt.Sprint("takes a number from 1 on, not ", n))
		}
		return int(n), err
	}, meaning)
	to.words, to.kind = usual, "int"
	to.Value, _ = strconv.Atoi(usual)
	f.Lookup(name).DefValue = usual
}

// All is the word for every level of folders.
const All = "all"

// AddDepth gives a command an option that is a number of levels, from the least on, or the word all, which stands for
// the number that is given here. The error for 0 ends with the hint.
func AddDepth(f *pflag.FlagSet, to *Parsed[int], name, short, usual string, least, all int, hint func() string, meaning string) {
	AddParsed(f, to, name, short, usual, func(words string) (int, error) {
		if words == All {
			return all, nil
		}
		n, err := strconv.Atoi(words)
		if err == nil && n >= least {
			return n, nil
		}
		wanted := fmt.Sprintf("takes a number from %d on, or all, not %q", least, words)
		if err == nil && n == 0 {
			wanted += hint()
		}
		return 0, Wanted(wanted)
	}, meaning)
}

// Moment is the value of an option that is a moment. It is read when it is asked for, since it may be
// counted from now.
type Moment struct{ option, words string }

// AddMoment gives a command an option that is a moment.
func AddMoment(f *pflag.FlagSet, to *Moment, name, meaning string) {
	*to = Moment{option: name}
	f.Var(to, name, meaning)
}

// String implements [pflag.Value].
func (m *Moment) String() string { return m.words }

// Type implements [pflag.Value].
func (*Moment) Type() string { return "string" }

// Set implements [pflag.Value].
func (m *Moment) Set(words string) error {
	m.words = words
	return nil
}

// At is the moment in a time zone, counted from now; now itself if none was given. The error says what is wrong.
func (m *Moment) At(now time.Time, zone *time.Location) (time.Time, error) {
	if m.words == "" {
		return now, nil
	}
	at, err := condition.ParseMoment(m.words, now, zone)
	if err != nil {
		err = usage.MisuseOf(m.option, "--%s: %w", m.option, err)
	}
	return at, err
}
