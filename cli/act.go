package cli

import (
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"frankledger/cli/suggest"
	"frankledger/cli/usage"
	"frankledger/core/act"
	"frankledger/core/act/namepattern"
	"frankledger/core/act/plans"
	"frankledger/core/exact"
	"frankledger/core/text"
)

func (p *Program) actCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "act ACTION",
		Short: "plan, then carry out, an action on every match",
		Long: `Does something with what was found. The answer is a plan: every step, what it would
do, and anything that prevents it. Nothing is changed until --carry-out is added, or
until a plan saved with --to plan.json is carried out. Everything done is written to a
journal, and "frank act undo" undoes it.

Without where, the action applies to the places named, which may be files, folders, or
lists of paths (@@FILE). With where, it applies to what matches below them; with --depth,
to what is in them, so many levels down.

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

// actions are all the commands under act.
func actions() []named {
	return []named{
		{"hide", (*Program).hideCommand}, {"reveal", (*Program).revealCommand}, {"rename", (*Program).renameCommand}, {"copy", (*Program).copyCommand},
		{"move", (*Program).moveCommand}, {"remove", (*Program).removeCommand}, {"clear", (*Program).clearCommand}, {"stamp", (*Program).stampCommand},
		{"permit", (*Program).permitCommand}, {"own", (*Program).ownCommand}, {"run", (*Program).runCommand}, {"carry-out", (*Program).carryOutCommand},
		{"create", (*Program).createCommand}, {"journal", (*Program).actJournalCommand}, {"undo", (*Program).undoCommand},
	}
}

func (p *Program) hideCommand() *cobra.Command {
	return p.action(plans.Hide, "hide PLACE… [where CONDITION…]", "give names a leading dot, so that lists leave them out", "", addNumber, nil,
		example{"act hide notes where name starts 'minutes'", "a plan"},
		example{"act hide notes where name starts 'minutes' --carry-out --yes", "done"})
}

func (p *Program) revealCommand() *cobra.Command {
	return p.action(plans.Reveal, "reveal PLACE… [where CONDITION…]", "take the leading dot off names, and the system's hidden flag away", "", addNumber, nil,
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
		example{"act move cards where name starts DUMP --into exchange --keep-folders", "with their folders"},
		example{"act move cards where kind is file --into 'exchange/@year/@month'", "sorted by when they were modified; @year:taken is that of a picture"})
}

// addInto adds the options of what puts things into a folder.
func addInto(cmd *cobra.Command, o *actOptions) {
	f := cmd.Flags()
	f.StringVar(&o.into, "into", "", "the `FOLDER` to put them into; a part of it may be a pattern, as in photos/@year/@month")
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
	folder, pattern := partedInto(o.into)
	if pattern != "" {
		if _, err := namepattern.ParseFolders(pattern, time.Local); err != nil {
			return usage.MisuseOf("into", "--into: %w", err)
		}
		o.plan.Folders = exact.Text(pattern)
	}
	if o.plan.Into, err = act.Target(folder); err != nil {
		return targetTrouble(err)
	}
	return nil
}

// partedInto parts where things are to be put into a folder and, from the first @ on, a pattern of folders in it.
func partedInto(into string) (folder, pattern string) {
	at := strings.IndexByte(into, '@')
	if at < 0 || there(into) {
		return into, ""
	}
	slash := strings.LastIndexByte(into[:at], '/')
	switch slash {
	case -1:
		return ".", into
	case 0:
		return "/", into[1:]
	}
	return into[:slash], into[slash+1:]
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
		`Gives each match a name made by a pattern, in the folder it is in; one file also gets a
plain name. In the pattern stand
`+patternHelp()+`
:lower or :upper after a word changes its letters, and @n:3 writes three digits. @@ is a
plain @. Put the pattern in quotes. What has its new name already is left out; two that
would get the same name are refused, and names that things give to one another go round.`,
		addNumber, nil,
		example{"act rename best.wav 'recordings/best call.wav'", "one file, a new name"},
		example{"act rename '@stem.@ext:lower' cards where kind is file", "extensions in small letters"},
		example{"act rename '@stem.@type' . where mislabelled", "the extension that the content has"},
		example{"act rename '@date @n:3.@ext' 'cards/card 12' where ext is wav --carry-out --yes", "by day and number"})
}

// patternHelp says what stands in a pattern.
func patternHelp() string {
	var lines []string
	for _, one := range namepattern.Words() {
		lines = append(lines, fmt.Sprintf("  %-8s %s", one.Word, one.Means))
	}
	return strings.Join(lines, "\n")
}

func addReally(cmd *cobra.Command, o *actOptions) {
	cmd.Flags().BoolVar(&o.plan.Really, "really", false, "also a home folder or a mount point, if it is named explicitly")
	group(cmd, groupDo, "really")
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
(2026-11-20T14:00, '15 June 2019 8:40 pm', 'yesterday 20:40', '3 days ago') or to the
times of another file. When details were changed is set by the system alone.`,
		func(cmd *cobra.Command, o *actOptions) {
			f := cmd.Flags()
			f.StringVar(&o.modified, "modified", "", "set to this moment, `WHEN`, when they were last modified")
			f.StringVar(&o.accessed, "accessed", "", "set to this moment, `WHEN`, when they were last read")
			f.StringVar(&o.both, "both", "", "set both to this moment, `WHEN`")
			f.StringVar(&o.like, "like", "", "set both to the times of this `FILE`")
			group(cmd, groupDo, "modified", "accessed", "both", "like")
		},
		func(cmd *cobra.Command, o *actOptions, r *question) error { return o.readTimes(r) },
		example{"act stamp handover where kind is file --modified 2026-11-20T09:00", "a plan"},
		example{"act stamp notes/rota.md --like notes/today.md", "the times of another file"})
}

func (p *Program) permitCommand() *cobra.Command {
	return p.action(plans.Permit, "permit MODE PLACE… [where CONDITION…]", "set permissions",
		`Sets permissions, written as POSIX defines them: octal, such as 0640, or symbolic, such
as u+rw,g-w,o= or a+X (x for folders, and for files that have some x).`,
		func(*cobra.Command, *actOptions) {}, nil,
		example{"act permit g-w notes where mode any go+w", "a plan"},
		example{"act permit go-w notes --depth all", "everything in it"},
		example{"act permit 0640 'read me first.txt' --carry-out --yes", "done"})
}
