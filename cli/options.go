package cli

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/suggest"
	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/core/account"
	"frankledger/core/arrange"
	"frankledger/core/condition"
	"frankledger/core/condition/compile"
	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/core/text"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/style"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// readingOptions are the options that commands that read places share, as they were
// written.
type readingOptions struct {
	lookingOptions
	showingOptions
	columns  flags.Parsed[columns]
	order    flags.Parsed[arrange.Order]
	reverse  bool
	usual    string // columns of a table, unless others are asked for
	defaults string // the key of the configuration for these
	first    flags.Parsed[int]
}

// lookingOptions say where to look.
type lookingOptions struct {
	depth                       flags.Parsed[int]
	hidden                      flags.Choice
	skip                        []string
	typedSkips                  int // how many of these were on the command line
	follow, sameDisk, matchCase bool
	ledger, saveList            string
	hosts                       flags.Parsed[[]string]
}

// showingOptions say how an answer is shown, and where it goes.
type showingOptions struct {
	forms          []*render.Form // that it can be
	format, to     string
	asOf           flags.Moment
	units, times   flags.Choice
	colour, page   flags.Choice
	replace, quiet bool
	byEnding       bool // the format was told by the ending of the file
}

// addReading gives a command all shared options. The hidden word and the depth
// are its defaults.
func addReading(cmd *cobra.Command, o *readingOptions, hidden, depth string) {
	f := cmd.Flags()
	f.SortFlags = false
	flags.AddParsed(f, &o.columns, "columns", "c", "", parseColumns, "the `FIELDS` to show, separated by commas, or all; +FIELD and -FIELD change the usual columns")
	flags.AddParsed(f, &o.order, "order", "o", "", arrange.ParseOrder, "the `FIELDS` to sort by, with /reverse for the opposite order; none: in the order found")
	flags.AddNumber(f, &o.first, "first", "f", "0", "show only the first `NUMBER`")
	group(cmd, groupWhat, "columns", "order", "first")
	shared(cmd, "columns", "order", "first")
	addReverse(cmd, &o.reverse)

	addDepth(cmd, &o.lookingOptions, depth)
	addLooking(cmd, &o.lookingOptions, hidden)
	addShowing(cmd, &o.showingOptions, render.Forms)
	complete(cmd, "columns", listOf(columnWords()))
	complete(cmd, "order", listOf(orderWords()))
}

// addReverse gives a command the option for the opposite order. It is told of at once, not only among the options
// of many commands.
func addReverse(cmd *cobra.Command, reverse *bool) {
	cmd.Flags().BoolVar(reverse, "reverse", false, "turn the order: oldest, smallest or Z first")
	group(cmd, groupWhat, "reverse")
}

// addDepth gives a command the option on how deep to look. Those without it look all
// the way down.
func addDepth(cmd *cobra.Command, o *lookingOptions, usual string) {
	levels(cmd, &o.depth, usual, 1, "the `NUMBER` of levels to look down, or all")
	group(cmd, groupWhere, "depth")
	shared(cmd, "depth")
}

// levels gives a command the option --depth, with a meaning of its own, for so many levels at least.
func levels(cmd *cobra.Command, to *flags.Parsed[int], usual string, least int, meaning string) {
	hint := func() string {
		if cmd.Flags().Lookup("self") == nil {
			return ""
		}
		return "; --self shows the folder itself"
	}
	flags.AddDepth(cmd.Flags(), to, "depth", "d", usual, least, source.AllDepths, hint, meaning)
	complete(cmd, "depth", oneOf([]string{"1", "2", "3", allWord}))
}

