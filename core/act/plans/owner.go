package plans

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"frankledger/core/account"
)

var errNoOwner = errors.New("not an owner and a group, by their numbers")

// Owner is a user and a group, by their numbers; -1 for one that stays as it is.
type Owner struct{ UID, GID int64 }

// String writes them as POSIX has it for chown: user:group.
func (o Owner) String() string { return fmt.Sprintf("%d:%d", o.UID, o.GID) }

// ParseOwner reads what String writes.
func ParseOwner(text string) (o Owner, err error) {
	user, group, both := strings.Cut(text, ":")
	if o.UID, err = strconv.ParseInt(user, 10, 64); err == nil && both {
		o.GID, err = strconv.ParseInt(group, 10, 64)
	}
	const most = 1<<32 - 2 // the last one means none
	if err == nil && (!both || o.UID < -1 || o.GID < -1 || o.UID > most || o.GID > most) {
		err = errNoOwner
	}
	return o, err
}

// OwnerNamed reads OWNER, OWNER:GROUP or :GROUP, by names or numbers, and returns them as
// [Owner] writes them.
func OwnerNamed(names *account.Names, text string) (string, error) {
	o := Owner{-1, -1}
	user, group, _ := strings.Cut(text, ":")
	for _, one := range []struct {
		text, what string
		find       func(string) (uint32, bool)
		to         *int64
	}{{user, "owner", names.UserID, &o.UID}, {group, "group", names.GroupID, &o.GID}} {
		if one.text == "" {
			continue
		}
		id, known := one.find(one.text)
		if !known {
			number, err := strconv.ParseUint(one.text, 10, 32)
			if err != nil || number == 1<<32-1 {
				return "", fmt.Errorf("there is no %s %q here", one.what, one.text)
			}
			id = uint32(number)
		}
		*one.to = int64(id)
	}
	if o == (Owner{-1, -1}) {
		return "", errors.New("say which owner or group: OWNER, OWNER:GROUP or :GROUP")
	}
	return o.String(), nil
}
