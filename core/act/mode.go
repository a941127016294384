package act

import (
	"errors"
	"fmt"
	"strings"

	"frankledger/core/entry"
)

// ErrMode is returned for text that says no permissions.
var ErrMode = errors.New("permissions are wanted as POSIX has them for chmod: octal such as 0640, or symbolic such as u+rw,g-w,o=")

// change changes permissions.
type change func(p entry.Permissions, folder bool) entry.Permissions

// ParseMode reads permissions to be set, as POSIX has them for chmod: octal
// digits, or symbolic clauses of who (u, g, o, a; none is all, but for the bits
// of the mask), what to do (+, -, =), and bits (r, w, x, X for x where a folder
// is or some x is set, s, t) or another's (u, g, o).
func ParseMode(text string, mask entry.Permissions) (func(p entry.Permissions, folder bool) entry.Permissions, error) {
	if text != "" && len(text) <= 5 && strings.Trim(text, "01234567") == "" {
		octal := strings.TrimPrefix(text, "0")
		if len(octal) <= 4 {
			bits, err := entry.ParsePermissions("0" + octal)
			if len(octal) == 4 {
				bits, err = entry.ParsePermissions(octal)
			}
			return func(entry.Permissions, bool) entry.Permissions { return bits }, err
		}
	}
	var changes []change
	for clause := range strings.SplitSeq(text, ",") {
		who := clause[:len(clause)-len(strings.TrimLeft(clause, "ugoa"))]
		rest := clause[len(who):]
		if rest == "" {
			return nil, fmt.Errorf("%q: %w", text, ErrMode)
		}
		for rest != "" {
			sign := rest[0]
			bits := rest[1:]
			if next := strings.IndexAny(bits, "+-="); next >= 0 {
				bits = bits[:next]
			}
			rest = rest[1+len(bits):]
			copied := bits != "" && strings.Trim(bits, "ugo") == ""
			if !strings.ContainsRune("+-=", rune(sign)) || !copied && strings.Trim(bits, "rwxXst") != "" || copied && len(bits) > 1 {
				return nil, fmt.Errorf("%q: %w", text, ErrMode)
			}
			changes = append(changes, clauseOf(who, sign, bits, mask))
		}
	}
	return func(p entry.Permissions, folder bool) entry.Permissions {
		for _, c := range changes {
			p = c(p, folder)
		}
		return p
	}, nil
}

// clauseOf returns the change that one clause says.
func clauseOf(who string, sign byte, bits string, mask entry.Permissions) change {
	masked := who == ""
	if masked || strings.Contains(who, "a") {
		who = "ugo"
	}
	return func(p entry.Permissions, folder bool) entry.Permissions {
		var set, reach entry.Permissions
		for _, w := range who {
			shift := map[rune]int{'u': 6, 'g': 3, 'o': 0}[w]
			reach |= 7 << shift
			var rwx entry.Permissions
			for _, b := range bits {
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
					set |= map[rune]entry.Permissions{'u': entry.SetUser, 'g': entry.SetGroup}[w]
				case 't':
					set |= entry.Sticky
				case 'u', 'g', 'o':
					rwx |= p >> map[rune]int{'u': 6, 'g': 3, 'o': 0}[b] & 7
				}
			}
			set |= rwx << shift
			// To set exactly takes away the set-ID bit of those it is about,
			// but of folders, where it was meant to stay.
			if !folder {
				reach |= map[rune]entry.Permissions{'u': entry.SetUser, 'g': entry.SetGroup}[w]
			}
		}
		if masked {
			set &^= mask & 0o777
		}
		switch sign {
		case '+':
			return p | set
		case '-':
			return p &^ set
		}
		return p&^reach | set
	}
}
