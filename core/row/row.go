// Package row says what an answer is made of: rows of any type, and columns that tell
// what there is to know of each.
//
// A command has a small struct for what it answers (a folder's total, a group, a
// difference, …) and a list of columns over it. A format knows columns and their
// values, and never a command.
package row

import "strconv"

// Type is what kind of value a column has.
type Type uint8

const (
	Text      Type = iota
	Number         // a number that stands for something, such as an id
	Count          // a number of things
	Bytes          // a number of bytes
	Time           // a point in time
	Span           // a length of time, in whole seconds
	Mode           // permission bits
	Flag           // so or not so
	Share          // a part of a whole, in millionths of it
	Bar            // a share to be drawn
	JSON           // a value that is written in JSON already
	Rows           // rows of their own
	Digits         // text of hexadecimal digits, shown to people in groups
	MoreBytes      // how many bytes more, or less
	MoreCount      // how many more, or fewer
)

var typeWords = [...]string{"text", "number", "number", "bytes", "time", "length of time", "permissions", "yes or no", "share", "bar", "JSON", "rows", "digits", "bytes more or less", "more or fewer"}

func (t Type) String() string { return typeWords[t] }

// IsNumber reports whether values of the type are numbers, to be written one under the other.
func (t Type) IsNumber() bool {
	switch t {
	case Number, Count, Bytes, Span, Mode, Share, MoreBytes, MoreCount:
		return true
	}
	return false
}

// Readers are those for whom something is written.
type Readers uint8

const (
	Screen Readers = 1 << iota // people at a screen, where rows may stand under headings
	Page                       // people, in a table that stands by itself
	Flat                       // programs that take one value a column
	Nested                     // programs that take values within values

	People   = Screen | Page
	Programs = Flat | Nested
	Everyone = People | Programs
)

// Look is how a value is shown by more than words: by the kind of its entry, or as a warning.
type Look uint8

const (
	Plain Look = iota
	Folder
	Link
	Program // a file that may be run
	Special // a pipe, a socket, a device
	Warning // what is refused, missing, different, or goes for good
)

// Mark says what a number is, where it is no plain one.
type Mark uint8

const (
	NoMark  Mark = iota
	AtLeast      // it may be more
	Sum          // it adds up other rows
)

// Column is one thing that can be known of rows of type R. Which of its functions
// applies depends on its type: AppendText for Text, JSON and Digits, Flag for Flag,
// Moment for Time, Rows for Rows, Number for the others. Each says whether the row has
// a value at all.
type Column[R any] struct {
	Name    string
	Meaning string // one line
	Type    Type
	traits

	text   func(dst []byte, r R) ([]byte, bool)
	whole  func(r R) (string, bool) // the same text, where it is there in one piece
	number func(r R) (int64, bool)
	moment func(r R) (Moment, bool)
	flag   func(r R) (bool, bool)
	rows   func(r R) []any
	look   func(r R) Look
	total  func(r R) bool
	mark   func(r R) Mark
	alike  func(r R) (of Likeness, end string, ok bool)

	instead func(r R) string
}

// Likeness is what rows have in common whose texts in a column are the same, but for their ends.
type Likeness struct {
	Thing  any // a pointer
	Number uint64
}

// traits are what is the same of a column whatever type its rows have.
type traits struct {
	readers Readers
	blank   bool
	omitted bool
	shrinks bool
	anyRow  bool
	kept    bool
	inside  []Column[any] // of type Rows
}

// AppendColumn makes a column of type Text from a function that appends it. If there is
// no value it returns dst and false.
func AppendColumn[R any](name, meaning string, get func(dst []byte, r R) ([]byte, bool)) Column[R] {
	return Column[R]{Name: name, Meaning: meaning, traits: traits{readers: Everyone}, text: get}
}

// TextColumn makes a column of type Text.
func TextColumn[R any](name, meaning string, get func(r R) (string, bool)) Column[R] {
	c := AppendColumn(name, meaning, func(dst []byte, r R) ([]byte, bool) {
		value, ok := get(r)
		return append(dst, value...), ok
	})
	c.whole = get
	return c
}

// DigitsColumn makes a column of type Digits.
func DigitsColumn[R any](name, meaning string, get func(r R) (string, bool)) Column[R] {
	c := TextColumn(name, meaning, get)
	c.Type = Digits
	return c
}

// JSONColumn makes a column of type JSON, for programs that can take it.
func JSONColumn[R any](name, meaning string, get func(r R) string) Column[R] {
	c := TextColumn(name, meaning, func(r R) (string, bool) { return get(r), true })
	c.Type, c.readers = JSON, Nested
	return c
}