// addLooking gives a command the shared options on where to look. The word is its
// default for hidden entries.
func addLooking(cmd *cobra.Command, o *lookingOptions, hidden string) {
	f := cmd.Flags()
	flags.AddChoice(f, &o.hidden, "hidden", "", hiddenWords, hidden, "`WHAT` to do with hidden entries: show, omit or only; alone, show")
	pieces := cmd.Name() == "search" // where a word that names nothing is wanted
	o.hidden.Others = func(word string) bool {
		return word != usage.Where && !usage.IsMarked(word) && !there(word) && (!pieces || suggest.IsValue("hidden", word, hiddenWords))
	}
	flags.Bare(f, "hidden", hiddenWords[source.ShowHidden])
	f.StringArrayVarP(&o.skip, "skip", "k", nil, "a `PATTERN` of folders to skip: a name with * ? [a-z], or a path with /")
	f.BoolVar(&o.follow, "follow", false, "follow links to folders, reading each folder once")
	f.BoolVar(&o.sameDisk, "same-disk", false, "stay on the same file system")
	f.BoolVarP(&o.matchCase, "match-case", "m", false, "match upper and lower case exactly")
	addLedger(cmd, &o.ledger, "the `FILE` with the records, for places like @weekly")
	group(cmd, groupWhere, "hidden", "skip", "follow", "same-disk", "match-case", "ledger")
	shared(cmd, "hidden", "skip", "follow", "same-disk", "match-case", "ledger")
	addHost(cmd, &o.hosts)
	complete(cmd, "hidden", oneOf(hiddenWords))
}

// addShowing gives a command the shared options on how and where to show its
// answer.
func addShowing(cmd *cobra.Command, o *showingOptions, forms []*render.Form) {
	f := cmd.Flags()
	o.forms = forms
	f.StringVarP(&o.format, "as", "a", forms[0].Name, "the `FORMAT`: "+strings.Join(render.Names(forms), ", "))
	flags.AddChoice(f, &o.units, "units", "", units.SizeWords(), "", "the `UNITS` of sizes: binary (1 KiB = 1024 B), decimal (1 kB = 1000 B), bytes, or one unit, such as MiB")
	flags.AddChoice(f, &o.times, "times", "", units.TimeWords(), "", "the `STYLE` of times: relative, local or utc")
	flags.AddMoment(f, &o.asOf, "as-of", "count ages from this moment, `WHEN`: 2026-11-23T14:00, yesterday, '3 days ago'")
	flags.AddChoice(f, &o.colour, "colour", "", whenWords, "", "`WHEN` to use colour: auto, always or never")
	f.BoolVarP(&o.quiet, "quiet", "q", false, "leave out heading, footer and progress")
	group(cmd, groupHow, "as", "units", "times", "as-of", "colour", "quiet")
	shared(cmd, "as", "units", "times", "as-of", "colour", "quiet")

	f.StringVarP(&o.to, "to", "t", "", "the `FILE` to write to, completely or not at all")
	f.BoolVar(&o.replace, "replace", false, "with --to and other options that save: replace an existing file")
	flags.AddChoice(f, &o.page, "page", "", whenWords, autoWord, "`WHEN` to use $PAGER: auto (if longer than the screen), always or never")
	group(cmd, groupOut, "to", "replace", "page")
	shared(cmd, "to", "replace", "page")

	complete(cmd, "as", oneOf(render.Names(forms)))
	complete(cmd, "units", oneOf(units.SizeWords()))
	complete(cmd, "times", oneOf(units.TimeWords()))
	complete(cmd, "colour", oneOf(whenWords))
	complete(cmd, "page", oneOf(whenWords))
}

// options are what the options of a command say, checked. They are read once: only [Program.showing],
// [Program.ofRecords] and [Program.question] write to them.
type options struct {
	config    *config.Config
	written   func(option string) bool // whether an option was written on the command line
	byEnding  bool                     // the format was told by the ending of the file
	to        string
	replace   bool
	page      string
	quiet     bool
	order     arrange.Order
	first     int
	usual     bool // the columns are those that the program chooses
	matchCase bool
	ledger    string      // file, "" for the usual one
	hosts     place.Hosts // whose records are meant
}

// question is what a command asks, as it is put together from options, places and condition, and what there
// is to say beside the answer.
type question struct {
	options
	request   source.Request
	form      *render.Form
	fields    []*entry.Field // of entries, to be shown
	view      *report.View
	keeping   *keeping             // nil if nothing is
	pieces    []string             // of names, where no condition is written
	condition *condition.Condition // nil: none
	program   *compile.Program
	relative  bool // paths in the condition are from the places
	failIf    int  // when to end with the status for a difference: 0 if none is found, 1 if any is, -1 for never
	funnel    bool
	effort    bool

	notes   []string // about what is kept of the places
	slips   []string // what was likely meant instead, if nothing is found
	without []string // machines that have not got the path of the places that were opened last
}

