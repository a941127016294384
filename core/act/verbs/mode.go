package verbs

import (
	"errors"
	"fmt"
	"strings"

	"frankledger/core/entry"
)

// ErrMode is returned for text that says no permissions.
var ErrMode = errors.New("not permissions as POSIX defines them: octal such as 0640, or symbolic such as u+rw,g-w,o=")

// ParseMode reads permissions to be set, as POSIX has them for chmod: octal digits, or
// symbolic clauses (see entry.ParseClauses), which the mask limits.
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
	clauses, err := entry.ParseClauses(text)
	if err != nil {
		return nil, fmt.Errorf("%q: %w", text, ErrMode)
	}
	return func(p entry.Permissions, folder bool) entry.Permissions {
		for _, c := range clauses {
			p = c.Apply(p, folder, mask)
		}
		return p
	}, nil
}
