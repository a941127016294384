package textfile

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"math/bits"
	"regexp"
	"regexp/syntax"
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
		return fmt.Errorf("%d texts are looked for, and %d are the most", len(s.texts), Most)
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
	var finder *finder
	if s.ascii != nil {
		finder = s.ascii.in(lines, s.ascii.rare(lines))
	}
	for at := 0; at < len(lines); at++ {
		if s.ascii != nil {
			if at = finder.index(at); at < 0 {
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
	return s.ascii.in(withoutReturn(line), 0).index(0) >= 0
}

// matches reports whether a pattern matches a line.
func (s *sought) matches(line []byte) bool {
	line = withoutReturn(line)
	ascii := firstHigh(line) < 0
	if ascii || !bytes.Contains(line, kelvin) && !bytes.Contains(line, longS) {
		for _, other := range s.others {
			if other.in(line, 0).index(0) < 0 {
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

// needle finds a word of ASCII by the rarest of its bytes.
type needle struct {
	word      []byte // in small letters, unless case matters
	matchCase bool
}

func newNeedle(word []byte, matchCase bool) *needle { return &needle{word, matchCase} }

// sample is how many bytes tell which byte of a word is rare.
const sample = 1 << 10

// rare returns which byte of the word is the rarest in some text.
func (n *needle) rare(in []byte) (rare int) {
	if len(in) < sample || len(n.word) < 2 {
		return 0
	}
	var counts [256]int
	for _, c := range in[len(in)-sample:] {
		if 'A' <= c && c <= 'Z' {
			c += 'a' - 'A'
		}
		counts[c]++
	}
	for i, c := range n.word {
		if counts[c] < counts[n.word[rare]] {
			rare = i
		}
	}
	return rare
}

// finder finds a needle in one text, again and again.
type finder struct {
	*needle
	in           []byte
	rare         int
	small, large byte // the rare byte, in small and capital letters
	atSmall      int  // where they come next
	atLarge      int
}

// in returns what finds the word in a text, by the byte of the word that is rare in it.
func (n *needle) in(in []byte, rare int) *finder {
	f := &finder{needle: n, in: in, rare: rare, atSmall: -1, atLarge: -1}
	if len(n.word) > 0 {
		f.small = n.word[rare]
		f.large = f.small
		if 'a' <= f.small && f.small <= 'z' && !n.matchCase {
			f.large -= 'a' - 'A'
		} else {
			f.atLarge = len(in)
		}
	}
	return f
}

// next returns where a byte comes next.
func (f *finder) next(c byte, from int) int {
	if at := bytes.IndexByte(f.in[from:], c); at >= 0 {
		return from + at
	}
	return len(f.in)
}

// index returns where the word first is from a place on, -1 for nowhere. Places are to come in their order.
func (f *finder) index(from int) int {
	if f.matchCase || len(f.word) == 0 {
		if at := bytes.Index(f.in[from:], f.word); at >= 0 {
			return from + at
		}
		return -1
	}
	for from += f.rare; from < len(f.in); {
		if f.atSmall < from {
			f.atSmall = f.next(f.small, from)
		}
		if f.atLarge < from {
			f.atLarge = f.next(f.large, from)
		}
		at := min(f.atSmall, f.atLarge)
		begin := at - f.rare
		if at == len(f.in) || begin+len(f.word) > len(f.in) {
			return -1
		}
		if equalFold(f.in[begin:begin+len(f.word)], f.word) {
			return begin
		}
		from = at + 1
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