// fill takes the words of options that were not written from the person's
// configuration.
func (r *question) fill(cmd *cobra.Command, options ...string) error {
	for _, name := range options {
		f := cmd.Flags().Lookup(name)
		if value, set := r.config.Values[name]; set && f != nil && !f.Changed {
			if err := f.Value.Set(value.Text); err != nil {
				return err
			}
		}
	}
	return nil
}

// question checks the options and fills in defaults: those of the person's
// configuration first, then those of the program.
func (p *Program) question(cmd *cobra.Command, o *readingOptions) (*question, error) {
	r, err := p.showing(cmd, &o.showingOptions)
	if err != nil {
		return nil, err
	}
	if err := r.fill(cmd, "order", "hidden"); err != nil {
		return nil, err
	}
	asked := o.columns.Value
	if cmd.Flags().Changed("columns") && r.form.Paths && !onlyPath(asked.fields) {
		return nil, usage.MisuseOf("as", "--as %s shows only paths; --columns full_path shows them from the root", o.format)
	}
	r.first, r.order = o.first.Value, o.order.Value
	if o.reverse {
		if r.order.AsIs {
			return nil, usage.MisuseOf("reverse", "--reverse and --order none contradict each other: entries come as they are found")
		}
		r.order = r.order.Reversed()
	}
	o.typedSkips = len(o.skip)
	o.skip = append(o.skip, r.config.Values["skip"].List...)
	if err := r.readRequest(cmd, &o.lookingOptions); err != nil {
		return nil, err
	}
	r.request.Facts |= r.order.Needs()
	for _, key := range r.order.Keys {
		r.view.Sorted = append(r.view.Sorted, key.Field.Name)
	}
	fields := fieldsNamed(r.form.Fields)
	if r.form == render.Table && o.usual != "" {
		fields = fieldsNamed(strings.Split(o.usual, ","))
	}
	r.usual = r.form.ForPeople() && (r.form != render.Table || o.usual == "")
	words := ""
	if r.form == render.Table {
		words = r.config.Text(o.defaults)
	}
	for _, c := range []func() (columns, error){
		func() (columns, error) { return parseColumns(words) },
		func() (columns, error) { return asked, nil },
	} {
		chosen, err := c()
		if err == nil {
			fields, err = chosen.of(fields)
		}
		if err != nil {
			return nil, usage.MisuseOf("columns", "--columns: %w", err)
		}
		r.usual = r.usual && len(chosen.fields) == 0
		r.view.Every = r.view.Every || len(chosen.fields) > 0 || chosen.changed()
	}
	r.show(fields)
	return r, nil
}

// onlyPath reports whether fields are one, which is a path.
func onlyPath(fields []*entry.Field) bool {
	return len(fields) == 1 && (fields[0].Name == "path" || fields[0].Name == "full_path")
}

// onlyInFiles are formats that make no sense on a terminal.
var onlyInFiles = map[*render.Form]string{render.HTML: "a page for a browser", render.SVG: "a picture"}

// showing checks the options of a command on how and where its answer is shown.
func (p *Program) showing(cmd *cobra.Command, o *showingOptions) (*question, error) {
	c, err := loadConfig()
	if err != nil {
		return nil, err
	}
	r := &question{options: options{config: c, to: o.to, replace: o.replace, page: o.page.String(), quiet: o.quiet, written: cmd.Flags().Changed}, failIf: -1}
	if err := r.fill(cmd, "units", "times", "colour"); err != nil {
		return nil, err
	}
	if r.form, err = p.chosenForm(cmd, o); err != nil {
		return nil, err
	}
	r.byEnding = o.byEnding
	if what := onlyInFiles[r.form]; what != "" && o.to == "" && session.IsTerminal(p.Out) {
		return nil, usage.Repaired(usage.MisuseOf("as", "--as %s is %s: write it to a file", r.form.Name, what), append(slices.Clip(p.args), "--to", cmd.Name()+"."+r.form.Endings[0]))
	}
	if err := flags.CheckExclusions(cmd, r.form.Name); err != nil {
		return nil, err
	}
	if err := contradictions(cmd, o, r.form); err != nil {
		return nil, err
	}
	if err := p.readView(r, o); err != nil {
		return nil, err
	}
	r.view.Subject = subjects[cmd.Name()]
	if r.view.Subject == "" && cmd.HasParent() && cmd.Parent().Name() == "act" {
		r.view.Subject = "What would be done (" + cmd.Name() + ")"
	}
	return r, nil
}

