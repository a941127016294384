package cli

import (
	"cmp"
	"errors"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"frankledger/cli/flags"
	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/core/arrange"
	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/render"
	"frankledger/render/typeset"
)

// searchOptions are the options of search beside those that all commands share.
type searchOptions struct {
	reading               readingOptions
	funnel, count, effort bool
	name                  string
	failIf                flags.Choice
}

func (p *Program) searchCommand() *cobra.Command {
	var o searchOptions
	cmd := &cobra.Command{
		Use: "search [PLACE…] PIECE… | where CONDITION…",
		Long: `Looks through folders and everything below them, hidden entries too, and lists every
match: one per line, with its path from the place.

Words that name nothing here are pieces of a name. A name must have all of them, in any
order. A word with * ? or [ in it is a pattern; put it in quotes. Words that name a folder
or a file are places to look in: frank search ./dawn ridge looks for ridge in dawn.

After where comes a condition. frank help conditions shows how to write one, and frank
fields lists what you can ask.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			return p.search(cmd, &o, args)
		},
	}
	addSearch(cmd, &o)
	examples(cmd,
		example{"search dawn ridge", "pieces of a name, at any depth"},
		example{"search '*.png' maps", "a pattern, in one folder"},
		example{"search where name has dawn and ridge and modified within 7 days and size over 1MB", "one more condition at a time, until the count is right"},
		example{"search where ext is wav and size over 10MB --columns name,size,modified --order size", "with details, largest first"},
		example{"search where empty or broken or mislabelled", "what needs attention?"},
		example{"search where 'kind is file and (size over 20MB or age over 1 year)'", "as one word, with parentheses"},
		example{"search recordings where name has ridge and name has dawn and size over 1MB --funnel --count", "how many entries each condition let through"},
		example{"search @weekly:all dawn", "look in all records of a label: when was it first and last there?"},
		example{"search . where owner is unknown --save-list strangers.txt", "save the list"},
		example{"list @@strangers.txt", "and look at it later"},
		example{"search recordings where ext is wav and modified within 3 days --remember fresh", "save the search itself; frank recall fresh runs it again"},
	)
	return cmd
}

// addSearch gives a command the options of search.
func addSearch(cmd *cobra.Command, o *searchOptions) {
	f := cmd.Flags()
	f.SortFlags = false
	f.BoolVar(&o.count, "count", false, "show only the number of matches")
	f.BoolVar(&o.funnel, "funnel", false, "also show how many entries each condition let through, in the order written")
	f.BoolVar(&o.effort, "effort", false, "also show how much was read to find them")
	group(cmd, groupWhat, "count", "funnel", "effort")
	addReading(cmd, &o.reading, "show", allWord)
	flags.AddChoice(f, &o.failIf, "fail-if", "", failWords, "", "end with status 1 if `HOW` many match: none or any; for scripts")
	addKeeping(cmd, &o.reading.lookingOptions)
	f.StringVar(&o.name, "remember", "", "save the search under this `NAME`, for frank recall")
	group(cmd, groupOut, "remember", "fail-if")
	complete(cmd, "fail-if", oneOf(failWords))
}

// failWords are when a search can be made to fail.
var failWords = []string{"none", "any"}

// search answers with the entries that meet the condition.
func (p *Program) search(cmd *cobra.Command, o *searchOptions, args []string) error {
	if _, words, has := usage.SplitWhere(args); has && len(words) == 0 {
		return usage.Misuse("a condition is missing after where; for example: %s where name has dawn", cmd.CommandPath())
	}
	var form *render.Form
	if o.count {
		form = render.Counted
	}
	o.reading.usual, o.reading.defaults = "name", "columns.search"
	r, err := p.question(cmd, &o.reading)
	if err != nil {
		return err
	}
	if form != nil {
		r.form, r.order = form, arrange.Order{AsIs: true}
	}
	r.funnel, r.effort = o.funnel, o.effort
	if args, err = p.pieces(cmd, r, args); err != nil {
		return err
	}
	places, err := p.where(r, args)
	if err != nil {
		return err
	}
	if r.request.Sought != nil && r.form == render.Table && !r.view.Every {
		r.show(fieldsNamed([]string{"name", "line", "text"}))
	}
	if len(r.pieces) > 0 {
		r.slips = append(r.slips, p.inPaths(args, r.pieces))
	}
	r.failIf = o.failIf.Index()
	for _, given := range places {
		if _, _, is := allOf(given); !is {
			continue
		}
		if len(places) > 1 || o.count || o.name != "" || r.keeping != nil || r.order.Keys != nil || r.order.Backward {
			return usage.Misuse("%s stands alone: it takes no other place, and no --count, --order, --remember or --save-list", typeset.Escaped(given))
		}
		return p.searchAll(cmd.Context(), r, given)
	}
	err = p.list(cmd.Context(), r, places, false)
	var f *usage.Failure
	if o.name != "" && (err == nil || errors.As(err, &f) && f.Err == nil) { // there is an answer
		err = cmp.Or(p.remember(cmd, o, r.replace, places, r.condition.String()), err)
	}
	return err
}

// inPaths says how pieces are looked for that folders have in their names, not what lies in these.
func (p *Program) inPaths(args, pieces []string) string {
	places, _, has := usage.SplitWhere(args)
	line := slices.Concat([]string{"search"}, places, []string{usage.Where})
	for i, piece := range pieces {
		if i > 0 {
			line = append(line, "and")
		}
		line = append(line, "path", "has", strings.Trim(piece, "*"))
	}
	text := "pieces are looked for in names only; to find what is in folders with such names: " + usage.CommandLine(line)
	if has {
		text += " and …"
	}
	return text
}

// mostSpoken is how many words a condition may have without where: more are likely names that the
// shell has put in.
const mostSpoken = 200

// pieces parts the words of a search before where: those that name no place are pieces
// of names. Without where, and if nothing else is one, so are those that name a file.
func (p *Program) pieces(cmd *cobra.Command, r *question, args []string) (places []string, err error) {
	words, _, has := usage.SplitWhere(args)
	var files []string
	for _, word := range words {
		info, err := os.Lstat(word)
		switch {
		case err != nil && !usage.IsMarked(word) && !strings.Contains(word, "/"):
			if word != "" || has {
				r.pieces = append(r.pieces, word)
			}
			continue
		case err == nil && info.Mode().IsRegular() && !strings.Contains(word, "/"):
			files = append(files, word)
		}
		places = append(places, word)
	}
	if has {
		return p.piecesAndWhere(r, places, args)
	}
	if len(r.pieces) == 0 && len(files) == 1 {
		r.pieces, places = files, slices.DeleteFunc(places, func(word string) bool { return word == files[0] })
	}
	for i := range args { // the words of a condition are likely meant as one
		if slices.Contains(places, args[i]) || len(args[i:]) < 2 || len(args) > mostSpoken {
			continue
		}
		if c, wrong := condition.Parse(args[i:]); wrong == nil {
			r.pieces = nil
			if !c.Spoken {
				p.taken(r, usage.Where+" "+typeset.Escaped(c.String()))
			}
			return slices.Concat(args[:i], []string{usage.Where}, args[i:]), nil
		}
		break
	}
	if len(r.pieces) > 0 {
		return places, nil
	}
	if line := p.unquoted(places); line != nil {
		return nil, usage.Repaired(usage.Misuse("the shell seems to have turned a pattern into names already"), line)
	}
	if len(places) == 0 {
		return nil, usage.Repaired(usage.Misuse("say what to look for: pieces of a name, or a condition after where"),
			[]string{"search", "dawn"}, []string{"search", "where", "name", "has", "dawn"})
	}
	err = usage.Misuse("say what to look for in %s: pieces of a name, or a condition after where", typeset.Escaped(strings.Join(places, " ")))
	if len(places) == 1 {
		err = usage.Repaired(err, slices.Concat([]string{"list"}, places), slices.Concat([]string{"list"}, places, []string{"--depth", allWord}))
		if piece := filepath.Base(filepath.Clean(places[0])); !strings.Contains("../", piece) {
			err = usage.Repaired(err, []string{"search", usage.Where, "name", "has", piece})
		}
	}
	return nil, err
}

// piecesAndWhere makes pieces and a condition one question. An empty word names nothing.
func (p *Program) piecesAndWhere(r *question, places, args []string) ([]string, error) {
	if slices.Contains(r.pieces, "") {
		return nil, usage.Misuse("a place cannot be empty; the current folder is .")
	}
	for _, piece := range r.pieces {
		r.slips = append(r.slips, "there is no place called "+typeset.ShellQuoted(piece)+" here, so frank looked for names that contain it")
	}
	return append(places, args[slices.Index(args, usage.Where):]...), nil
}

// unquoted is a search by the pattern that the shell has likely turned into names, which
// all end alike; nil if it has not.
func (p *Program) unquoted(names []string) []string {
	if len(names) < 2 {
		return nil
	}
	_, ext := entry.SplitName(filepath.Base(names[0]))
	for _, name := range names {
		if _, its := entry.SplitName(filepath.Base(name)); its != ext || ext == "" || strings.Contains(name, "/") {
			return nil
		}
	}
	return []string{"search", "*." + ext}
}

// remember keeps a search, and says so.
func (p *Program) remember(cmd *cobra.Command, o *searchOptions, replace bool, places []string, where string) error {
	name := o.name
	if strings.HasPrefix(name, "-") || name == "" {
		return usage.MisuseOf("remember", "--remember: %q cannot be a name", name)
	}
	path, err := config.SearchesFile()
	if err != nil {
		return usage.MisuseOf("remember", "--remember: %w", err)
	}
	if len(places) == 0 {
		places = []string{"."}
	}
	search := config.Search{Where: where}
	for _, place := range places {
		mark := ""
		if list, is := strings.CutPrefix(place, usage.ListMark); is {
			mark, place = usage.ListMark, list
		} else if strings.HasPrefix(place, usage.RecordMark) {
			search.Places = append(search.Places, place)
			continue
		}
		full, err := filepath.Abs(place)
		if err != nil {
			return err
		}
		search.Places = append(search.Places, mark+full)
	}
	cmd.Flags().Visit(func(f *pflag.Flag) {
		switch values, isList := f.Value.(pflag.SliceValue); {
		case slices.Contains([]string{"remember", "to", "replace", "save-list"}, f.Name):
		case isList:
			typed := values.GetSlice()
			if f.Name == "skip" { // without those of the configuration, which may change
				typed = typed[:o.reading.typedSkips]
			}
			for _, value := range typed {
				search.Options = append(search.Options, "--"+f.Name+"="+value)
			}
		default:
			search.Options = append(search.Options, "--"+f.Name+"="+ledger.Shown(f.Value.String()))
		}
	})
	err = config.ChangeSearches(path, func(searches map[string]config.Search) error {
		if was, taken := searches[name]; taken && !replace && !reflect.DeepEqual(was, search) {
			err := usage.MisuseOf("remember", "--remember: %s is a search already, for %s; --replace replaces it", typeset.Escaped(name), typeset.Escaped(was.Where))
			return usage.Repaired(err, append(slices.Clip(p.args), "--replace"))
		}
		searches[name] = search
		return nil
	})
	if err == nil {
		p.Say("remembered as %s: %s where %s", typeset.Escaped(name), typeset.Escaped(strings.Join(search.Places, " ")), typeset.Escaped(where))
	}
	return err
}
