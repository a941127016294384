package suggest

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"frankledger/cli/usage"
	"frankledger/core/condition"
	"frankledger/core/ledger"
	"frankledger/core/text"
	"frankledger/render/typeset"
)

// What people are likely to type in other words is answered with what works when it is
// pasted. The words are in synonyms.go.

// ForgiveCommand returns the command line with a command for another word; nil if none is
// known.
func (a Args) ForgiveCommand(word string) []string {
	with, known := OtherCommands()[strings.ToLower(word)]
	if !known {
		return nil
	}
	return a.Instead(word, with...)
}

// WithoutLetter is the command line without an option that was written as a letter.
func (a Args) WithoutLetter(letter, option string) []string {
	w := &writtenOption{count: 1}
	if w.at, _, _ = a.OptionAt("-" + letter); w.at >= 0 && a[w.at] == "-"+letter && option != "match-case" {
		w.take(a)
	}
	return a.Spliced(w.at, w.count, nil)
}

// OurLetters are the letters of options, where a command has these.
var OurLetters = map[string]string{"a": "as", "c": "columns", "d": "depth", "f": "first", "k": "skip", "m": "match-case", "o": "order", "t": "to"}

// LongWithOneDash returns the word of an option of several letters that was written with
// one dash, of which the first letter is no option; "" if there is none that is known.
func (a Args) LongWithOneDash(letter string) string {
	for _, arg := range a {
		word, is := strings.CutPrefix(arg, "-"+letter)
		word, _, _ = strings.Cut(letter+word, "=")
		if is && len(word) > 1 && (otherOptions()[word] != nil || otherTests()[word] != nil || slices.Contains(slices.Collect(maps.Values(OurLetters)), word)) {
			return word
		}
	}
	return ""
}

// OptionAt returns where an option stands on the command line, and the value that it has
// after a =.
func (a Args) OptionAt(option string) (at int, value string, has bool) {
	for i, arg := range a {
		if arg == option || !strings.HasPrefix(option, "--") && strings.HasPrefix(arg, option) {
			return i, "", false
		}
		if value, is := strings.CutPrefix(arg, option+"="); is {
			return i, value, true
		}
	}
	return -1, "", false
}

// Spliced returns the command line with other words in the place of some; nil if there
// are none.
func (a Args) Spliced(at, count int, with []string) []string {
	if at < 0 {
		return nil
	}
	return slices.Concat(a[:at], with, a[at+count:])
}

// writtenOption is an option as it stands on the command line.
type writtenOption struct {
	at, count int // the words it takes there
	value     string
	has       bool // a value, after a =
}

// take makes the next word its value, if it has none and there is one.
func (w *writtenOption) take(args []string) bool {
	if !w.has && w.at+1 < len(args) && !strings.HasPrefix(args[w.at+1], "-") {
		w.value, w.has, w.count = args[w.at+1], true, 2
	}
	return w.has
}

// OtherOption returns the command line with our words for an option; nil if none is known.
func (a Args) OtherOption(cmd *cobra.Command, dashes, name, long string) []string {
	w := &writtenOption{count: 1}
	if w.at, w.value, w.has = a.OptionAt(dashes + name); w.at < 0 {
		return nil
	}
	with, known := otherOptions()[long]
	if !known || len(with) > 0 && cmd.Flags().Lookup(strings.TrimPrefix(with[0], "--")) == nil {
		return a.otherTest(cmd, w, long)
	}
	with = slices.Clone(with)
	if i := slices.Index(with, "{}"); i >= 0 {
		if !w.take(a) {
			return nil
		}
		with[i] = w.value
		if ours := otherWords()[strings.TrimPrefix(with[0], "--")+" "+strings.ToLower(strings.TrimLeft(w.value, "-+"))]; ours != nil {
			with[i] = ours[0]
		}
	}
	return a.Spliced(w.at, w.count, with)
}

// IsValue reports whether a word is likely meant as a value of an option, though it is none.
func IsValue(option, word string, words []string) bool { return valueOf(option, word, words) != "" }

// OtherLine is a line of another command, for an option that means that; nil if none is known. The words after the
// option are those of the other command.
func (a Args) OtherLine(command, option string) []string {
	with, known := otherLines()[command+" "+option]
	at, value, has := a.OptionAt(option)
	if !known || at < 0 {
		return nil
	}
	if has {
		with = append(slices.Clip(with), value)
	}
	return slices.Concat(with, a[1:at], a[at+1:])
}

