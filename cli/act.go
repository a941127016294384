package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/suggest"
	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/core/account"
	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/source"
	"frankledger/core/text"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
)

// actOptions are the options of actions beside those that all commands share.
type actOptions struct {
	reading            readingOptions
	carryOut, yes      bool
	through            bool
	ask                flags.Choice
	into, like         string
	modified, accessed string
	plan               plans.Options
	jobs               int
	batch              bool
	limit              time.Duration
}

var actFormats = []*render.Form{render.Table, render.JSON, render.HTML}

const groupDo = "What to do"

func (p *Program) actCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "act ACTION",
		Short: "plan, then carry out, an action on every match",
		Long: `Does something with what was found. The answer is a plan: every step, what it would
do, and anything that prevents it. Nothing is changed until --carry-out is added, or
until a plan saved with --to plan.json is carried out. Everything done is written to a
journal, and "frank act undo" undoes it.

Without where, the action applies to the places named, which may be files, folders, or
lists of paths (@@FILE). With where, it applies to what matches below them.

Nothing is ever overwritten: a step that would do so is refused. What has changed since
the plan was made is left alone. The action applies to links themselves, not to their
targets.`,
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return cmd.Help()
			}
			var names []string
			for _, c := range cmd.Commands() {
				names = append(names, c.Name())
			}
			if action, known := suggest.OtherActions()[strings.ToLower(args[0])]; known {
				return usage.Repaired(usage.Misuse("there is no action %q; here it is: %s", args[0], action[0]), p.args.Instead(args[0], action...))
			}
			if near := text.Nearest(args[0], names); near != "" {
				return usage.Repaired(usage.Misuse("there is no action %q; did you mean %s?", args[0], near), p.args.Instead(args[0], near))
			}
			return usage.Misuse("there is no action %q; there are %s", args[0], strings.Join(names, ", "))
		},
	}
	var words []string
	if len(p.args) > 1 && p.args[0] == cmd.Name() {
		words = p.args[1:]
	}
	p.addNamed(cmd, actions(), words)
	examples(cmd,
		example{"act reveal notes where hidden", "a plan to show the hidden notes"},
		example{"act reveal notes where hidden --carry-out --yes", "and carry it out"},
		example{"act undo", "and undo it"},
	)
	return cmd
}

