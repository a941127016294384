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