// valueOf puts a value of an option in our words; "" if none is like it.
func valueOf(option, value string, words []string) string {
	lower := strings.ToLower(strings.TrimLeft(value, "-+"))
	if ours := otherWords()[option+" "+lower]; ours != nil && slices.Contains(words, ours[0]) {
		return ours[0]
	}
	if n := slices.Index(numbers, lower); n > 0 && option == "depth" {
		return strconv.Itoa(n)
	}
	if len(value) < 3 { // anything is near it
		return ""
	}
	return text.Nearest(value, words)
}

// OtherValues are the command line with our words for values of an option that are none.
func (a Args) OtherValues(cmd *cobra.Command, option, value string) (lines [][]string) {
	for i, arg := range a { // the letter was taken for an option, and the rest for its value
		word, _, _ := strings.Cut(strings.TrimLeft(arg, "-"), "=")
		if len(word) > 1 && strings.HasPrefix(arg, "-") && !strings.HasPrefix(arg, "--") && cmd.Flags().Lookup(word) != nil {
			return [][]string{a.Spliced(i, 1, []string{"-" + arg})}
		}
	}
	f := cmd.Flags().Lookup(option)
	if f == nil || !f.Changed && value == "" {
		return nil
	}
	if value == "" {
		value = f.Value.String()
	}
	words, has := cmd.GetFlagCompletionFunc(f.Name)
	if !has {
		return nil
	}
	known, _ := words(cmd, nil, "")
	parts := strings.Split(value, ",")
	changed := false
	for i, part := range parts {
		if slices.Contains(known, part) {
			continue
		}
		if meant := valueOf(f.Name, part, known); meant != "" {
			parts[i], changed = meant, true
		}
	}
	if changed {
		lines = append(lines, a.withValue(value, strings.Join(parts, ",")))
	}
	return slices.DeleteFunc(lines, func(line []string) bool { return line == nil })
}

// OtherFiles are the command line with what is near a file that is not there, or a record.
func (a Args) OtherFiles(labels func() []string, err error) (lines [][]string) {
	var missing *fs.PathError
	for _, arg := range a {
		label, isRecord := strings.CutPrefix(arg, usage.RecordMark)
		file, isList := strings.CutPrefix(arg, usage.ListMark)
		switch {
		case isRecord && !isList && errors.Is(err, ledger.ErrLabel):
			if end := strings.IndexAny(label, ":@/"); end >= 0 { // which record, of which machine, and what in it stays as it is
				label = label[:end]
			}
			if near := text.Nearest(label, labels()); near != "" && near != label {
				lines = append(lines, a.Instead(arg, usage.RecordMark+near+arg[len(usage.RecordMark)+len(label):]))
			}
		case !errors.As(err, &missing) || !errors.Is(err, fs.ErrNotExist) || strings.HasPrefix(arg, "-") || filepath.Clean(missing.Path) != filepath.Clean(file):
		default:
			if _, there := os.Lstat(file); there == nil {
				continue
			}
			if near := nearPlace(file); near != "" {
				lines = append(lines, a.Instead(arg, arg[:len(arg)-len(file)]+near))
			}
		}
	}
	return lines
}

// kindLetters are letters for kinds.
var kindLetters = map[string]string{"f": "file", "d": "folder", "l": "link"}

// otherTest returns the command line with a condition for an option; nil if none is known.
func (a Args) otherTest(cmd *cobra.Command, w *writtenOption, long string) []string {
	test, known := otherTests()[long]
	if !known || cmd.ValidArgsFunction == nil || cmd.Name() == "own" && (test[0] == "owner" || test[0] == "group") { // it is what is to become
		return nil
	}
	test = slices.Clone(test)
	if i := slices.Index(test, "{}"); i >= 0 {
		if !w.take(a) {
			return nil
		}
		test[i] = w.value
		if kind := kindLetters[w.value]; kind != "" && test[0] == "kind" {
			test[i] = kind
		}
	}
	rest, join := a.Spliced(w.at, w.count, nil), usage.Where
	if slices.Contains(rest, usage.Where) {
		join = "and"
	}
	return slices.Concat(rest, []string{join}, test)
}