// ofRecords is showing for a command that asks about records of a ledger, of this machine or of others.
func (p *Program) ofRecords(cmd *cobra.Command, o *showingOptions, ledger string, hosts *flags.Parsed[[]string]) (*question, error) {
	r, err := p.showing(cmd, o)
	if err != nil {
		return nil, err
	}
	r.ledger, r.hosts = ledger, hostsMeant(cmd, hosts)
	return r, nil
}

// chosenForm returns the format that was asked for, if the command can have it.
func (p *Program) chosenForm(cmd *cobra.Command, o *showingOptions) (*render.Form, error) {
	if ending := strings.TrimPrefix(filepath.Ext(o.to), "."); ending != "" && !cmd.Flags().Changed("as") {
		return p.formOfEnding(cmd, o, ending)
	}
	if form := render.FormNamed(o.format); form != nil && slices.Contains(o.forms, form) {
		return form, nil
	}
	if len(o.forms) == len(render.Forms) {
		_, err := render.LookupForm(o.format)
		return nil, usage.MisuseOf("as", "--as: %w", err)
	}
	names := render.Names(o.forms)
	if near := text.Nearest(o.format, names); near != "" {
		return nil, usage.MisuseOf("as", "--as: %s cannot be %s; did you mean %s?", cmd.Name(), o.format, near)
	}
	return nil, usage.MisuseOf("as", "--as: %s can be %s, not %s", cmd.Name(), strings.Join(names, ", "), o.format)
}

// formOfEnding returns the format that a file mostly has whose name ends so.
func (p *Program) formOfEnding(cmd *cobra.Command, o *showingOptions, ending string) (*render.Form, error) {
	var endings []string
	for _, form := range o.forms {
		for _, its := range form.Endings {
			if strings.EqualFold(ending, its) {
				o.format, o.byEnding = form.Name, true
				return form, nil
			}
			endings = append(endings, "."+its)
		}
	}
	file := strings.TrimSuffix(o.to, filepath.Ext(o.to))
	likely := text.Nearest("."+ending, endings)
	if likely == "" {
		likely = "." + render.JSON.Endings[0] // every command can have that
	}
	err := usage.MisuseOf("to", "--to: the ending of %s names no format; %s do, and --as", typeset.Escaped(o.to), strings.Join(endings, ", "))
	return nil, usage.Repaired(err, slices.Concat(p.args, []string{"--as", o.forms[0].Name}), p.args.Instead(o.to, file+likely))
}

// columns are the fields of entries to be shown, as columns.
func (r *question) columns() []row.Column[*entry.Entry] {
	return append(entry.Columns(r.view.Context, r.fields...), entry.UnknownColumn(r.fields))
}

// contradictions finds options that do not go together.
func contradictions(cmd *cobra.Command, o *showingOptions, form *render.Form) error {
	changed := cmd.Flags().Changed
	switch {
	case o.replace && o.to == "" && !changed("save-list") && !changed("remember"):
		return usage.MisuseOf("replace", "--replace needs --to, --save-list or --remember")
	}
	if !form.ForPeople() && form != render.CSV {
		for _, name := range []string{"units", "times"} {
			if changed(name) {
				return usage.Misuse("--%s works with tables and CSV: %s always has sizes in bytes and times in UTC", name, o.format)
			}
		}
	}
	return nil
}

