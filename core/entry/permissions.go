package entry

import (
	"errors"
	"fmt"
	"strings"
)

// Permissions are the twelve permission bits of POSIX: nine for owner, group
// and others, and set-user-ID, set-group-ID and the sticky bit.
type Permissions uint16

const (
	SetUser  Permissions = 0o4000
	SetGroup Permissions = 0o2000
	Sticky   Permissions = 0o1000
)

// AppendOctal appends four octal digits, such as 0640.
func (p Permissions) AppendOctal(dst []byte) []byte {
	for shift := 9; shift >= 0; shift -= 3 {
		dst = append(dst, '0'+byte(p>>shift&7))
	}
	return dst
}

// Octal returns four octal digits, such as 0640.
func (p Permissions) Octal() string { return string(p.AppendOctal(nil)) }

// special tells for each triad which bit stands in its place for "execute",
// and the letter it has there.
var special = [3]struct {
	bit    Permissions
	letter byte
}{{SetUser, 's'}, {SetGroup, 's'}, {Sticky, 't'}}

// AppendNine appends the nine characters of POSIX, such as rw-r-----. A special
// bit takes the place of execute: a small letter where execute is also set, a
// capital where it is not.
func (p Permissions) AppendNine(dst []byte) []byte {
	for i := range special {
		dst = p.appendTriad(dst, i)
	}
	return dst
}

// Triads returns the nine characters spaced by owner, group and others, such
// as "rw- r-- ---".
func (p Permissions) Triads() string { return string(p.appendTriads(nil)) }

func (p Permissions) appendTriads(dst []byte) []byte {
	for i := range special {
		if i > 0 {
			dst = append(dst, ' ')
		}
		dst = p.appendTriad(dst, i)
	}
	return dst
}

func (p Permissions) appendTriad(dst []byte, i int) []byte {
	bits := p >> (6 - 3*i) & 7
	letters := [3]byte{'-', '-', '-'}
	if bits&4 != 0 {
		letters[0] = 'r'
	}
	if bits&2 != 0 {
		letters[1] = 'w'
	}
	if bits&1 != 0 {
		letters[2] = 'x'
	}
	if s := special[i]; p&s.bit != 0 {
		letters[2] = s.letter
		if bits&1 == 0 {
			letters[2] -= 'a' - 'A'
		}
	}
	return append(dst, letters[:]...)
}

// ErrPermissions is returned for text that is none of the notations.
var ErrPermissions = errors.New("not permissions: octal digits such as 0640, or nine characters such as rw-r-----, in groups of three or not")

// ParsePermissions reads any of the notations written here: one to four octal
// digits, nine characters, or three spaced triads.
func ParsePermissions(text string) (Permissions, error) {
	if len(text) >= 1 && len(text) <= 4 && strings.Trim(text, "01234567") == "" {
		var p Permissions
		for _, digit := range []byte(text) {
			p = p<<3 | Permissions(digit-'0')
		}
		return p, nil
	}
	nine := text
	if len(text) == 11 && text[3] == ' ' && text[7] == ' ' {
		nine = text[:3] + text[4:7] + text[8:]
	}
	if len(nine) != 9 {
		return 0, fmt.Errorf("%q: %w", text, ErrPermissions)
	}
	var p Permissions
	for i := range 9 {
		bit := Permissions(0o400) >> i
		triad := special[i/3]
		switch letter := nine[i]; {
		case letter == '-':
		case letter == "rwx"[i%3]:
			p |= bit
		case i%3 == 2 && letter == triad.letter:
			p |= bit | triad.bit
		case i%3 == 2 && letter == triad.letter-('a'-'A'):
			p |= triad.bit
		default:
			return 0, fmt.Errorf("%q: %w", text, ErrPermissions)
		}
	}
	return p, nil
}

// Clause is one change of symbolic permissions, as POSIX has them for chmod.
type Clause struct {
	who  string // of u, g and o; "" for all, but for the bits of a mask
	Sign byte   // '+', '-' or '='
	Bits string // of rwxXst, or one of u, g and o: as that one has
}

// ErrClauses is returned for text that is no clauses.
var ErrClauses = errors.New("not symbolic permissions, such as u+rw,g-w,o=")