var numbers = []string{"zero", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"}

// InvalidValue says that an option takes another kind of value.
func (a Args) InvalidValue(e *pflag.InvalidValueError) error {
	f, value := e.GetFlag(), e.GetValue()
	kind := "another kind of value"
	switch f.Value.Type() {
	case "int":
		kind = "a whole number"
	case "bool":
		kind = "no value"
	case "duration":
		kind = "a time such as 30s or 5m"
	}
	err := usage.Misuse("--%s takes %s, not %q", f.Name, kind, value)
	if f.Value.Type() != "int" {
		return err
	}
	if n := slices.Index(numbers, strings.ToLower(value)); n > 0 {
		return usage.Repaired(err, a.withValue(value, strconv.Itoa(n)))
	}
	if digits := regexp.MustCompile(`^\d+`).FindString(value); digits != "" && digits != "0" {
		return usage.Repaired(err, a.withValue(value, digits))
	}
	return err
}

// withValue is the command line with another value of an option.
func (a Args) withValue(value, with string) []string {
	for i, arg := range a {
		if arg == value {
			return a.Spliced(i, 1, []string{with})
		}
		if option, is := strings.CutSuffix(arg, "="+value); is {
			return a.Spliced(i, 1, []string{option + "=" + with})
		}
	}
	return nil
}

// notThere says what is not there.
type notThere string

func (text notThere) Error() string        { return string(text) }
func (text notThere) Is(target error) bool { return target == fs.ErrNotExist }

// MissingPlaces says that there are no such places, and what may have been meant: names
// like them, or a condition without where.
func (a Args) MissingPlaces(given, missing []string) error {
	text := strings.Join(missing, "; ")
	if len(given) == 1 && !strings.ContainsAny(given[0], "/@") {
		line := []string{"search", given[0]}
		if strings.HasPrefix(given[0], "-") {
			line = slices.Insert(line, 1, "--")
		}
		text += " (" + usage.CommandLine(line) + " looks for it in names)"
	}
	err := usage.Misuse("nothing to look at: %w", notThere(text))
	if line := a.WithoutWhere(given); line != nil {
		return usage.Repaired(err, line)
	}
	for _, place := range given {
		if near := nearPlace(place); near != "" {
			err = usage.Repaired(err, a.Instead(place, near))
		}
	}
	for i := range given[1:] { // a name with spaces, without its quotes
		name := given[i] + " " + given[i+1]
		if _, there := os.Lstat(name); there == nil {
			err = usage.Repaired(err, a.joined(given[i], given[i+1]))
		}
	}
	return err
}

// joined is the command line with two words that stand next to one another as one; nil if they do not.
func (a Args) joined(one, other string) []string {
	for i := range a[1:] {
		if a[i] == one && a[i+1] == other {
			return a.Spliced(i, 2, []string{one + " " + other})
		}
	}
	return nil
}

// WithoutWhere is the command line with where before the last of some places, if these are
// a condition and no places; nil if not.
func (a Args) WithoutWhere(given []string) []string {
	for i, word := range given {
		if _, err := os.Lstat(word); err == nil {
			continue
		}
		words := given[i:]
		if len(words) < 2 && !strings.Contains(word, " ") {
			return nil
		}
		if _, wrong := condition.Parse(words); wrong != nil {
			return nil
		}
		if at := slices.Index(a, word); at >= 0 {
			return slices.Concat(a[:at], []string{usage.Where}, a[at:])
		}
	}
	return nil
}

// nearPlace returns a path that is like one that leads to nothing, and leads to something:
// a name in it is like one that is there. "" if there is none.
func nearPlace(place string) string {
	names := strings.Split(filepath.Clean(place), "/")
	for i := range names {
		if _, err := os.Lstat(strings.Join(names[:i+1], "/") + "/."); i < len(names)-1 && (err == nil || names[i] == "") {
			continue
		}
		in := strings.Join(names[:i], "/")
		list, err := os.ReadDir(cmp.Or(in+map[bool]string{true: "/"}[i > 0], "."))
		if err != nil {
			return ""
		}
		var there []string
		for _, d := range list {
			there = append(there, d.Name())
		}
		near := text.Nearest(names[i], there)
		if near == "" {
			return ""
		}
		names[i] = near
		path := strings.Join(names, "/")
		if _, err := os.Lstat(path); err == nil {
			return path
		}
	}
	return ""
}

// redirected returns what the shell took for the name of a file, as in: size > 10MB. The
// standard output goes to that file then.
func redirected() string {
	to, err := os.Readlink(fmt.Sprintf("/proc/%d/fd/1", os.Getpid()))
	if info, statErr := os.Stat(to); err != nil || statErr != nil || !info.Mode().IsRegular() || info.Size() > 0 {
		return ""
	}
	return filepath.Base(to)
}

// Swallowed says, of a condition that ends too early, that the shell took a > in it for
// a redirection.
func (a Args) Swallowed(words []string) error {
	value := redirected()
	if value == "" || len(words) == 0 {
		return nil
	}
	repair := slices.Concat(words, []string{"over", value})
	if _, err := condition.Parse(repair); err != nil {
		return nil
	}
	return usage.Repaired(usage.Misuse("the shell took > as a redirection, and made a file %s; write over instead", typeset.Escaped(value)), a.WithCondition(repair))
}
