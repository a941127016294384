package exact

import (
	"bytes"
	"cmp"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// Append appends a value as encoding/json would write it by the tags of its fields, with
// text exact. It can be of truth values, whole numbers, text, moments, and of structures,
// pointers, lists and maps of these; others are a slip in the program.
func Append(dst []byte, value any) []byte {
	v := reflect.ValueOf(value)
	return writerOf(v.Type())(dst, "", v)
}

// writer appends a value that is a member under that key.
type writer func(dst []byte, key string, v reflect.Value) []byte

var writers sync.Map // of reflect.Type

func writerOf(t reflect.Type) writer {
	if w, known := writers.Load(t); known {
		return w.(writer)
	}
	w := newWriter(t)
	writers.Store(t, w)
	return w
}

var (
	typeOfText = reflect.TypeFor[Text]()
	typeOfTime = reflect.TypeFor[Time]()
)

func newWriter(t reflect.Type) writer {
	switch {
	case t == typeOfText:
		return func(dst []byte, key string, v reflect.Value) []byte {
			text := v.String()
			start := len(dst)
			return EndText(append(append(dst, '"'), text...), start, key)
		}
	case t == typeOfTime:
		return func(dst []byte, _ string, v reflect.Value) []byte {
			if v.CanAddr() {
				return v.Addr().Interface().(*Time).append(dst)
			}
			return v.Interface().(Time).append(dst)
		}
	}
	switch t.Kind() {
	case reflect.String:
		return func(dst []byte, _ string, v reflect.Value) []byte { return AppendText(dst, v.String()) }
	case reflect.Bool:
		return func(dst []byte, _ string, v reflect.Value) []byte { return strconv.AppendBool(dst, v.Bool()) }
	case reflect.Int, reflect.Int64:
		return func(dst []byte, _ string, v reflect.Value) []byte { return strconv.AppendInt(dst, v.Int(), 10) }
	case reflect.Uint32, reflect.Uint64:
		return func(dst []byte, _ string, v reflect.Value) []byte { return strconv.AppendUint(dst, v.Uint(), 10) }
	case reflect.Pointer:
		inside := writerOf(t.Elem())
		return func(dst []byte, key string, v reflect.Value) []byte {
			if v.IsNil() {
				return append(dst, "null"...)
			}
			return inside(dst, key, v.Elem())
		}
	case reflect.Slice:
		if t.Elem() == typeOfText {
			return func(dst []byte, key string, v reflect.Value) []byte {
				return appendTexts(dst, key, v.Interface().([]Text))
			}
		}
		return listWriter(writerOf(t.Elem()))
	case reflect.Map:
		return mapWriter(t)
	case reflect.Struct:
		return structWriter(t)
	}
	panic("exact: there is no form for " + t.String())
}

func listWriter(inside writer) writer {
	return func(dst []byte, _ string, v reflect.Value) []byte {
		if v.IsNil() {
			return append(dst, "null"...)
		}
		dst = append(dst, '[')
		for i := range v.Len() {
			if i > 0 {
				dst = append(dst, ',')
			}
			dst = inside(dst, "", v.Index(i))
		}
		return append(dst, ']')
	}
}

// mapWriter writes the members of a map in order of their keys.
func mapWriter(t reflect.Type) writer {
	inside := writerOf(t.Elem())
	return func(dst []byte, _ string, v reflect.Value) []byte {
		type member struct {
			key   string
			value reflect.Value
		}
		var members []member
		for each := v.MapRange(); each.Next(); {
			members = append(members, member{fmt.Sprint(each.Key().Interface()), each.Value()})
		}
		slices.SortFunc(members, func(a, b member) int { return cmp.Compare(a.key, b.key) })
		dst = append(dst, '{')
		for i, m := range members {
			if i > 0 {
				dst = append(dst, ',')
			}
			dst = inside(append(AppendText(dst, m.key), ':'), m.key, m.value)
		}
		return append(dst, '}')
	}
}

// field is a field of a structure, or of one that it embeds.
type field struct {
	index     []int
	key, head string // the head is the key as it is written
	empty     bool   // it is left out where it is empty
	zero      bool   // likewise where it is zero
	write     writer
}

func structWriter(t reflect.Type) writer {
	var fields []field
	for _, f := range fieldsOf(t) {
		f.write = writerOf(t.FieldByIndex(f.index).Type)
		fields = append(fields, f)
	}
	return func(dst []byte, _ string, v reflect.Value) []byte {
		dst = append(dst, '{')
		first := len(dst)
		for i := range fields {
			f := &fields[i]
			value := v.Field(f.index[0])
			if len(f.index) > 1 {
				value = value.FieldByIndex(f.index[1:])
			}
			if f.empty && isEmpty(value) || f.zero && value.IsZero() {
				continue
			}
			if len(dst) > first {
				dst = append(dst, ',')
			}
			dst = f.write(append(dst, f.head...), f.key, value)
		}
		return append(dst, '}')
	}
}

// fieldsOf returns the fields that are members in JSON, by their tags.
func fieldsOf(t reflect.Type) (fields []field) {
	for i := range t.NumField() {
		f := t.Field(i)
		key, options, _ := strings.Cut(f.Tag.Get("json"), ",")
		switch {
		case f.Anonymous && key == "":
			for _, inside := range fieldsOf(f.Type) {
				inside.index = append([]int{i}, inside.index...)
				fields = append(fields, inside)
			}
		case key == "-" || !f.IsExported():
		default:
			fields = append(fields, field{index: []int{i}, key: key, head: `"` + key + `":`, empty: options == "omitempty", zero: options == "omitzero"})
		}
	}
	return fields
}

// isEmpty reports whether a value is empty as encoding/json has it.
func isEmpty(v reflect.Value) bool {
	switch v.Kind() {
	case reflect.String, reflect.Slice, reflect.Map:
		return v.Len() == 0
	case reflect.Pointer:
		return v.IsNil()
	case reflect.Struct:
		return false
	}
	return v.IsZero()
}

// Unmarshal reads a value as encoding/json does, and text exactly.
func Unmarshal(data []byte, value any) error {
	err := json.Unmarshal(data, value)
	if err == nil && bytes.Contains(data, []byte(inBase64+`"`)) {
		err = readBeside(data, reflect.ValueOf(value).Elem())
	}
	return err
}

// readBeside looks for the exact bytes that stand beside text.
func readBeside(data []byte, v reflect.Value) error {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			return readBeside(data, v.Elem())
		}
	case reflect.Slice:
		var list []json.RawMessage
		if json.Unmarshal(data, &list) != nil || len(list) != v.Len() {
			return nil // it is no list of structures
		}
		for i := range v.Len() {
			if err := readBeside(list[i], v.Index(i)); err != nil {
				return err
			}
		}
	case reflect.Struct:
		if v.Type() == typeOfTime {
			return nil
		}
		var members map[string]json.RawMessage
		if err := json.Unmarshal(data, &members); err != nil {
			return err
		}
		for _, f := range fieldsOf(v.Type()) {
			if err := f.readBeside(members, v.FieldByIndex(f.index)); err != nil {
				return err
			}
		}
	}
	return nil
}

