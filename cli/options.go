package cli

import (
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/core/account"
	"frankledger/core/arrange"
	"frankledger/core/condition"
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
	columns, order string
	usual          string // columns of a table, unless others are asked for
	defaults       string // the key of the configuration for these
	first          int
}

// lookingOptions say where to look.
type lookingOptions struct {
	depth, hidden               string
	skip                        []string
	typedSkips                  int // how many of these were on the command line
	follow, sameDisk, matchCase bool
	ledger, host, saveList      string
}

// showingOptions say how an answer is shown, and where it goes.
type showingOptions struct {
	forms            []*render.Form // that it can be
	format, asOf, to string
	units, times     flags.Choice
	colour, page     flags.Choice
	replace, quiet   bool
	byEnding         bool // the format was told by the ending of the file
}

// addReading gives a command all shared options. The hidden word and the depth
// are its defaults.
func addReading(cmd *cobra.Command, o *readingOptions, hidden, depth string) {
	f := cmd.Flags()
	f.SortFlags = false
	f.StringVarP(&o.columns, "columns", "c", "", "the `FIELDS` to show, separated by commas, or all")
	f.StringVarP(&o.order, "order", "o", "", "the `FIELDS` to sort by, each with /reverse after it for the opposite order, or none: as found")
	f.IntVarP(&o.first, "first", "f", 0, "show only the first `NUMBER`")
	group(cmd, groupWhat, "columns", "order", "first")
	shared(cmd, "columns", "order", "first")

	addDepth(cmd, &o.lookingOptions, depth)
	addLooking(cmd, &o.lookingOptions, hidden)
	addShowing(cmd, &o.showingOptions, render.Forms)
	complete(cmd, "columns", listOf(append(entry.FieldNames(), allWord)))
	complete(cmd, "order", listOf(orderWords()))
}

// addDepth gives a command the option on how deep to look. Those without it look all
// the way down.
func addDepth(cmd *cobra.Command, o *lookingOptions, depth string) {
	cmd.Flags().StringVarP(&o.depth, "depth", "d", depth, "the `NUMBER` of levels to look down, or all")
	group(cmd, groupWhere, "depth")
	shared(cmd, "depth")
	complete(cmd, "depth", oneOf([]string{"1", "2", "3", allWord}))
}

// addLooking gives a command the shared options on where to look. The word is its
// default for hidden entries.
func addLooking(cmd *cobra.Command, o *lookingOptions, hidden string) {
	f := cmd.Flags()
	f.StringVar(&o.hidden, "hidden", hidden, "`WHAT` to do with hidden entries: show, omit or only")
	f.StringArrayVarP(&o.skip, "skip", "k", nil, "a `PATTERN` of folders to skip: a name with * ? [a-z], or a path with /")
	f.BoolVar(&o.follow, "follow", false, "follow links to folders, reading each folder once")
	f.BoolVar(&o.sameDisk, "same-disk", false, "stay on the same file system")
	f.BoolVarP(&o.matchCase, "match-case", "m", false, "match upper and lower case exactly")
	addLedger(cmd, &o.ledger, "the `FILE` with the records, for places like @weekly")
	group(cmd, groupWhere, "hidden", "skip", "follow", "same-disk", "match-case", "ledger")
	shared(cmd, "hidden", "skip", "follow", "same-disk", "match-case", "ledger")
	addHost(cmd, &o.host)
	complete(cmd, "hidden", oneOf(hiddenWords))
}

// addShowing gives a command the shared options on how and where to show its
// answer.
func addShowing(cmd *cobra.Command, o *showingOptions, forms []*render.Form) {
	f := cmd.Flags()
	o.forms = forms
	f.StringVarP(&o.format, "as", "a", forms[0].Name, "the `FORMAT`: "+strings.Join(render.Names(forms), ", "))
	flags.AddChoice(f, &o.units, "units", "", units.SizeWords(), true, "the `UNITS` of sizes: binary (1 KiB = 1024 B), decimal (1 kB = 1000 B) or bytes")
	flags.AddChoice(f, &o.times, "times", "", units.TimeWords(), true, "the `STYLE` of times: relative, local or utc")
	f.StringVar(&o.asOf, "as-of", "", "count ages from this moment, `WHEN`: 2026-11-23T14:00, yesterday, '3 days ago'")
	flags.AddChoice(f, &o.colour, "colour", "", whenWords, true, "`WHEN` to use colour: auto, always or never")
	f.BoolVarP(&o.quiet, "quiet", "q", false, "leave out heading, footer and progress")
	group(cmd, groupHow, "as", "units", "times", "as-of", "colour", "quiet")
	shared(cmd, "as", "units", "times", "as-of", "colour", "quiet")

	f.StringVarP(&o.to, "to", "t", "", "the `FILE` to write to, completely or not at all")
	f.BoolVar(&o.replace, "replace", false, "replace an existing file, with --to and others that save")
	flags.AddChoice(f, &o.page, "page", "", whenWords, false, "`WHEN` to use $PAGER: auto (if taller than the screen), always or never")
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
	program   *condition.Program
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
	switch {
	case cmd.Flags().Changed("first") && o.first < 1:
		return nil, usage.MisuseOf("first", "--first takes a number from 1 on, not %d", o.first)
	case cmd.Flags().Changed("columns") && r.form.Paths:
		return nil, usage.MisuseOf("as", "--as %s has no columns; leave --columns out or choose another format", o.format)
	}
	r.first = o.first
	o.typedSkips = len(o.skip)
	o.skip = append(o.skip, r.config.Values["skip"].List...)
	if err := r.readRequest(cmd, &o.lookingOptions); err != nil {
		return nil, err
	}
	if r.order, err = arrange.ParseOrder(o.order); err != nil {
		return nil, usage.MisuseOf("order", "--order: %w", err)
	}
	r.request.Facts |= r.order.Needs()
	for _, key := range r.order.Keys {
		r.view.Sorted = append(r.view.Sorted, key.Field.Name)
	}
	if o.columns == "" && r.form == render.Table {
		o.columns = r.config.Text(o.defaults)
	}
	r.view.Every = o.columns != ""
	if o.columns == "" && r.form == render.Table {
		o.columns = o.usual
	}
	r.usual = o.columns == "" && r.form.ForPeople()
	return r, r.readColumns(o.columns)
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
	return r, p.readView(r, o)
}

