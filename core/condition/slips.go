package condition

import (
	"fmt"
	"slices"
	"strings"

	"frankledger/core/entry"
)

// Slips says of tests that nothing may meet what was likely meant instead. It is for an
// answer that is empty.
func (c *Condition) Slips(env *Environment) (slips []string) {
	tests := map[*entry.Field]*Test{}
	kinds := ""
	walk(c.Root, func(t *Test) {
		tests[t.Field] = t
		if slip := t.slip(); slip != "" {
			slips = append(slips, slip)
		}
		if env.MatchCase && t.Field.Type == entry.Text && strings.ToLower(t.Values[0].Text) != t.Values[0].Text {
			slips = append(slips, fmt.Sprintf("capitals and small letters differ because of --match-case: %s", t))
		}
		if t.Field == KindField && t.Op == Is {
			kinds = t.Values[0].Text
		}
	})
	if t := tests[sizeField]; t != nil && kinds != "" && !strings.Contains(kinds, entry.KindFile.String()) {
		slips = append(slips, fmt.Sprintf("only files have a size: %s; frank weigh adds up what folders hold", t))
	}
	return slips
}

// FromPlace is for commands in which paths are from the place. It says of tests whose path begins with the
// place itself what was likely meant.
func (c *Condition) FromPlace(places []string) (slips []string) {
	walk(c.Root, func(t *Test) {
		text := t.Values[0].Text
		for _, place := range places {
			if below, begins := strings.CutPrefix(text, strings.TrimRight(place, "/")+"/"); begins && t.Field.FromPlace && below != "" && place != "." {
				slips = append(slips, fmt.Sprintf("paths in the condition start at the place: %s %s %s, not %s", t.Field.Name, t.Op, quote(below), quote(text)))
				return
			}
		}
	})
	return slips
}

// Outside returns the name of a field that the condition asks for and that is not among some; "" if there is none.
func (c *Condition) Outside(names ...string) string { return outside(c.Root, names) }

func outside(n Node, names []string) string {
	var parts []Node
	var field *entry.Field
	switch n := n.(type) {
	case All:
		parts = n
	case Any:
		parts = n
	case Not:
		parts = []Node{n.Node}
	case Flag:
		field = n.Field
	case Valued:
		field = n.Field
	case *Test:
		field = n.Field
	}
	if field != nil && !slices.Contains(names, field.Name) {
		return field.Name
	}
	for _, part := range parts {
		if found := outside(part, names); found != "" {
			return found
		}
	}
	return ""
}

// OfHidden reports whether something has to be hidden to meet the condition, by what it is or by how its name
// begins, as far as the words tell.
func (c *Condition) OfHidden() bool { return ofHidden(c.Root) }

func ofHidden(n Node) bool {
	switch n := n.(type) {
	case All:
		return slices.ContainsFunc(n, ofHidden)
	case Any:
		return slices.ContainsFunc(n, ofHidden)
	case Flag:
		return n.Field == hiddenField
	case *Test:
		return n.Field == nameField && (n.Op == Is || n.Op == Starts || n.Op == Like) && strings.HasPrefix(n.Values[0].Text, ".")
	}
	return false
}

// walk visits the tests that have to be met, not those whose opposite has.
func walk(n Node, visit func(*Test)) {
	switch n := n.(type) {
	case All:
		for _, part := range n {
			walk(part, visit)
		}
	case Any:
		for _, part := range n {
			walk(part, visit)
		}
	case *Test:
		visit(n)
	}
}

// slip says what was likely meant by a test that nothing may meet; "" for nothing.
func (t *Test) slip() string {
	if t.Field.Type != entry.Text {
		return ""
	}
	name, text := t.Field.Name, t.Values[0].Text
	wild := strings.ContainsAny(text, "*?") && t.Op != Like && t.Op != Matches
	switch {
	case wild && t.Op == Has && strings.Trim(text, "*?") != "" && !strings.ContainsAny(strings.Trim(text, "*"), "*?"):
		return fmt.Sprintf("* stands for itself in %s; a pattern is %s like %s", t, name, quote("*"+strings.Trim(text, "*")+"*"))
	case wild:
		return fmt.Sprintf("* and ? stand for themselves in %s; a pattern is %s like %s", t, name, quote(text))
	case (name == "name" || name == "stem") && strings.Contains(text, "/") && t.Op != Matches:
		return fmt.Sprintf("a name has no / in it, only a path has: path %s %s", t.Op, quote(text))
	case (name == "name" || name == "stem" || name == "path") && t.Op == Is:
		return fmt.Sprintf("is compares the whole %s; for a piece of it, write %s has %s", name, name, quote(text))
	case t.Op == Like && !strings.ContainsAny(text, "*?[{"):
		return fmt.Sprintf("like compares the whole %s, and there is no * in %s; for a piece of it, write %s has %s", name, quote(text), name, quote(text))
	}
	return ""
}