func (f *field) readBeside(members map[string]json.RawMessage, v reflect.Value) error {
	beside, there := members[f.key+inBase64]
	target := v
	if v.Kind() == reflect.Pointer && !v.IsNil() {
		target = v.Elem()
	}
	switch {
	case there && target.Type() == typeOfText:
		var text []byte
		if err := json.Unmarshal(beside, &text); err != nil {
			return fmt.Errorf("%s%s: %w", f.key, inBase64, err)
		}
		if !standsFor(target.String(), string(text)) {
			return fmt.Errorf("%s and %s%s contradict each other", f.key, f.key, inBase64)
		}
		target.SetString(string(text))
	case there && v.Kind() == reflect.Slice && v.Type().Elem() == typeOfText:
		var list []string
		err := json.Unmarshal(beside, &list)
		if err == nil && len(list) != v.Len() {
			err = fmt.Errorf("%d texts stand beside %d", len(list), v.Len())
		}
		for i := 0; i < len(list) && err == nil; i++ {
			var text []byte
			if text, err = base64.StdEncoding.DecodeString(list[i]); err == nil && !standsFor(v.Index(i).String(), string(text)) {
				err = errors.New("it contradicts what it stands beside")
			}
			v.Index(i).SetString(string(text))
		}
		if err != nil {
			return fmt.Errorf("%s%s: %w", f.key, inBase64, err)
		}
	case members[f.key] != nil:
		return readBeside(members[f.key], v)
	}
	return nil
}

// standsFor reports whether text is what is written for exact bytes. Who has altered one
// by hand shall not be answered with the other.
func standsFor(written, exact string) bool { return written == string([]rune(exact)) }
