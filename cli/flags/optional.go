package flags

import (
	"slices"
	"strings"

	"github.com/spf13/pflag"
)

// bare is the value of an option that can stand without one.
type bare interface {
	pflag.Value
	// takes reports whether the word after the option is its value.
	takes(word string) bool
}

// Bare lets an option stand without a value: it has this one then. The option is a [Choice] or a [Word].
func Bare(f *pflag.FlagSet, name, value string) { f.Lookup(name).NoOptDefVal = value }

// takes implements bare.
func (c *Choice) takes(word string) bool {
	return word == "" || c.find(word) >= 0 || c.Others != nil && c.Others(word)
}

// Word is the value of an option that is any word. It implements [pflag.Value].
type Word struct {
	words string
	never func(word string) bool
}

// alone is the value of an option of any word that stands without one: no word of a command line can be it.
const alone = "\x00"

// AddWord gives a command an option that is any word, and can stand without one. The function tells words that
// cannot be its value.
func AddWord(f *pflag.FlagSet, to *Word, name string, never func(word string) bool, meaning string) {
	to.never = never
	f.Var(to, name, meaning)
	Bare(f, name, alone)
}

// Alone reports whether the option stands without a word.
func (w *Word) Alone() bool { return w.words == alone }

// String implements [pflag.Value].
func (w *Word) String() string { return strings.TrimPrefix(w.words, alone) }

// Type implements [pflag.Value].
func (*Word) Type() string { return "string" }

// Set implements [pflag.Value].
func (w *Word) Set(words string) error {
	w.words = words
	return nil
}

// takes implements bare.
func (w *Word) takes(word string) bool { return !w.never(word) }

// Joined is the command line with each value of an option that can stand without one joined to it, as the
// library of options wants it: --hidden show becomes --hidden=show, and --hidden notes stays as it is.
func Joined(f *pflag.FlagSet, args []string) []string {
	var joined []string
	for i := 0; i < len(args); i++ {
		arg := args[i]
		if arg == "--" {
			return append(joined, args[i:]...)
		}
		joined = append(joined, arg)
		option, more := following(f, arg)
		if option == nil || i+1 == len(args) {
			continue
		}
		next := args[i+1]
		value, is := option.Value.(bare)
		switch {
		case option.NoOptDefVal == "":
			joined = append(joined, next)
		case !is || !more || strings.HasPrefix(next, "-") || !value.takes(next):
			continue
		default:
			joined[len(joined)-1] += "=" + next
		}
		i++
	}
	return joined
}

// following is the option that a word is, if the next word may be its value, and whether it has the name of
// the option in full.
func following(f *pflag.FlagSet, arg string) (option *pflag.Flag, long bool) {
	if name, is := strings.CutPrefix(arg, "--"); is {
		if strings.Contains(name, "=") {
			return nil, true
		}
		return f.Lookup(name), true
	}
	letters, is := strings.CutPrefix(arg, "-")
	if !is {
		return nil, false
	}
	for i, letter := range letters {
		if letter > 127 {
			return nil, false
		}
		option := f.ShorthandLookup(string(letter))
		if option == nil || option.NoOptDefVal == "" {
			if i < len(letters)-1 { // what follows is its value
				return nil, false
			}
			return option, false
		}
	}
	return nil, false
}

// TakesNext reports whether the last word of a command line is an option that can stand without a value, and one
// of its values begins with what was typed after it.
func TakesNext(f *pflag.FlagSet, args []string, typed string) bool {
	if len(args) == 0 || slices.Contains(args, "--") {
		return false
	}
	option, long := following(f, args[len(args)-1])
	if option == nil || !long {
		return false
	}
	choice, is := option.Value.(*Choice)
	return is && option.NoOptDefVal != "" && slices.ContainsFunc(choice.words, func(word string) bool { return strings.HasPrefix(word, typed) })
}
