package cli

import (
	"errors"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/core/account"
	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/namepattern"
	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// actOptions are the options of actions beside those that all commands share.
type actOptions struct {
	reading            readingOptions
	carryOut, yes      bool
	through            bool
	below              bool // what lies below the places is meant, as there is a condition or a depth
	ask                flags.Choice
	into, like         string
	modified, accessed string
	both               string // for both times
	plan               plans.Options
	jobs               int
	batch              bool
	limit              time.Duration
}

var actFormats = []*render.Form{render.Table, render.JSON, render.HTML}

func (p *Program) addCarrying(cmd *cobra.Command, o *actOptions) {
	f := cmd.Flags()
	f.BoolVar(&o.through, "through", false, throughMeans)
	f.BoolVar(&o.carryOut, "carry-out", false, "carry out the plan, after asking once")
	flags.AddChoice(f, &o.ask, "ask", "", askWords, "", "`HOW` to ask: each, for every entry")
	f.BoolVarP(&o.yes, "yes", "y", false, "do not ask")
	group(cmd, groupDo, "through", "carry-out", "ask", "yes")
	complete(cmd, "ask", oneOf([]string{"each"}))
}

// targetTrouble says what is wrong with a folder to move into.
func targetTrouble(err error) error {
	var t *act.TargetError
	if errors.As(err, &t) {
		return usage.MisuseOf("into", "--into: %s %w", typeset.Escaped(t.Path), t.Err)
	}
	return err
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
	}{{"modified", o.modified, &o.plan.Modified}, {"accessed", o.accessed, &o.plan.Accessed}, {"both", o.both, &o.plan.Modified}, {"both", o.both, &o.plan.Accessed}} {
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
		return usage.Misuse("say which time: --modified WHEN, --accessed WHEN, --both WHEN or --like FILE")
	}
	return nil
}

// readFirst reads what stands before the places of an action that needs that.
func (o *actOptions) readFirst(action plans.Action, word string, places []string) (err error) {
	switch action {
	case plans.Permit:
		o.plan.Mode = word
	case plans.Own:
		if o.plan.Owner, err = plans.OwnerNamed(account.New(), word); err != nil {
			return usage.Misuse("%w", err)
		}
	case plans.Rename:
		pattern, err := namepattern.Parse(word, time.Local)
		if err != nil {
			return usage.Misuse("%s: %w", typeset.Escaped(word), err)
		}
		if pattern.Plain() && (len(places) != 1 || o.below || usage.IsMarked(places[0]) || strings.Trim(places[0], "./") == "") {
			return usage.Misuse("%s: %w", typeset.Escaped(word), namepattern.ErrPlain)
		}
		o.plan.Pattern = exact.Text(word)
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
	if places, _, has := usage.SplitWhere(args); len(places) == 0 && !has {
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
		return nil, nil, usage.Misuse("nothing was planned, because some places do not exist: %s", strings.Join(texts, "; "))
	}
	planner, err := planner(action, o)
	if err != nil {
		return nil, nil, err
	}
	planner.Zone = r.view.Zone
	session.SpareMemory()
	a, err := ask(p, r, func(request source.Request) (*act.Planned, error) {
		return act.PlanRequest(cmd.Context(), planner, p.set(r, sources), act.Request{Request: request, Context: r.view.Context, Below: o.below, Through: o.through})
	})
	summary.Report.Add(a.Report)
	if a.Plan != nil {
		tellPeople(a.Plan, r)
	}
	for _, place := range a.Links {
		summary.Notes = append(summary.Notes, typeset.Escaped(place.Given)+" is a link to "+typeset.Escaped(place.Real))
	}
	for range a.Bare {
		if action == plans.Remove {
			summary.Notes = append(summary.Notes, "a list of paths does not say what was there when it was made; a list made by --spares --as jsonl does")
		}
	}
	var link *act.LinkError
	switch {
	case errors.As(err, &link):
		err = usage.Misuse("%s is a link to %s; write %s/ to act on what is in it", typeset.Escaped(link.Place.Given), typeset.Escaped(link.Place.Real), typeset.Escaped(link.Place.Given))
		err = usage.Repaired(err, p.args.Instead(link.Place.Given, link.Place.Given+"/"))
	case errors.Is(err, verbs.ErrMode), errors.Is(err, namepattern.Err):
		err = usage.Misuse("%w", err)
	}
	return a.Plan, summary, err
}

// theirNames are the names of users and groups, which are looked up once.
var theirNames = sync.OnceValue(account.New)

// tellPeople has a plan name entries, owners and moments as people read them.
func tellPeople(plan *plans.Plan, r *question) {
	plan.Relative = len(r.view.Places) == 1 && !r.view.Places[0].List
	plan.NameOwner = ownerWords
	clock := r.view.Clock()
	if !r.view.TimesAsked { // which is set, not how long ago that is
		clock.Times = units.Local
	}
	plan.TellTime = func(t entry.Time) string {
		if clock.Times == units.Local {
			return t.Std().In(clock.Zone).Format(time.DateTime)
		}
		both, split := clock.AppendMoment(nil, t)
		return strings.TrimSpace(string(both[:split]) + " " + string(both[split:]))
	}
}

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

// commandWords parts the words of a command line into those before -- and the
// command after it.
func commandWords(cmd *cobra.Command, args []string) (before, command []string, err error) {
	at := cmd.ArgsLenAtDash()
	if at < 0 {
		return nil, nil, usage.Misuse("write -- before the command: %s PLACE where … -- COMMAND @path", cmd.CommandPath())
	}
	return args[:at], args[at:], nil
}

// commandOf returns the words of a command as a plan keeps them.
func commandOf(words []string) (command []exact.Text) {
	for _, word := range words {
		command = append(command, exact.Text(word))
	}
	return command
}

const throughMeans = "act on the target of a place that is a link (stamp, permit, own: of every link)"
