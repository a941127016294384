package textfile

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"math/bits"
	"regexp"
	"regexp/syntax"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"frankledger/core/text"
)

// Most is how many texts can be looked for at once.
const Most = 64

// Sought is what is looked for in the lines of files. It is made first, by Has and Matches, and may then be used by
// many searchers at once.
type Sought struct {
	matchCase bool
	texts     []sought
}

// NewSought returns a search for nothing yet. Letter case matters where it is said to, as in names.
func NewSought(matchCase bool) *Sought { return &Sought{matchCase: matchCase} }

// sought is one text, or one pattern.
type sought struct {
	number int
	word   []byte              // folded as lines are; nil for none
	plain  bool                // accents of lines do not matter
	has    [utf8.RuneSelf]bool // which bytes the word has
	ascii  *needle             // the word, or one that everything has that the pattern matches; nil where it is not ASCII
	re     *regexp.Regexp      // nil for a word
	// others are further words that everything has that the pattern matches.
	others []*needle
}

// Has adds a piece of a line, and returns its number. Where it has no accents, those of the line do not matter.
func (s *Sought) Has(piece string) int {
	word := text.Fold([]byte(piece), s.matchCase)
	one := sought{number: len(s.texts), word: word, plain: bytes.Equal(text.Plain(word), word)}
	if text.IsASCII(word) {
		one.ascii = newNeedle(word, s.matchCase)
		for _, c := range word {
			one.has[c] = true
		}
	}
	s.texts = append(s.texts, one)
	return len(s.texts) - 1
}

// Matches adds a regular expression (RE2 syntax) that a part of a line has to match, and returns its number.
func (s *Sought) Matches(pattern string) (int, error) {
	pattern = norm.NFC.String(pattern)
	if !s.matchCase {
		pattern = "(?i:" + pattern + ")"
	}
	re, err := regexp.Compile(pattern)
	if err != nil {
		return 0, err
	}
	one := sought{number: len(s.texts), re: re}
	if tree, err := syntax.Parse(pattern, syntax.Perl); err == nil {
		literals, _ := text.Literals(tree.Simplify(), s.matchCase)
		for i, literal := range literals {
			n := newNeedle([]byte(literal), s.matchCase)
			if i == 0 {
				one.ascii = n
			} else {
				one.others = append(one.others, n)
			}
		}
	}
	s.texts = append(s.texts, one)
	return len(s.texts) - 1, nil
}

// Check returns an error if there are too many texts.
func (s *Sought) Check() error {
	if len(s.texts) > Most {
		return fmt.Errorf("the condition looks for %d texts; at most %d are allowed", len(s.texts), Most)
	}
	return nil
}

// find returns where in some whole lines the first one is in which the text is: where it begins and ends.
func (s *sought) find(lines []byte, room *room) (start, end int) {
	first, last := -1, -1
	if s.ascii != nil || s.re != nil { // as the bytes are, which is all in lines of ASCII alone
		if first, last = s.findRaw(lines); first >= 0 {
			lines = lines[:first] // an earlier line may have it otherwise
		}
	}
	if s.re != nil && s.ascii == nil {
		return first, last
	}
	for at := 0; at < len(lines); {
		next := s.nextShown(lines[at:], room)
		if next < 0 {
			break
		}
		start, end := bytes.LastIndexByte(lines[:at+next], '\n')+1, lineEnd(lines, at+next)
		if s.inLine(lines[start:end], room) {
			return start, end
		}
		at = end + 1
	}
	return first, last
}

// nextShown returns where the first character is that is not ASCII and may stand for a part of what is looked for;
// -1 for nowhere.
func (s *sought) nextShown(lines []byte, room *room) int {
	if s.re != nil {
		at := bytes.Index(lines, kelvin)
		if other := bytes.Index(lines[:cmp.Or(at+1, len(lines)+1)-1], longS); other >= 0 {
			return other
		}
		return at
	}
	shown := &room.shown[s.number]
	for at := 0; at < len(lines); {
		if lines[at] < utf8.RuneSelf {
			next := firstHigh(lines[at:])
			if next < 0 {
				return -1
			}
			at += next
		}
		if s.ascii == nil {
			return at
		}
		if c, next := lines[at], lines[min(at+1, len(lines)-1)]; 0xc2 <= c && c < 0xe0 && 0x80 <= next && next < 0xc0 { // of two bytes
			r := rune(c&0x1f)<<6 | rune(next&0x3f)
			if shown[r] == 0 {
				shown[r] = 1
				if s.shows(r, room) {
					shown[r] = 2
				}
			}
			if shown[r] == 2 {
				return at
			}
			at += 2
			continue
		}
		c, size := utf8.DecodeRune(lines[at:])
		if s.shows(c, room) {
			return at
		}
		at += size
	}
	return -1
}