// action makes the command of an action. The options it has of its own are added
// by a function, and read by another.
func (p *Program) action(action plans.Action, use, short, long string, flags func(cmd *cobra.Command, o *actOptions), read func(cmd *cobra.Command, o *actOptions, r *question) error, shown ...example) *cobra.Command {
	o := &actOptions{}
	cmd := &cobra.Command{
		Use:               use,
		Short:             short,
		Long:              long,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			return p.act(cmd, action, o, read, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	flags(cmd, o)
	p.addCarrying(cmd, o)
	addDepth(cmd, &o.reading.lookingOptions, allWord)
	addLooking(cmd, &o.reading.lookingOptions, hiddenWords[0])
	addShowing(cmd, &o.reading.showingOptions, actFormats)
	examples(cmd, shown...)
	return cmd
}

const throughMeans = "a place that is a link stands for its target (stamp, permit, own: so does every link)"

func (p *Program) addCarrying(cmd *cobra.Command, o *actOptions) {
	f := cmd.Flags()
	f.BoolVar(&o.through, "through", false, throughMeans)
	f.BoolVar(&o.carryOut, "carry-out", false, "carry out the plan, after asking once")
	flags.AddChoice(f, &o.ask, "ask", "", askWords, true, "`HOW` to ask: each, for every entry")
	f.BoolVarP(&o.yes, "yes", "y", false, "do not ask")
	group(cmd, groupDo, "through", "carry-out", "ask", "yes")
	complete(cmd, "ask", oneOf([]string{"each"}))
}

// actions are all the commands under act.
func actions() []named {
	return []named{
		{"hide", (*Program).hideCommand}, {"reveal", (*Program).revealCommand}, {"rename", (*Program).renameCommand}, {"copy", (*Program).copyCommand},
		{"move", (*Program).moveCommand}, {"remove", (*Program).removeCommand}, {"clear", (*Program).clearCommand}, {"stamp", (*Program).stampCommand},
		{"permit", (*Program).permitCommand}, {"own", (*Program).ownCommand}, {"run", (*Program).runCommand}, {"carry-out", (*Program).carryOutCommand},
		{"journal", (*Program).actJournalCommand}, {"undo", (*Program).undoCommand},
	}
}

func (p *Program) hideCommand() *cobra.Command {
	return p.action(plans.Hide, "hide PLACE… [where CONDITION…]", "give names a leading dot, so that lists leave them out", "", addNumber, nil,
		example{"act hide notes where name starts 'minutes'", "a plan"},
		example{"act hide notes where name starts 'minutes' --carry-out --yes", "done"})
}

func (p *Program) revealCommand() *cobra.Command {
	return p.action(plans.Reveal, "reveal PLACE… [where CONDITION…]", "take the leading dot off names, so that lists show them", "", addNumber, nil,
		example{"act reveal . where hidden and kind is file", "a plan"})
}

func addNumber(cmd *cobra.Command, o *actOptions) {
	cmd.Flags().BoolVar(&o.plan.Number, "number", false, "if a name is taken, use a free one, such as name-2")
	group(cmd, groupDo, "number")
}

func (p *Program) moveCommand() *cobra.Command {
	return p.action(plans.Move, "move PLACE… [where CONDITION…] --into FOLDER", "move things into a folder",
		`Moves things into a folder, which is created if it does not exist. What goes to another
disk is copied, the copy is read back and compared, and only then is the original
removed. Access lists, attributes and hard links come along; the plan says what the
other disk cannot keep.`,
		func(cmd *cobra.Command, o *actOptions) {
			addInto(cmd, o)
			addReally(cmd, o)
		}, readInto,
		example{"act move cards where ext is tmp --into exchange/tmp", "a plan"},
		example{"act move cards where name starts DUMP --into exchange --keep-folders", "with their folders"})
}

// addInto adds the options of what puts things into a folder.
func addInto(cmd *cobra.Command, o *actOptions) {
	f := cmd.Flags()
	f.StringVar(&o.into, "into", "", "the `FOLDER` to put them into")
	f.BoolVar(&o.plan.KeepFolders, "keep-folders", false, "keep the folders between the place and the entry")
	f.BoolVar(&o.plan.Strict, "strict", false, "refuse what cannot keep everything there, rather than only saying so")
	group(cmd, groupDo, "into", "keep-folders", "strict")
	addNumber(cmd, o)
}

// readInto reads where things are to be put.
func readInto(_ *cobra.Command, o *actOptions, _ *question) (err error) {
	if o.into == "" {
		return usage.MisuseOf("into", "--into FOLDER is missing: where to?")
	}
	if o.plan.Into, err = act.Target(o.into); err != nil {
		return targetTrouble(err)
	}
	return nil
}

func (p *Program) copyCommand() *cobra.Command {
	return p.action(plans.Copy, "copy PLACE… [where CONDITION…] --into FOLDER", "copy things into a folder, and verify the copies",
		`Copies things, with all that is in them, into a folder, which is created if it does not
exist. Each copy is read back and compared before it gets its name. It keeps owner,
permissions, times, access lists, attributes, holes and hard links, as far as the other
disk can; the plan says what it cannot. Undo removes a copy that is still as it was made.`,
		addInto, readInto,
		example{"act copy recordings where modified within 30 days --into exchange/november", "a plan"},
		example{"act copy handover --into exchange --strict --carry-out --yes", "only if nothing would be lost"})
}

func (p *Program) ownCommand() *cobra.Command {
	return p.action(plans.Own, "own OWNER[:GROUP] PLACE… [where CONDITION…]", "give things to another owner or group",
		`Sets the owner, the group (:GROUP), or both, by name or by number. Only an administrator
can give things to another owner. The system takes set-user bits and capabilities away
from programs that get another owner; undo gives these back too.`,
		func(*cobra.Command, *actOptions) {}, nil,
		example{"act own :staff notes", "a plan: another group for the folder itself"},
		example{"act own vala:staff notes where owner is unknown", "everything below it that has no owner here"})
}

func (p *Program) renameCommand() *cobra.Command {
	return p.action(plans.Rename, "rename PATTERN PLACE… [where CONDITION…]", "give things names by a pattern",
		`Gives each match a name made by a pattern, in the folder it is in. In the pattern stand
`+patternHelp()+`
:lower or :upper after a word changes its letters, and @n:3 writes three digits. @@ is a
plain @. Put the pattern in quotes. What has its new name already is left out; two that
would get the same name are refused, and names that things give to one another go round.`,
		addNumber, nil,
		example{"act rename '@stem.@ext:lower' cards where kind is file", "extensions in small letters"},
		example{"act rename '@stem.@type' . where mislabelled", "the extension that the content has"},
		example{"act rename '@date @n:3.@ext' 'cards/card 12' where ext is wav --carry-out --yes", "by day and number"})
}

// patternHelp says what stands in a pattern.
func patternHelp() string {
	var lines []string
	for _, one := range verbs.PatternWords() {
		lines = append(lines, fmt.Sprintf("  %-8s %s", one.Word, one.Means))
	}
	return strings.Join(lines, "\n")
}

func addReally(cmd *cobra.Command, o *actOptions) {
	cmd.Flags().BoolVar(&o.plan.Really, "really", false, "also a home folder or a mount point, if it is named explicitly")
	group(cmd, groupDo, "really")
}

// targetTrouble says what is wrong with a folder to move into.
func targetTrouble(err error) error {
	var t *act.TargetError
	if errors.As(err, &t) {
		return usage.MisuseOf("into", "--into: %s %w", typeset.Escaped(t.Path), t.Err)
	}
	return err
}

func (p *Program) removeCommand() *cobra.Command {
	return p.action(plans.Remove, "remove PLACE… [where CONDITION…]", "put things into the trash, or remove them for good",
		`Puts things into the trash that programs share (freedesktop.org): the one in the home
folder or, on other disks, the one at the top of the disk. --for-good removes things
without the trash, which cannot be undone.`,
		func(cmd *cobra.Command, o *actOptions) {
			cmd.Flags().BoolVar(&o.plan.ForGood, "for-good", false, "remove for good, without the trash")
			group(cmd, groupDo, "for-good")
			addReally(cmd, o)
		}, nil,
		example{"act remove cards where ext is tmp", "a plan"},
		example{"act remove cards where ext is tmp --carry-out --yes", "carried out, without a question"},
		example{"act remove @@spares.jsonl", "the spares listed by duplicates"})
}

func (p *Program) stampCommand() *cobra.Command {
	return p.action(plans.Stamp, "stamp PLACE… [where CONDITION…]", "set the times of things",
		`Sets when things were last modified or read, to a moment written as in conditions
(2026-11-20T14:00, yesterday, '3 days ago') or to the times of another file. When
details were changed is set by the system alone.`,
		func(cmd *cobra.Command, o *actOptions) {
			f := cmd.Flags()
			f.StringVar(&o.modified, "modified", "", "set to this moment, `WHEN`, when they were last modified")
			f.StringVar(&o.accessed, "accessed", "", "set to this moment, `WHEN`, when they were last read")
			f.StringVar(&o.like, "like", "", "set both to the times of this `FILE`")
			group(cmd, groupDo, "modified", "accessed", "like")
		},
		func(cmd *cobra.Command, o *actOptions, r *question) error { return o.readTimes(r) },
		example{"act stamp handover where kind is file --modified 2026-11-20T09:00", "a plan"},
		example{"act stamp notes/rota.md --like notes/today.md", "the times of another file"})
}

// readTimes reads the times to be set.
func (o *actOptions) readTimes(r *question) error {
	if o.like != "" {
		modified, accessed, err := act.TimesOf(o.like)
		if err != nil {
			return usage.MisuseOf("like", "--like: %s: %w", typeset.Escaped(o.like), err)
		}
		o.plan.Modified, o.plan.Accessed = &modified, &accessed
		return nil
	}
	for _, one := range []struct {
		option, text string
		to           **exact.Time
	}{{"modified", o.modified, &o.plan.Modified}, {"accessed", o.accessed, &o.plan.Accessed}} {
		if one.text == "" {
			continue
		}
		when, err := condition.ParseMoment(one.text, r.view.Context.AsOf, r.view.Zone)
		if err != nil {
			return usage.MisuseOf(one.option, "--%s: %w", one.option, err)
		}
		t := exact.Time(entry.TimeOf(when))
		*one.to = &t
	}
	if o.plan.Modified == nil && o.plan.Accessed == nil {
		return usage.Misuse("say which time: --modified WHEN, --accessed WHEN or --like FILE")
	}
	return nil
}

func (p *Program) permitCommand() *cobra.Command {
	return p.action(plans.Permit, "permit MODE PLACE… [where CONDITION…]", "set permissions",
		`Sets permissions, written as POSIX defines them: octal, such as 0640, or symbolic, such
as u+rw,g-w,o= or a+X (x for folders, and for files that have some x).`,
		func(*cobra.Command, *actOptions) {}, nil,
		example{"act permit g-w notes where mode any go+w", "a plan"},
		example{"act permit 0640 'read me first.txt' --carry-out --yes", "done"})
}

// permissionsFirst returns an error where the permissions stand after a place.
func (p *Program) permissionsFirst(args []string) error {
	_, first := verbs.ParseMode(args[0], 0)
	at := slices.IndexFunc(args, func(word string) bool {
		_, err := verbs.ParseMode(word, 0)
		return err == nil
	})
	if first == nil || at < 0 {
		return nil
	}
	mode := args[at]
	line := p.args.Instead(mode)
	if before := slices.Index(line, args[0]); before >= 0 {
		line = slices.Insert(line, before, mode)
	}
	return usage.Repaired(usage.Misuse("the permissions come first: %s", mode), line)
}

// act answers with a plan, or carries it out.
func (p *Program) act(cmd *cobra.Command, action plans.Action, o *actOptions, read func(*cobra.Command, *actOptions, *question) error, args []string) error {
	if action == plans.Permit {
		if len(args) == 0 {
			return usage.Misuse("say which permissions: %s 0640 PLACE", cmd.CommandPath())
		}
		if err := p.permissionsFirst(args); err != nil {
			return err
		}
		o.plan.Mode, args = args[0], args[1:]
	}
	if action == plans.Own || action == plans.Rename {
		if len(args) == 0 {
			return usage.Misuse("say %s first: %s", map[plans.Action]string{plans.Own: "which owner", plans.Rename: "which pattern"}[action], "frank act "+strings.ReplaceAll(cmd.Use, "…", ""))
		}
		if err := o.readFirst(action, args[0]); err != nil {
			return err
		}
		args = args[1:]
	}
	if action == plans.Run {
		before, command, err := commandWords(cmd, args)
		if err != nil {
			return err
		}
		if err := verbs.CheckCommand(command, o.batch); err != nil {
			return usage.Misuse("%w", err)
		}
		o.plan.Command, args = commandOf(command), before
	}
	if err := o.check(); err != nil {
		return err
	}
	r, err := p.question(cmd, &o.reading)
	if err != nil {
		return err
	}
	if read != nil {
		if err := read(cmd, o, r); err != nil {
			return err
		}
	}
	plan, summary, err := p.plan(cmd, action, o, r, args)
	if err != nil {
		return err
	}
	if action == plans.Run {
		return p.runPlan(cmd.Context(), r, o, plan, summary)
	}
	return p.carryOutOrShow(cmd.Context(), r, o, plan, summary)
}

// readFirst reads what stands before the places.
func (o *actOptions) readFirst(action plans.Action, word string) (err error) {
	if action == plans.Rename {
		if _, err := verbs.ParsePattern(word, time.Local); err != nil {
			return usage.Misuse("%s: %w", typeset.Escaped(word), err)
		}
		o.plan.Pattern = exact.Text(word)
		return nil
	}
	if o.plan.Owner, err = plans.OwnerNamed(account.New(), word); err != nil {
		return usage.Misuse("%w", err)
	}
	return nil
}

// askWords are the ways to ask.
var askWords = []string{"each"}

// asks reports whether every step is asked about.
func (o *actOptions) asks() bool { return o.ask.Index() >= 0 }

// check returns an error if an option is for another one that was not written.
func (o *actOptions) check() error {
	if !o.carryOut && (o.asks() || o.yes) {
		return usage.MisuseOf("ask", "--ask and --yes are only for --carry-out")
	}
	return nil
}

// plan makes a plan for what is named, or matches.
func (p *Program) plan(cmd *cobra.Command, action plans.Action, o *actOptions, r *question, args []string) (*plans.Plan, *report.Summary, error) {
	places, _, chosen := usage.SplitWhere(args)
	if len(places) == 0 && !chosen {
		return nil, nil, usage.Misuse("say what to act on: %s PLACE, or %s where CONDITION", cmd.CommandPath(), cmd.CommandPath())
	}
	sources, summary, err := p.open(cmd.Context(), r, args, place.AsNamed)
	if err != nil {
		return nil, nil, err
	}
	if err := p.nowOnly(sources); err != nil {
		return nil, nil, err
	}
	if missing := summary.Report.Problems; len(missing) > 0 {
		var texts []string
		for _, one := range missing {
			texts = append(texts, typeset.Escaped(one.Path)+": "+one.Err.Error())
		}
		return nil, nil, usage.Misuse("nothing was planned, as not all places are there: %s", strings.Join(texts, "; "))
	}
	planner, err := planner(action, o)
	if err != nil {
		return nil, nil, err
	}
	planner.Zone = r.view.Zone
	session.SpareMemory()
	a, err := ask(p, r, func(request source.Request) (*act.Planned, error) {
		return act.PlanRequest(cmd.Context(), planner, p.set(r, sources), act.Request{Request: request, Context: r.view.Context, Chosen: chosen, Through: o.through})
	})
	summary.Report.Add(a.Report)
	if a.Plan != nil {
		a.Plan.NameOwner = ownerWords
	}
	for _, place := range a.Links {
		summary.Notes = append(summary.Notes, typeset.Escaped(place.Given)+" is a link to "+typeset.Escaped(place.Real))
	}
	for range a.Bare {
		if action == plans.Remove {
			summary.Notes = append(summary.Notes, "a list of paths does not say what was there when it was made; one made by --spares --as jsonl does")
		}
	}
	var link *act.LinkError
	switch {
	case errors.As(err, &link):
		err = usage.Misuse("%s is a link to %s; write %s/ to act on what is in it", typeset.Escaped(link.Place.Given), typeset.Escaped(link.Place.Real), typeset.Escaped(link.Place.Given))
		err = usage.Repaired(err, p.args.Instead(link.Place.Given, link.Place.Given+"/"))
	case errors.Is(err, verbs.ErrMode), errors.Is(err, verbs.ErrPattern):
		err = usage.Misuse("%w", err)
	}
	return a.Plan, summary, err
}

// theirNames are the names of users and groups, which are looked up once.
var theirNames = sync.OnceValue(account.New)

// ownerWords names an owner and a group to people.
func ownerWords(uid, gid uint32) string {
	names := theirNames()
	user, known := names.User(uid)
	if !known {
		user = strconv.Itoa(int(uid))
	}
	group, known := names.Group(gid)
	if !known {
		group = strconv.Itoa(int(gid))
	}
	return user + ":" + group
}

// planner returns what makes plans here, for the person who runs this.
func planner(action plans.Action, o *actOptions) (*doing.Planner, error) {
	host, err := os.Hostname()
	if err != nil {
		return nil, err
	}
	home, _ := os.UserHomeDir() // there may be none
	if followed, err := filepath.EvalSymlinks(home); err == nil {
		home = followed
	}
	var keep []string
	if state, err := config.StateFolder(); err == nil {
		keep = append(keep, state)
	}
	return &doing.Planner{Action: action, Options: o.plan, Host: host, Home: home, Mask: entry.Permissions(output.Umask()), Trash: trashOfPerson(), Keep: keep}, nil
}