// TextsColumn makes a column of lists of words, for programs that can take it: they are given it
// only of rows with any.
func TextsColumn[R any](name, meaning string, get func(r R) []string) Column[R] {
	c := AppendColumn(name, meaning, func(dst []byte, r R) ([]byte, bool) {
		words := get(r)
		for i, word := range words {
			dst = append(dst, "[,"[min(i, 1)])
			dst = strconv.AppendQuote(dst, word)
		}
		if len(words) > 0 {
			dst = append(dst, ']')
		}
		return dst, len(words) > 0
	})
	c.Type, c.readers, c.omitted = JSON, Nested, true
	return c
}

// NumberColumn makes a column of one of the types that are numbers.
func NumberColumn[R any](name, meaning string, t Type, get func(r R) (int64, bool)) Column[R] {
	return Column[R]{Name: name, Meaning: meaning, Type: t, traits: traits{readers: Everyone}, number: get}
}

// TimeColumn makes a column of type Time.
func TimeColumn[R any](name, meaning string, get func(r R) (Moment, bool)) Column[R] {
	return Column[R]{Name: name, Meaning: meaning, Type: Time, traits: traits{readers: Everyone}, moment: get}
}

// FlagColumn makes a column of type Flag.
func FlagColumn[R any](name, meaning string, get func(r R) (bool, bool)) Column[R] {
	return Column[R]{Name: name, Meaning: meaning, Type: Flag, traits: traits{readers: Everyone}, flag: get}
}

// RowsColumn makes a column of type Rows, with columns of their own, for programs that
// can take it.
func RowsColumn[R, S any](name, meaning string, inside []Column[S], get func(r R) []S) Column[R] {
	c := Column[R]{Name: name, Meaning: meaning, Type: Rows, traits: traits{readers: Nested}, rows: func(r R) (rows []any) {
		for _, s := range get(r) {
			rows = append(rows, s)
		}
		return rows
	}}
	for _, column := range Choose(inside, Nested) {
		c.inside = append(c.inside, Through(column, func(s any) S { return s.(S) }))
	}
	return c
}

// Through makes a column of what rows have in them.
func Through[R, S any](c Column[S], get func(r R) S) Column[R] {
	through := Column[R]{Name: c.Name, Meaning: c.Meaning, Type: c.Type, traits: c.traits}
	if c.text != nil {
		through.text = func(dst []byte, r R) ([]byte, bool) { return c.text(dst, get(r)) }
	}
	if c.whole != nil {
		through.whole = func(r R) (string, bool) { return c.whole(get(r)) }
	}
	if c.number != nil {
		through.number = func(r R) (int64, bool) { return c.number(get(r)) }
	}
	if c.moment != nil {
		through.moment = func(r R) (Moment, bool) { return c.moment(get(r)) }
	}
	if c.flag != nil {
		through.flag = func(r R) (bool, bool) { return c.flag(get(r)) }
	}
	if c.rows != nil {
		through.rows = func(r R) []any { return c.rows(get(r)) }
	}
	if c.look != nil {
		through.look = func(r R) Look { return c.look(get(r)) }
	}
	if c.total != nil {
		through.total = func(r R) bool { return c.total(get(r)) }
	}
	if c.instead != nil {
		through.instead = func(r R) string { return c.instead(get(r)) }
	}
	if c.mark != nil {
		through.mark = func(r R) Mark { return c.mark(get(r)) }
	}
	if c.alike != nil {
		through.alike = func(r R) (Likeness, string, bool) { return c.alike(get(r)) }
	}
	return through
}

// AllThrough makes columns of what rows have in them.
func AllThrough[R, S any](columns []Column[S], get func(r R) S) (through []Column[R]) {
	for _, c := range columns {
		through = append(through, Through(c, get))
	}
	return through
}

// For returns the column for these readers alone.
func (c Column[R]) For(readers Readers) Column[R] {
	c.readers = readers
	return c
}

// Called returns the column under another name.
func (c Column[R]) Called(name string) Column[R] {
	c.Name = name
	return c
}

// LeftBlank returns the column with nothing at all shown to people where there is no
// value, and not a mark for that.
func (c Column[R]) LeftBlank() Column[R] {
	c.blank = true
	return c
}

// Shrinking returns the column as one that is shortened where there is little room: its
// ends tell more than its middle.
func (c Column[R]) Shrinking() Column[R] {
	c.shrinks = true
	return c
}

// Looking returns the column with what its rows stand for.
func (c Column[R]) Looking(look func(r R) Look) Column[R] {
	c.look = look
	return c
}

// Totalling returns the column with which rows add up those below them.
func (c Column[R]) Totalling(total func(r R) bool) Column[R] {
	c.total = total
	return c
}

// AtLeast returns the column with when its number is only the least that it can be.
func (c Column[R]) AtLeast(least func(r R) bool) Column[R] {
	return c.Marked(func(r R) Mark {
		if least(r) {
			return AtLeast
		}
		return NoMark
	})
}

// Marked returns the column with what its numbers are.
func (c Column[R]) Marked(mark func(r R) Mark) Column[R] {
	c.mark = mark
	return c
}