// shows reports whether a character that is not ASCII may stand for a part of the word.
func (s *sought) shows(c rune, room *room) bool {
	l := room.letter(c)
	return l.joins || l.ascii && bytes.ContainsFunc(l.plain, func(c rune) bool { return c < utf8.RuneSelf && s.has[c] })
}

// lineEnd returns where the line ends that a position is in.
func lineEnd(lines []byte, at int) int {
	if length := bytes.IndexByte(lines[at:], '\n'); length >= 0 {
		return at + length
	}
	return len(lines)
}

// findRaw looks for the bytes of a word, whatever the case of their letters, or for lines that a pattern matches. A
// word of ASCII without accents is in a line where these bytes are.
func (s *sought) findRaw(lines []byte) (start, end int) {
	for at := 0; at < len(lines); at++ {
		if s.ascii != nil {
			if at = s.ascii.index(lines, at); at < 0 {
				return -1, -1
			}
		}
		start, end = bytes.LastIndexByte(lines[:at], '\n')+1, lineEnd(lines, at)
		if s.inRaw(lines[start:end]) {
			return start, end
		}
		at = end
	}
	return -1, -1
}

// inRaw looks in one line, in which a word mostly is: it may go over the end of the line.
func (s *sought) inRaw(line []byte) bool {
	if s.re != nil {
		return s.matches(line)
	}
	return s.ascii.index(withoutReturn(line), 0) >= 0
}

// matches reports whether a pattern matches a line.
func (s *sought) matches(line []byte) bool {
	line = withoutReturn(line)
	ascii := firstHigh(line) < 0
	if ascii || !bytes.Contains(line, kelvin) && !bytes.Contains(line, longS) {
		for _, other := range s.others {
			if other.index(line, 0) < 0 {
				return false
			}
		}
	}
	if !ascii {
		line = norm.NFC.Bytes(line)
	}
	return s.re.Match(line)
}

// withoutReturn is a line without the carriage return that ends it in files of some systems.
func withoutReturn(line []byte) []byte { return bytes.TrimSuffix(line, []byte("\r")) }

// inLine looks in one line that is not ASCII alone, for what its bytes do not show.
func (s *sought) inLine(line []byte, room *room) bool {
	line = withoutReturn(line)
	if s.re != nil {
		return s.matches(line)
	}
	return bytes.Contains(room.folded(line, s.plain), s.word)
}

// The letters beyond ASCII that are the same as one of it but for their case.
var (
	kelvin = []byte("\u212a")
	longS  = []byte("\u017f")
)

// twoBytes is how many characters UTF-8 writes with two bytes, and those with one.
const twoBytes = 1 << 11

// room is what a search for one goroutine works in.
type room struct {
	matchCase bool
	line      []byte
	letters   [twoBytes]letter // the first letters of Unicode
	shown     [][twoBytes]byte // for each text, whether they may stand for a part of it: 1 for no, 2 for yes
	others    map[rune]*letter
}

// letter is what a character is compared as.
type letter struct {
	folded, plain []byte // nil before they are known
	ascii         bool   // some of plain is ASCII
	joins         bool   // it may become one with what is before it, so that it is not compared alone
}

// letter returns what a character is compared as.
func (r *room) letter(c rune) *letter {
	if int(c) < len(r.letters) {
		l := &r.letters[c]
		if l.folded == nil {
			*l = *newLetter(c, r.matchCase)
		}
		return l
	}
	l, known := r.others[c]
	if !known {
		if r.others == nil || len(r.others) > 1<<16 {
			r.others = map[rune]*letter{}
		}
		l = newLetter(c, r.matchCase)
		r.others[c] = l
	}
	return l
}

