package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/usage"
	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
)

// action makes the command of an action. The options it has of its own are added
// by a function, and read by another.
func (p *Program) action(action plans.Action, use, long string, flags func(cmd *cobra.Command, o *actOptions), read func(cmd *cobra.Command, o *actOptions, r *question) error, shown ...example) *cobra.Command {
	o := &actOptions{}
	cmd := &cobra.Command{
		Use:               use,
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

// newNameFirst puts the new name of one file in front of it, if it was written after it.
func newNameFirst(args []string) []string {
	if len(args) == 2 && there(args[0]) && !there(args[1]) && !strings.ContainsAny(args[1], "@/") && args[1] != usage.Where {
		return []string{args[1], args[0]}
	}
	return args
}

// pathless refuses a command that is not told what it is run on.
func (p *Program) pathless(command []string) error {
	named := verbs.Replace(command, "/\x00")
	for i, word := range command {
		if named[i] != strings.ReplaceAll(word, "@@", "@") {
			return nil
		}
	}
	for _, mark := range []string{"{}", "{.}", "%", "$1", "$f", "$file"} {
		if slices.Contains(command, mark) {
			return usage.Repaired(usage.Misuse("%s has no meaning here: write @path where the path of each match belongs", mark), p.args.Instead(mark, "@path"))
		}
	}
	return usage.Repaired(usage.Misuse("the command does not name what to work on: write @path where the path of each match belongs"), append(slices.Clip(p.args), "@path"))
}

// withInto offers the line that has the folder to put things into as an option.
func (p *Program) withInto(places []string) error {
	last := places[len(places)-1]
	err := usage.MisuseOf("into", "--into FOLDER is missing: where to?")
	if line := p.args.Without([]string{last}); line != nil {
		err = usage.Repaired(err, append(line, "--into", last))
	}
	if len(places) == 2 && !there(last) && !strings.ContainsAny(last, "/@") && p.args[1] == "move" {
		err = usage.Repaired(err, []string{"act", "rename", last, places[0]})
	}
	return err
}

// act answers with a plan, or carries it out.
func (p *Program) act(cmd *cobra.Command, action plans.Action, o *actOptions, read func(*cobra.Command, *actOptions, *question) error, args []string) error {
	var first string // what stands before the places
	switch action {
	case plans.Permit:
		if len(args) == 0 {
			return usage.Misuse("say which permissions: %s 0640 PLACE", cmd.CommandPath())
		}
		if err := p.permissionsFirst(args); err != nil {
			return err
		}
		first, args = args[0], args[1:]
	case plans.Own, plans.Rename:
		if len(args) == 0 {
			return usage.Misuse("say %s first: %s", map[plans.Action]string{plans.Own: "which owner", plans.Rename: "which pattern"}[action], "frank act "+strings.ReplaceAll(cmd.Use, "…", ""))
		}
		if action == plans.Rename {
			args = newNameFirst(args)
		}
		first, args = args[0], args[1:]
	case plans.Run:
		before, command, err := commandWords(cmd, args)
		if err != nil {
			return err
		}
		if err := verbs.CheckCommand(command, o.batch); err != nil {
			return usage.Misuse("%w", err)
		}
		if err := p.pathless(command); err != nil {
			return err
		}
		o.plan.Command, args = commandOf(command), before
	}
	places, _, has := usage.SplitWhere(args)
	o.below = has || cmd.Flags().Changed("depth")
	if err := o.readFirst(action, first, places); err != nil {
		return err
	}
	if err := o.check(); err != nil {
		return err
	}
	if (action == plans.Move || action == plans.Copy) && o.into == "" && len(places) > 1 {
		return p.withInto(places)
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