// Alike returns the column with which rows have the same text, but for its end, so that it need not
// be made to know how long it is.
func (c Column[R]) Alike(alike func(r R) (of Likeness, end string, ok bool)) Column[R] {
	c.alike = alike
	return c
}

// Likeness returns what a row has in common with others and how its text ends, if that is known.
func (c *Column[R]) Likeness(r R) (of Likeness, end string, ok bool) {
	if c.alike == nil {
		return of, "", false
	}
	return c.alike(r)
}

// Shown makes two columns of one: people are shown the second.
func (c Column[R]) Shown(toPeople Column[R]) []Column[R] {
	return []Column[R]{c.For(c.readers & Programs), toPeople.For(c.readers & People)}
}

// Instead returns the column with words that people are shown where there is no value; ""
// for none.
func (c Column[R]) Instead(words func(r R) string) Column[R] {
	c.instead = words
	return c
}

// IfAny returns the column as one that people are shown only if some row has a value.
func (c Column[R]) IfAny() Column[R] {
	c.anyRow = true
	return c
}

// Kept returns the column as one that is never left out for want of room: the answer is
// nothing without it.
func (c Column[R]) Kept() Column[R] {
	c.kept = true
	return c
}

// AppendText appends the value of a column of type Text, JSON or Digits.
func (c *Column[R]) AppendText(dst []byte, r R) ([]byte, bool) { return c.text(dst, r) }

// Text returns the same.
func (c *Column[R]) Text(r R) (string, bool) {
	if c.whole != nil {
		return c.whole(r)
	}
	text, ok := c.text(nil, r)
	return string(text), ok
}

// Number returns the value of a column whose type is a number. Those of Number are to
// be read as unsigned.
func (c *Column[R]) Number(r R) (int64, bool) { return c.number(r) }

// Moment returns the value of a column of type Time.
func (c *Column[R]) Moment(r R) (Moment, bool) { return c.moment(r) }

// Flag returns the value of a column of type Flag.
func (c *Column[R]) Flag(r R) (bool, bool) { return c.flag(r) }

// Rows returns the rows of a column of that type, and their columns.
func (c *Column[R]) Rows(r R) (rows []any, columns []Column[any]) { return c.rows(r), c.inside }

// Mark returns what the number is.
func (c *Column[R]) Mark(r R) Mark {
	if c.mark == nil {
		return NoMark
	}
	return c.mark(r)
}

// Look returns what the value stands for.
func (c *Column[R]) Look(r R) Look {
	if c.look == nil {
		return Plain
	}
	return c.look(r)
}

// IsTotal reports whether the row adds up those below it.
func (c *Column[R]) IsTotal(r R) bool { return c.total != nil && c.total(r) }

// Blank reports whether nothing at all is shown to people where there is no value.
func (c *Column[R]) Blank() bool { return c.blank }

// IsOmitted reports whether programs are not given the column at all of rows without a value.
func (c *Column[R]) IsOmitted() bool { return c.omitted }

// Words returns what people are shown where there is no value; "" for nothing else.
func (c *Column[R]) Words(r R) string {
	if c.instead == nil {
		return ""
	}
	return c.instead(r)
}

// NeedsAny reports whether people are shown the column only if some row has a value.
func (c *Column[R]) NeedsAny() bool { return c.anyRow }

// IsKept reports whether the column is never left out for want of room.
func (c *Column[R]) IsKept() bool { return c.kept }

// Shrinks reports whether the column is shortened where there is little room.
func (c *Column[R]) Shrinks() bool { return c.shrinks }

// Choose returns the columns that are for a kind of reader.
func Choose[R any](columns []Column[R], reader Readers) (chosen []Column[R]) {
	for _, c := range columns {
		if c.readers&reader != 0 {
			chosen = append(chosen, c)
		}
	}
	return chosen
}

// Only returns the columns for some of their readers alone.
func Only[R any](columns []Column[R], readers Readers) (only []Column[R]) {
	for _, c := range columns {
		only = append(only, c.For(c.readers&readers))
	}
	return only
}

// Named returns the column of that name that programs are given, or nil.
func Named[R any](columns []Column[R], name string) *Column[R] {
	for i := range columns {
		if columns[i].Name == name && columns[i].readers&Programs != 0 {
			return &columns[i]
		}
	}
	return nil
}

// Source are rows in the order they are to be written in. At may be called from several
// goroutines.
type Source[R any] interface {
	Len() int
	At(i int) R
}

// Scattered are rows that may also be looked at in the order in which they lie in memory, which is
// faster where order does not matter.
type Scattered[R any] interface {
	Source[R]
	// Each calls a function for the rows of one of several parts, numbered from 0. Parts may be looked at
	// side by side.
	Each(part, parts int, do func(R))
}

// List are rows that are all there.
type List[R any] []R

// Len implements Source.
func (l List[R]) Len() int { return len(l) }

// At implements Source.
func (l List[R]) At(i int) R { return l[i] }