func newLetter(c rune, matchCase bool) *letter {
	encoded := utf8.AppendRune(nil, c)
	folded := text.Fold(bytes.Clone(encoded), matchCase)
	plain := text.Plain(folded)
	isASCII := bytes.ContainsFunc(plain, func(c rune) bool { return c < utf8.RuneSelf })
	return &letter{folded, plain, isASCII, !norm.NFC.Properties(encoded).BoundaryBefore()}
}

// folded returns a line as it is compared, with or without its accents, until it is called again.
func (r *room) folded(line []byte, plain bool) []byte {
	r.line = r.line[:0]
	for at := 0; at < len(line); {
		if c := line[at]; c < utf8.RuneSelf {
			if !r.matchCase && 'A' <= c && c <= 'Z' {
				c += 'a' - 'A'
			}
			r.line = append(r.line, c)
			at++
			continue
		}
		c, size := utf8.DecodeRune(line[at:])
		l := r.letter(c)
		if l.joins || c == utf8.RuneError && size == 1 {
			folded := text.Fold(bytes.Clone(line), r.matchCase)
			if plain {
				folded = text.Plain(folded)
			}
			return folded
		}
		if plain {
			r.line = append(r.line, l.plain...)
		} else {
			r.line = append(r.line, l.folded...)
		}
		at += size
	}
	return r.line
}

// firstHigh returns where the first byte is that is not ASCII; -1 for nowhere.
func firstHigh(b []byte) int {
	const high = 0x8080808080808080
	i := 0
	for ; i+32 <= len(b); i += 32 {
		c := b[i : i+32 : i+32]
		if (binary.LittleEndian.Uint64(c)|binary.LittleEndian.Uint64(c[8:])|binary.LittleEndian.Uint64(c[16:])|binary.LittleEndian.Uint64(c[24:]))&high != 0 {
			break
		}
	}
	for ; i+8 <= len(b); i += 8 {
		if some := binary.LittleEndian.Uint64(b[i:]) & high; some != 0 {
			return i + bits.TrailingZeros64(some)/8
		}
	}
	for ; i < len(b); i++ {
		if b[i] >= utf8.RuneSelf {
			return i
		}
	}
	return -1
}

// needle finds a word of ASCII in text whose letters may be small or capital, by the rule of Horspool (1980): the byte
// at the end of a place tells how far the next place is that may have the word.
type needle struct {
	word      []byte // in small letters, unless case matters
	matchCase bool
	skip      [256]uint8 // how far; 0 for the last byte of the word
	past      int        // how far after a place that ends with that byte
}

// longestSkip is as much as a table tells.
const longestSkip = 255

func newNeedle(word []byte, matchCase bool) *needle {
	n := &needle{word: word, matchCase: matchCase}
	length := min(len(word), longestSkip)
	for c := range n.skip {
		n.skip[c] = uint8(length)
	}
	n.past = length
	for i, c := range word {
		far := len(word) - 1 - i
		if far > longestSkip {
			continue
		}
		if far == 0 {
			n.past = min(n.past, int(n.skip[c])) // where the byte was before
		}
		n.skip[c] = uint8(far)
		if 'a' <= c && c <= 'z' && !matchCase {
			n.skip[c-('a'-'A')] = uint8(far)
		}
	}
	return n
}

// near is how far is looked before several places are looked at by turns, which is faster but finds the first of them
// no sooner.
const (
	near  = 4 << 10
	parts = 4
)

// index returns where the word first is from a place on, -1 for nowhere.
func (n *needle) index(in []byte, from int) int {
	if n.matchCase || len(n.word) < 2 {
		if n.matchCase || len(n.word) == 0 {
			return offset(bytes.Index(in[from:], n.word), from)
		}
		return offset(bytes.IndexAny(in[from:], string(n.word)+strings.ToUpper(string(n.word))), from)
	}
	if len(in)-from < 2*near {
		return n.search(in, from, len(in))
	}
	if at := n.search(in, from, from+near); at >= 0 {
		return at
	}
	if c, small := n.unseen(in[from : from+near]); small > 0 {
		return n.byByte(in, from+near-len(n.word)+1, c)
	}
	return n.byTurns(in, from+near-len(n.word)+1)
}