// ofRecords is showing for a command that asks about records of a ledger, of this machine or of others.
func (p *Program) ofRecords(cmd *cobra.Command, o *showingOptions, ledger, host string) (*question, error) {
	r, err := p.showing(cmd, o)
	if err != nil {
		return nil, err
	}
	r.ledger = ledger
	r.hosts, err = readHosts(cmd, host)
	return r, err
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
		return usage.MisuseOf("replace", "--replace only goes with --to, --save-list or --remember")
	}
	if !form.ForPeople() {
		for _, name := range []string{"units", "times"} {
			if changed(name) {
				return usage.Misuse("--%s is for tables: %s always has sizes in bytes and times in UTC", name, o.format)
			}
		}
	}
	return nil
}

func (r *question) readRequest(cmd *cobra.Command, o *lookingOptions) error {
	r.ledger, r.matchCase = o.ledger, o.matchCase
	var err error
	if r.hosts, err = readHosts(cmd, o.host); err != nil {
		return err
	}
	if o.saveList != "" {
		if filepath.Clean(o.saveList) == filepath.Clean(r.to) {
			return usage.MisuseOf("save-list", "--save-list and --to contradict each other: both go to %s", typeset.Escaped(r.to))
		}
		r.keeping = &keeping{file: o.saveList}
	}
	r.request.Depth = source.AllDepths
	if cmd.Flags().Lookup("depth") != nil && o.depth != allWord {
		n, err := strconv.Atoi(o.depth)
		if err != nil || n < 1 {
			hint := ""
			if n == 0 && err == nil && cmd.Flags().Lookup("self") != nil {
				hint = "; --self shows the folder itself"
			}
			return usage.MisuseOf("depth", "--depth takes a number from 1 on, or all, not %q%s", o.depth, hint)
		}
		r.request.Depth = n
	}
	hidden, err := source.ParseHidden(o.hidden)
	if err != nil {
		return usage.MisuseOf("hidden", "--hidden %w", err)
	}
	r.request.Hidden = hidden
	r.request.Follow, r.request.SameDisk = o.follow, o.sameDisk
	if r.request.Skip, err = source.Skipper(o.skip, o.matchCase); err != nil {
		return usage.MisuseOf("skip", "--skip: %w", err)
	}
	return nil
}

// readColumns reads which fields of entries are to be shown.
func (r *question) readColumns(words string) (err error) {
	if r.fields, err = parseColumns(words, r.form); err != nil {
		return usage.MisuseOf("columns", "--columns: %w", err)
	}
	for _, f := range r.fields {
		r.request.Facts |= f.Needs
	}
	return nil
}

func (p *Program) readView(r *question, o *showingOptions) (err error) {
	v := &report.View{View: &render.View{Zone: p.Zone(), Plain: o.quiet}}
	r.view = v
	v.Units, v.Times = units.Sizes(max(0, o.units.Index())), units.Times(max(0, o.times.Index()))
	asOf := time.Now()
	if o.asOf != "" {
		if asOf, err = condition.ParseMoment(o.asOf, asOf, v.Zone); err != nil {
			return usage.MisuseOf("as-of", "--as-of: %w", err)
		}
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
		if onScreen && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb" {
			v.Palette = style.Colours
		}
	}
	return nil
}

// addLedger gives a command the option on where records are kept.
func addLedger(cmd *cobra.Command, name *string, meaning string) {
	cmd.Flags().StringVar(name, "ledger", "", meaning)
}

// addHost gives a command the option on whose records are meant.
func addHost(cmd *cobra.Command, words *string) {
	cmd.Flags().StringVar(words, "host", "", "the `NAMES` of the machines whose records are meant, separated by commas, or all")
	group(cmd, groupWhere, "host")
	shared(cmd, "host")
	complete(cmd, "host", completeHosts)
}

// readHosts reads the words of --host.
func readHosts(cmd *cobra.Command, words string) (h place.Hosts, err error) {
	if !cmd.Flags().Changed("host") {
		return h, nil
	}
	h.Given = true
	h.Names, err = place.HostsIn([]string{words})
	if err != nil {
		err = usage.MisuseOf("host", "--host: %w", err)
	}
	return h, err
}
