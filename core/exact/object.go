package exact

import "strconv"

// Object writes an object, member by member, to the end of what is in Dst.
type Object struct {
	Dst  []byte
	more bool // there is a member already
	line bool // the next begins on a line of its own
}

// Line has the next member begin on a line of its own.
func (o *Object) Line() { o.line = true }

// Begin begins an object.
func Begin(dst []byte) *Object { return &Object{Dst: append(dst, '{')} }

// Reopen takes an object that was ended for one that goes on.
func Reopen(dst []byte) *Object { return &Object{Dst: dst[:len(dst)-1], more: true} }

// End ends it and returns all that was written.
func (o *Object) End() []byte { return append(o.Dst, '}') }

// Key begins a member: its value is what is appended to Dst next.
func (o *Object) Key(key string) {
	if o.more {
		o.Dst = append(o.Dst, ',')
	}
	if o.line {
		o.Dst = append(o.Dst, '\n')
	}
	o.more, o.line = true, false
	o.Dst = append(append(append(o.Dst, '"'), key...), `":`...)
}

// Text writes text and, if that is not UTF-8, its exact bytes beside it.
func (o *Object) Text(key, text string) {
	o.Key(key)
	o.Dst = AppendBeside(AppendText(o.Dst, text), key, text)
}

// MaybeText writes text, or null if there is none.
func (o *Object) MaybeText(key, text string) {
	if text == "" {
		o.Null(key)
		return
	}
	o.Text(key, text)
}

// Texts writes a list of text.
func (o *Object) Texts(key string, list []string) {
	o.Key(key)
	o.Dst = appendTexts(o.Dst, key, list)
}

// Number writes a whole number.
func (o *Object) Number(key string, n int64) {
	o.Key(key)
	o.Dst = strconv.AppendInt(o.Dst, n, 10)
}

// MaybeNumber writes a whole number, or null if it is not known.
func (o *Object) MaybeNumber(key string, n int64, known bool) {
	if !known {
		o.Null(key)
		return
	}
	o.Number(key, n)
}

// Bool writes a truth value.
func (o *Object) Bool(key string, is bool) {
	o.Key(key)
	o.Dst = strconv.AppendBool(o.Dst, is)
}

// Null writes a null.
func (o *Object) Null(key string) {
	o.Key(key)
	o.Dst = append(o.Dst, "null"...)
}

// Object writes an object within, whose members are written by the function.
func (o *Object) Object(key string, members func(*Object)) {
	o.Key(key)
	inside := Begin(o.Dst)
	members(inside)
	o.Dst = inside.End()
}

// Objects writes a list of so many objects, whose members are written by the function.
// Before each stands what is given, if not nothing: a line break.
func (o *Object) Objects(key string, count int, before string, members func(o *Object, i int)) {
	o.Key(key)
	o.Dst = append(o.Dst, '[')
	for i := range count {
		if i > 0 {
			o.Dst = append(o.Dst, ',')
		}
		inside := Begin(append(o.Dst, before...))
		members(inside, i)
		o.Dst = inside.End()
	}
	o.Dst = append(o.Dst, ']')
}