// offset moves a place on, unless it is nowhere.
func offset(at, by int) int {
	if at < 0 {
		return -1
	}
	return at + by
}

// search looks between two places.
func (n *needle) search(in []byte, from, to int) int {
	for last := from + len(n.word) - 1; last < to; {
		far := int(n.skip[in[last]])
		if far == 0 {
			if begin := last + 1 - len(n.word); equalFold(in[begin:last+1], n.word) {
				return begin
			}
			far = n.past
		}
		last += far
	}
	return -1
}

// unseen returns a byte of the word that a sample does not have, as its place in the word, and how many bytes it is
// compared with: 0 if the sample has them all.
func (n *needle) unseen(sample []byte) (place, forms int) {
	var seen [256]bool
	for _, c := range sample {
		seen[c] = true
	}
	for i, c := range n.word {
		capital := c
		if 'a' <= c && c <= 'z' {
			capital -= 'a' - 'A'
		}
		if seen[c] || seen[capital] {
			continue
		}
		if c == capital {
			return i, 1
		}
		place, forms = i, 2
	}
	return place, forms
}

// byByte looks for one byte of the word, which the system's own search finds fastest where it is rare.
func (n *needle) byByte(in []byte, from, place int) int {
	small := n.word[place]
	capital := small
	if 'a' <= small && small <= 'z' {
		capital -= 'a' - 'A'
	}
	next := func(c byte, from int) int {
		if at := bytes.IndexByte(in[min(from, len(in)):], c); at >= 0 {
			return from + at
		}
		return len(in)
	}
	atSmall, atCapital := next(small, from+place), len(in)
	if capital != small {
		atCapital = next(capital, from+place)
	}
	for {
		at := min(atSmall, atCapital)
		if begin := at - place; at >= len(in) || begin+len(n.word) > len(in) {
			return -1
		} else if equalFold(in[begin:begin+len(n.word)], n.word) {
			return begin
		}
		if at == atSmall {
			atSmall = next(small, at+1)
		} else {
			atCapital = next(capital, at+1)
		}
	}
}

// byTurns looks in several parts of a text at once: the processor need not wait for one to go on with another.
func (n *needle) byTurns(in []byte, from int) int {
	each := (len(in) - from) / parts
	var ends [parts]int
	var at [parts]int
	for i := range parts {
		at[i], ends[i] = from+i*each+len(n.word)-1, from+(i+1)*each+len(n.word)-1
	}
	ends[parts-1] = len(in)
	for i := range ends {
		ends[i] = min(ends[i], len(in))
	}
	a, b, c, d := at[0], at[1], at[2], at[3]
	for a < ends[0] && b < ends[1] && c < ends[2] && d < ends[3] {
		i, j, k, l := int(n.skip[in[a]]), int(n.skip[in[b]]), int(n.skip[in[c]]), int(n.skip[in[d]])
		if i != 0 && j != 0 && k != 0 && l != 0 {
			a, b, c, d = a+i, b+j, c+k, d+l
			continue
		}
		if i == 0 {
			if equalFold(in[a+1-len(n.word):a+1], n.word) {
				break
			}
			i = n.past
		}
		if j == 0 {
			if equalFold(in[b+1-len(n.word):b+1], n.word) {
				break
			}
			j = n.past
		}
		if k == 0 {
			if equalFold(in[c+1-len(n.word):c+1], n.word) {
				break
			}
			k = n.past
		}
		if l == 0 {
			if equalFold(in[d+1-len(n.word):d+1], n.word) {
				break
			}
			l = n.past
		}
		a, b, c, d = a+i, b+j, c+k, d+l
	}
	for i, last := range [parts]int{a, b, c, d} { // the rest, one after the other
		if found := n.search(in, last+1-len(n.word), ends[i]); found >= 0 {
			return found
		}
	}
	return -1
}

// equalFold reports whether bytes are a word in small letters, whatever their case.
func equalFold(b, word []byte) bool {
	for i, c := range b {
		if 'A' <= c && c <= 'Z' {
			c += 'a' - 'A'
		}
		if c != word[i] {
			return false
		}
	}
	return true
}
