package cards

import (
	"fmt"

	"frankledger/core/entry"
	"frankledger/render/report"
	"frankledger/render/typeset"
)

// accessWords says what an access list gives besides the permissions, a line for each who is named.
func accessWords(v *report.View, e *entry.Entry) (lines []string) {
	d := e.Details()
	for i, one := range []struct {
		list   entry.AccessList
		before string
	}{{d.Access, "by the access list, "}, {d.Default, "of what is made in it, "}} {
		for _, a := range one.list {
			who := ""
			switch a.Who {
			case entry.AccessUser:
				who = "user " + accountName(a.ID, v.Context.Accounts.User)
			case entry.AccessNamedGroup:
				who = "group " + accountName(a.ID, v.Context.Accounts.Group)
			case entry.AccessOwner, entry.AccessGroup, entry.AccessOther:
				if i == 0 {
					continue // as the permissions say
				}
				who = map[entry.AccessWho]string{entry.AccessOwner: "its owner", entry.AccessGroup: "its group", entry.AccessOther: "everyone else"}[a.Who]
			default:
				continue
			}
			lines = append(lines, one.before+who+" "+mayWords(one.list.May(a), e.Kind == entry.KindFolder))
		}
	}
	return lines
}

// accountName is the name of an account, or its number.
func accountName(id uint32, lookup func(uint32) (string, bool)) string {
	name, known := lookup(id)
	if !known {
		return fmt.Sprint(id)
	}
	return typeset.Escaped(name)
}

// mayWords says what three bits let somebody do.
func mayWords(may entry.Permissions, folder bool) string {
	last := "run it"
	if folder {
		last = "enter it"
	}
	var words []string
	for _, one := range []struct {
		bit  entry.Permissions
		word string
	}{{4, "read"}, {2, "write"}, {1, last}} {
		if may&one.bit != 0 {
			words = append(words, one.word)
		}
	}
	switch len(words) {
	case 0:
		return "may not do anything"
	case 1:
		return "may " + words[0]
	}
	text := "may " + words[0]
	for i, word := range words[1:] {
		if i == len(words)-2 {
			text += " and " + word
		} else {
			text += ", " + word
		}
	}
	return text
}
