package namepattern

import (
	"errors"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"
	"time"

	"frankledger/core/act/doing"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/media"
)

// Pattern makes new names from what is known about entries.
type Pattern struct {
	parts []part
	zone  *time.Location
	plain bool // the same for all entries
}

// part is text, or a word of a pattern.
type part struct {
	text string // if word is empty
	word string
	how  string // what is done to the word: lower, upper, or how many digits
}

// patternWords are the words of a pattern, and what they stand for.
var patternWords = []struct{ Word, Means string }{
	{"@stem", "the name without its extension"},
	{"@ext", "its extension, without the dot"},
	{"@name", "the whole name"},
	{"@folder", "the name of the folder it is in"},
	{"@date", "the day it was last modified, such as 2026-11-26"},
	{"@year", "the year of that; @month and @day: the month and the day in it"},
	{"@type", "the extension that its content has, or its own, if that is right"},
	{"@n", "1, 2, 3 … in order of the paths"},
}

// dayWords are the words of a day, and how they are written. After :taken, the day is that on which a picture was taken.
var dayWords = map[string]string{"@date": time.DateOnly, "@year": "2006", "@month": "01", "@day": "02"}

// Words returns the words of a pattern.
func Words() []struct{ Word, Means string } { return patternWords }

// Err is returned for a text that is no pattern.
var Err = errors.New("not a pattern of names")

// Parse reads a pattern: text with words. A word may be followed by :lower or
// :upper, and @n by the number of digits, such as @n:3. @@ is a plain @. Days are of a
// time zone.
func Parse(text string, zone *time.Location) (*Pattern, error) {
	p := &Pattern{zone: zone}
	wrong := func(format string, args ...any) error {
		return fmt.Errorf("%w: %s", Err, fmt.Sprintf(format, args...))
	}
	plain, counts := "", false
	for text != "" {
		at := strings.IndexByte(text, '@')
		if at < 0 {
			plain += text
			break
		}
		plain += text[:at]
		text = text[at:]
		if strings.HasPrefix(text, "@@") {
			plain, text = plain+"@", text[2:]
			continue
		}
		found := ""
		for _, word := range allWords() { // of @n and @name the longer
			if strings.HasPrefix(text, word) && len(word) > len(found) {
				found = word
			}
		}
		if found == "" {
			return nil, wrong("after @ comes one of the words %s; @@ is a plain @", wordList())
		}
		if plain != "" {
			p.parts, plain = append(p.parts, part{text: plain}), ""
		}
		next := part{word: found}
		text = text[len(found):]
		if rest, is := strings.CutPrefix(text, ":"); is {
			end := strings.IndexFunc(rest, func(r rune) bool { return (r < 'a' || r > 'z') && (r < '0' || r > '9') })
			if end < 0 {
				end = len(rest)
			}
			next.how, text = rest[:end], rest[end:]
			digits, err := strconv.Atoi(next.how)
			switch {
			case found == "@n" && (err != nil || digits < 1 || digits > 9):
				return nil, wrong("after @n: comes a number of digits from 1 to 9")
			case dayWords[found] != "" && next.how != "taken":
				return nil, wrong("after %s: comes taken, for the day on which a picture was taken", found)
			case found != "@n" && dayWords[found] == "" && next.how != "lower" && next.how != "upper":
				return nil, wrong("after %s: comes lower or upper", found)
			}
		}
		counts = counts || dayWords[found] == ""
		p.parts = append(p.parts, next)
	}
	if plain != "" {
		p.parts = append(p.parts, part{text: plain})
	}
	switch {
	case len(p.parts) == 0:
		return nil, wrong("a name cannot be empty")
	case strings.ContainsAny(textOf(p.parts), "/\x00"):
		return nil, wrong("a name has no slash in it; act move puts things into folders")
	}
	p.plain = !counts
	return p, nil
}

// ErrPlain is why a pattern is not for several entries.
var ErrPlain = fmt.Errorf("%w: without one of %s, all would get the same name", Err, wordList())

