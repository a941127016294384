package flags

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/usage"
)

// exclusion is two options that cannot stand together, each as NAME or, where only one value is meant,
// NAME=VALUE, and why.
type exclusion struct {
	one, other, why string
	commands        []string // that it is about; nil for all that have both options
}

// exclusions are all there are. What is written first is said first.
var exclusions = slices.Concat([]exclusion{
	{one: "to", other: "page=always", why: "the answer goes either to a file or to the screen"},
	{one: "self", other: "depth", why: "list the folder itself or what is in it"},
	{one: "self", other: "hidden", why: "the folder itself is always shown"},
	{one: "totals", other: "order=none", why: "a total is known only at the end"},
	{one: "order=none", other: "as=html", why: "a page is written from the start, and sorts by any column itself", commands: []string{"list", "search"}},
	{one: "spares", other: "first", why: "a list of spares is always complete"},
	{one: "from", other: "keep-in", why: "what other places have stays"},
	{one: "from", other: "keep=oldest", why: "what other places have stays"},
	{one: "from", other: "keep=newest", why: "what other places have stays"},
	{one: "from", other: "keep=shortest-path", why: "what other places have stays"},
	{one: "for-good", other: "by=hard-links"},
	{one: "for-good", other: "by=shared"},
	{one: "ask=each", other: "yes"},
	{one: "to", other: "carry-out", why: "save the plan or carry it out"},
	{one: "expect", other: "as=manifest", why: "it works on one file"},
	{one: "since", other: "as=svg", why: "a picture shows only what is there now", commands: []string{"tally"}},
	{one: "since", other: "cross", why: "a table of both has no room for before and now"},
	{one: "heaviest", other: "by=files", why: "each row is one file"},
	{one: "heaviest", other: "picture=map", why: "a map shows folders"},
	{one: "since", other: "as=paths", why: "a path does not show how much changed", commands: []string{"weigh"}},
	{one: "since", other: "as=paths0", why: "a path does not show how much changed", commands: []string{"weigh"}},
},
	[]exclusion{{one: "from", other: "last", why: "--last counts from the end", commands: []string{"read"}}, {one: "first", other: "last", why: "show the first lines or the last ones", commands: []string{"read"}}},
	each("copy", "--copy already reads all content, and ignores everything else", "content", "ignore"),
	each("count", "--count shows only a number", "as", "columns", "order", "first"),
	each("only-in", "one lists files that have a copy, the other files that have none", "keep", "keep-in", "spares", "across", "empty", "confirm", "folders", "first"),
	each("heaviest", "--heaviest shows only files", "depth", "first", "at-least", "largest", "explain"),
	each("explain", "--explain shows everything that was added up for one folder", "depth", "first", "at-least", "largest"),
	each("since", "--since compares folders, before and now", "explain", "largest", "heaviest"),
	[]exclusion{
		{one: "explain", other: "as=svg", why: "a picture shows only the sizes of now"},
		{one: "since", other: "as=svg", why: "a picture shows only the sizes of now", commands: []string{"weigh"}},
		{one: "largest", other: "as=svg", why: "a picture shows only the sizes of now"},
	},
	each("like", "it sets both times", "modified", "accessed", "both"),
	each("both", "it sets both times", "modified", "accessed"),
)

// each are the exclusions of an option by several others for one reason.
func each(one, why string, others ...string) (all []exclusion) {
	for _, other := range others {
		all = append(all, exclusion{one: one, other: other, why: why})
	}
	return all
}

// CheckExclusions returns an error if two options of a command were written that cannot stand together. The format is
// the one that the answer has, which the ending of a file may tell.
func CheckExclusions(cmd *cobra.Command, format string) error {
	for _, x := range exclusions {
		if x.commands != nil && !slices.Contains(x.commands, cmd.Name()) || !stands(cmd, x.one, format) || !stands(cmd, x.other, format) {
			continue
		}
		name, _, _ := strings.Cut(x.one, "=")
		why := ""
		if x.why != "" {
			why = ": " + x.why
		}
		return usage.MisuseOf(name, "--%s and --%s contradict each other%s", strings.Replace(x.one, "=", " ", 1), strings.Replace(x.other, "=", " ", 1), why)
	}
	return nil
}

// stands reports whether an option, or one value of it, was chosen.
func stands(cmd *cobra.Command, option, format string) bool {
	name, value, one := strings.Cut(option, "=")
	f := cmd.Flags().Lookup(name)
	switch {
	case f == nil:
		return false
	case name == "as" && one:
		return value == format
	case one:
		return f.Value.String() == value && (f.Changed || value != f.DefValue)
	case f.Value.Type() == "bool":
		return f.Value.String() == "true"
	}
	return f.Changed && f.Value.String() != ""
}

// Exclusions returns the options that exclude one another, a pair each, as NAME or NAME=VALUE.
func Exclusions() (pairs [][2]string) {
	for _, x := range exclusions {
		pairs = append(pairs, [2]string{x.one, x.other})
	}
	return pairs
}