// ParseClauses reads clauses with commas between them: who (u, g, o, a; none is all,
// but for the bits of the mask), and then one or more of what to do (+, -, =) and bits
// (r, w, x, X for x where a folder is or some x is set, s, t) or another's (u, g, o).
func ParseClauses(text string) (clauses []Clause, err error) {
	for clause := range strings.SplitSeq(text, ",") {
		who := clause[:len(clause)-len(strings.TrimLeft(clause, "ugoa"))]
		rest := clause[len(who):]
		if rest == "" {
			return nil, ErrClauses
		}
		if strings.Contains(who, "a") {
			who = "ugo"
		}
		for rest != "" {
			c := Clause{who, rest[0], rest[1:]}
			if next := strings.IndexAny(c.Bits, "+-="); next >= 0 {
				c.Bits = c.Bits[:next]
			}
			rest = rest[1+len(c.Bits):]
			if !strings.ContainsRune("+-=", rune(c.Sign)) || !c.Copies() && strings.Trim(c.Bits, "rwxXst") != "" {
				return nil, ErrClauses
			}
			clauses = append(clauses, c)
		}
	}
	return clauses, nil
}

// Copies reports whether the bits are those that the owner, the group or others have.
func (c Clause) Copies() bool { return len(c.Bits) == 1 && strings.Contains("ugo", c.Bits) }

// Apply returns permissions of a folder, or of something else, as changed by the clause
// for somebody who has that mask.
func (c Clause) Apply(p Permissions, folder bool, mask Permissions) Permissions {
	who := c.who
	if who == "" {
		who = "ugo"
	}
	var set, reach Permissions
	for _, w := range who {
		shift := map[rune]int{'u': 6, 'g': 3, 'o': 0}[w]
		setID := map[rune]Permissions{'u': SetUser, 'g': SetGroup}[w]
		reach |= 7 << shift
		var rwx Permissions
		for _, b := range c.Bits {
			switch b {
			case 'r':
				rwx |= 4
			case 'w':
				rwx |= 2
			case 'x':
				rwx |= 1
			case 'X':
				if folder || p&0o111 != 0 {
					rwx |= 1
				}
			case 's':
				set |= setID
			case 't':
				set |= Sticky
			case 'u', 'g', 'o':
				rwx |= p >> map[rune]int{'u': 6, 'g': 3, 'o': 0}[b] & 7
			}
		}
		set |= rwx << shift
		// To set exactly takes away the set-ID bit of those it is about, but of
		// folders, where it was meant to stay.
		if !folder {
			reach |= setID
		}
	}
	if c.who == "" {
		set &^= mask & 0o777
	}
	switch c.Sign {
	case '+':
		return p | set
	case '-':
		return p &^ set
	}
	return p&^reach | set
}

// Sentence says the permissions in words, as they act on an entry of the kind:
// to "execute" a file is to run it, a folder to enter it.
func (p Permissions) Sentence(kind Kind) string {
	verbs := [3]string{"read", "write", "run"}
	if kind == KindFolder {
		verbs = [3]string{"list", "change", "enter"}
	}
	classes := [3]string{"the owner", "the group", "others"}
	var parts []string
	for i := 0; i < 3; {
		bits := p >> (6 - 3*i) & 7
		who := classes[i : i+1]
		for i++; i < 3 && p>>(6-3*i)&7 == bits; i++ {
			who = append(who, classes[i])
		}
		var may []string
		for j, verb := range verbs {
			if bits&(4>>j) != 0 {
				may = append(may, verb)
			}
		}
		verb := "may " + join(may)
		if len(may) == 0 {
			verb = "may not do anything"
		}
		subject := join(who)
		if len(who) == 3 {
			subject = "everyone"
			if len(may) == 0 {
				subject, verb = "nobody", "may do anything"
			}
		}
		parts = append(parts, subject+" "+verb)
	}
	sentence := strings.Join(parts, "; ")
	folder := kind == KindFolder
	if p&SetUser != 0 && !folder {
		sentence += "; it runs with its owner's rights"
	}
	if p&SetGroup != 0 {
		if folder {
			sentence += "; what is made in it gets its group"
		} else {
			sentence += "; it runs with its group's rights"
		}
	}
	if p&Sticky != 0 && folder {
		sentence += "; only an owner may remove or rename what is in it"
	}
	return sentence
}

// join puts words together as English does: a, b and c.
func join(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	last := len(words) - 1
	return strings.Join(words[:last], ", ") + " and " + words[last]
}