// Plain reports whether all entries would get the same name.
func (p *Pattern) Plain() bool { return p.plain }

func wordList() string { return strings.Join(allWords(), " ") }

// allWords are all words of patterns.
func allWords() (words []string) {
	for _, one := range patternWords {
		if words = append(words, one.Word); one.Word == "@year" {
			words = append(words, "@month", "@day")
		}
	}
	return words
}

func textOf(parts []part) (text string) {
	for _, p := range parts {
		text += p.text
	}
	return text
}

// Needs returns the facts that must be known of entries.
func (p *Pattern) Needs() entry.Facts {
	for _, one := range p.parts {
		if one.word == "@type" {
			return entry.FactContent
		}
	}
	return 0
}

// Name returns the new name of an entry with some full path, which is the n-th. A dot
// before an extension that is empty is left out.
func (p *Pattern) Name(e *entry.Entry, full string, n int) (string, error) {
	name := path.Base(full)
	stem, ext := entry.SplitName(name)
	made := ""
	for _, one := range p.parts {
		value := one.text
		switch one.word {
		case "@stem":
			value = stem
		case "@ext":
			value = ext
		case "@name":
			value = name
		case "@folder":
			if value = path.Base(path.Dir(full)); value == "/" {
				value = ""
			}
		case "@date", "@year", "@month", "@day":
			day := e.Modified.Std().In(p.zone)
			if one.how == "taken" {
				var err error
				if day, err = taken(e, full); err != nil {
					return "", err
				}
			}
			value = day.Format(dayWords[one.word])
		case "@n":
			value = strconv.Itoa(n)
			if digits, err := strconv.Atoi(one.how); err == nil {
				value = fmt.Sprintf("%0*d", digits, n)
			}
		case "@type":
			value = ext
			if e.Kind == entry.KindFile {
				if !e.Known.Has(entry.FactContent) {
					return "", errNoContent
				}
				if right := media.Extension(e.More.Type); right != "" && (ext == "" || e.Marks&entry.MarkMislabelled != 0) {
					value = right
				}
			}
		}
		switch one.how {
		case "lower":
			value = strings.ToLower(value)
		case "upper":
			value = strings.ToUpper(value)
		}
		if value == "" && (one.word == "@ext" || one.word == "@type") {
			made = strings.TrimSuffix(made, ".")
		}
		made += value
	}
	if made == "" || made == "." || made == ".." {
		return "", doing.ErrNameless
	}
	return made, nil
}

// taken returns when a picture was taken.
func taken(e *entry.Entry, full string) (time.Time, error) {
	if e.Kind != entry.KindFile {
		return time.Time{}, media.ErrNotTaken
	}
	file, err := live.OpenContent(full)
	if err != nil {
		return time.Time{}, err
	}
	defer file.Close()
	return media.Taken(io.NewSectionReader(file, 0, file.Length()))
}

// Folders makes paths of folders from what is known about entries.
type Folders []*Pattern

// ParseFolders reads a relative path with words of patterns in it.
func ParseFolders(text string, zone *time.Location) (f Folders, err error) {
	for name := range strings.SplitSeq(strings.Trim(text, "/"), "/") {
		p, err := Parse(name, zone)
		if err != nil {
			return nil, err
		}
		f = append(f, p)
	}
	return f, nil
}

// Needs returns the facts that must be known of entries.
func (f Folders) Needs() (facts entry.Facts) {
	for _, p := range f {
		facts |= p.Needs()
	}
	return facts
}

// Path returns the relative path of the folder for an entry with some full path, which is the n-th.
func (f Folders) Path(e *entry.Entry, full string, n int) (string, error) {
	rel := ""
	for _, p := range f {
		name, err := p.Name(e, full, n)
		if err != nil {
			return "", err
		}
		rel = path.Join(rel, name)
	}
	return rel, nil
}

var errNoContent = errors.New("its content could not be read, so its type is not known")