func (r *question) readRequest(cmd *cobra.Command, o *lookingOptions) error {
	r.ledger, r.matchCase, r.hosts = o.ledger, o.matchCase, hostsMeant(cmd, &o.hosts)
	if o.saveList != "" {
		if filepath.Clean(o.saveList) == filepath.Clean(r.to) {
			return usage.MisuseOf("save-list", "--save-list and --to contradict each other: both go to %s", typeset.Escaped(r.to))
		}
		r.keeping = &keeping{file: o.saveList}
	}
	r.request.Depth = source.AllDepths
	if cmd.Flags().Lookup("depth") != nil {
		r.request.Depth = o.depth.Value
	}
	r.request.Hidden = source.Hidden(o.hidden.Index())
	r.request.Follow, r.request.SameDisk = o.follow, o.sameDisk
	var err error
	if r.request.Skip, err = source.Skipper(o.skip, o.matchCase); err != nil {
		return usage.MisuseOf("skip", "--skip: %w", err)
	}
	return nil
}

// show has fields of entries shown.
func (r *question) show(fields []*entry.Field) {
	r.fields = fields
	for _, f := range fields {
		r.request.Facts |= f.Needs
	}
}

// subjects say what the page of a command shows, to a reader who never saw the program.
var subjects = map[string]string{
	"list":       "What is in a folder",
	"search":     "What was found",
	"weigh":      "How much space each folder takes",
	"tally":      "How many entries there are, and how large",
	"outline":    "What is in a folder, at each level",
	"inspect":    "All about one entry",
	"checksum":   "Digests of files",
	"verify":     "Files checked against a list of digests",
	"duplicates": "Files with the same content",
	"compare":    "How two places differ",
	"history":    "What became of a file or folder",
	"report":     "Report on what takes up space",
	"entries":    "Records in the ledger",
	"recall":     "What an earlier question found",
	"journal":    "What was done",
}

func (p *Program) readView(r *question, o *showingOptions) error {
	v := &report.View{View: &render.View{Zone: p.Zone(), Plain: o.quiet}}
	r.view = v
	v.Units, v.Times = units.Sizes(max(0, o.units.Index())), units.Times(max(0, o.times.Index()))
	v.UnitsAsked, v.TimesAsked = r.written("units"), r.written("times")
	if o.times.Index() < 0 && r.form == render.HTML { // how long ago would be read later
		v.Times = units.Local
	}
	v.Machine, _ = os.Hostname()
	asOf, err := o.asOf.At(time.Now(), v.Zone)
	if err != nil {
		return err
	}
	v.Context = &entry.Context{AsOf: asOf, Accounts: account.New()}

	width, _, onScreen := p.Screen()
	onScreen = onScreen && o.to == ""
	if onScreen {
		v.Width, v.Escape = width, true
	}
	switch o.colour.String() {
	case alwaysWord:
		v.Palette = style.Colours
	case "", autoWord:
		if onScreen {
			v.Palette = paletteOnScreen()
		}
	}
	return nil
}

// paletteOnScreen is what text on a terminal is coloured with, unless an option says otherwise.
func paletteOnScreen() style.Palette {
	if os.Getenv("NO_COLOR") != "" || os.Getenv("TERM") == "dumb" {
		return style.Palette{}
	}
	return style.Colours
}

// addLedger gives a command the option on where records are kept.
func addLedger(cmd *cobra.Command, name *string, meaning string) {
	cmd.Flags().StringVar(name, "ledger", "", meaning)
}

// addHost gives a command the option on whose records are meant.
func addHost(cmd *cobra.Command, names *flags.Parsed[[]string]) {
	flags.AddParsed(cmd.Flags(), names, "host", "", "", func(words string) ([]string, error) { return place.HostsIn([]string{words}) },
		"use the records of these machines: `NAMES` separated by commas, or all")
	group(cmd, groupWhere, "host")
	shared(cmd, "host")
	complete(cmd, "host", completeHosts)
}

// hostsMeant returns whose records are meant; by a command without --host, those of this machine.
func hostsMeant(cmd *cobra.Command, names *flags.Parsed[[]string]) place.Hosts {
	if names == nil || !cmd.Flags().Changed("host") {
		return place.Hosts{}
	}
	return place.Hosts{Given: true, Names: names.Value}
}
