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
		Use: "act ACTION",
		Long: `Acts on what you found. The answer is a plan: every step, what it would do, and anything
that prevents it. Nothing changes until you add --carry-out, or carry out a plan that you
saved with --to plan.json. A journal keeps what was done, and "frank act undo" undoes it.

Without where, the action applies to the places you name: files, folders, or lists of
paths (@@FILE). With where, it applies to the matches below them. With --depth, it applies
to everything in them, that many levels down.

Nothing is ever overwritten: a step that would overwrite something is refused. An entry
that has changed since the plan was made is left alone. Actions apply to links themselves,
not to their targets.`,
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
				return usage.Repaired(usage.Misuse("there is no action %q; use %s", args[0], action[0]), p.args.Instead(args[0], action...))
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
	p.addNamed(cmd, namedBy(actions(), words))
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
		{"hide", "hide entries from lists: put a dot before their names", (*Program).hideCommand},
		{"reveal", "show hidden entries again: remove the dot or the hidden flag", (*Program).revealCommand},
		{"rename", "rename entries by a pattern", (*Program).renameCommand},
		{"copy", "copy entries into a folder, and verify the copies", (*Program).copyCommand},
		{"move", "move entries into a folder", (*Program).moveCommand},
		{"remove", "put entries into the trash, or remove them for good", (*Program).removeCommand},
		{"clear", "remove files and folders whose content exists elsewhere", (*Program).clearCommand},
		{"stamp", "set when entries were modified or read", (*Program).stampCommand},
		{"permit", "change permissions", (*Program).permitCommand},
		{"own", "change the owner or the group", (*Program).ownCommand},
		{"run", "run a command on each match", (*Program).runCommand},
		{"carry-out", "carry out a saved plan", (*Program).carryOutCommand},
		{"create", "make empty files, and folders for names that end with a slash", (*Program).createCommand},
		{"journal", "show what was done, and to what, newest first", (*Program).actJournalCommand},
		{"undo", "undo what was done, as far as possible", (*Program).undoCommand},
	}
}

func (p *Program) hideCommand() *cobra.Command {
	return p.action(plans.Hide, "hide PLACE… [where CONDITION…]", "", addNumber, nil,
		example{"act hide notes where name starts 'minutes'", "a plan"},
		example{"act hide notes where name starts 'minutes' --carry-out --yes", "done"})
}

func (p *Program) revealCommand() *cobra.Command {
	return p.action(plans.Reveal, "reveal PLACE… [where CONDITION…]", "", addNumber, nil,
		example{"act reveal . where hidden and kind is file", "a plan"})
}

func addNumber(cmd *cobra.Command, o *actOptions) {
	cmd.Flags().BoolVar(&o.plan.Number, "number", false, "if a name is taken, use a free one, such as name-2")
	group(cmd, groupDo, "number")
}

func (p *Program) moveCommand() *cobra.Command {
	return p.action(plans.Move, "move PLACE… [where CONDITION…] --into FOLDER",
		`Moves entries into a folder, and creates the folder if it does not exist. To move
something to another disk, frank copies it, reads the copy back, compares, and only then
removes the original. Access lists, attributes and hard links are kept; the plan says what
the other disk cannot keep.`,
		func(cmd *cobra.Command, o *actOptions) {
			addInto(cmd, o)
			addReally(cmd, o)
		}, readInto,
		example{"act move cards where ext is tmp --into exchange/tmp", "a plan"},
		example{"act move cards where name starts DUMP --into exchange --keep-folders", "keep their folders"},
		example{"act move cards where kind is file --into 'exchange/@year/@month'", "sort by the day of modification; @year:taken: the day a picture was taken"})
}

// addInto adds the options of what puts things into a folder.
func addInto(cmd *cobra.Command, o *actOptions) {
	f := cmd.Flags()
	f.StringVar(&o.into, "into", "", "the `FOLDER` to put them into; it may contain a pattern, as in photos/@year/@month")
	f.BoolVar(&o.plan.KeepFolders, "keep-folders", false, "keep the folders between the place and the entry")
	f.BoolVar(&o.plan.Strict, "strict", false, "refuse entries that would lose something there, instead of only reporting it")
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
	return p.action(plans.Copy, "copy PLACE… [where CONDITION…] --into FOLDER",
		`Copies entries, with everything in them, into a folder, and creates the folder if it does
not exist. Each copy is read back and compared before it gets its name. It keeps owner,
permissions, times, access lists, attributes, holes and hard links; the plan says what the
other disk cannot keep. Undo removes a copy that has not changed since.`,
		addInto, readInto,
		example{"act copy recordings where modified within 30 days --into exchange/november", "a plan"},
		example{"act copy handover --into exchange --strict --carry-out --yes", "refuse what would lose something"})
}

func (p *Program) ownCommand() *cobra.Command {
	return p.action(plans.Own, "own OWNER[:GROUP] PLACE… [where CONDITION…]",
		`Sets the owner, the group (:GROUP), or both, by name or by number. Only an administrator can change the owner. When the owner of a program changes, the
system removes its set-user bits and capabilities; undo restores them.`,
		func(*cobra.Command, *actOptions) {}, nil,
		example{"act own :staff notes", "a plan: change the group of the folder itself"},
		example{"act own vala:staff notes where owner is unknown", "everything below it whose owner has no account here"})
}

func (p *Program) renameCommand() *cobra.Command {
	return p.action(plans.Rename, "rename PATTERN PLACE… [where CONDITION…]",
		`Renames each match by a pattern, within its folder. A single file can also get a plain
name. These words of a pattern are replaced:

`+patternHelp()+`
:lower or :upper after a word changes its letters; @n:3 writes three digits; @@ is a plain
@. Put the pattern in quotes. A match that already has its new name is left out. Two
matches that would get the same name are refused. Entries may exchange names.`,
		addNumber, nil,
		example{"act rename best.wav 'recordings/best call.wav'", "one file, a new name"},
		example{"act rename '@stem.@ext:lower' cards where kind is file", "write extensions in small letters"},
		example{"act rename '@stem.@type' . where mislabelled", "use the extension that fits the content"},
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
	cmd.Flags().BoolVar(&o.plan.Really, "really", false, "allow a home folder or a mount point, if you name it as a place")
	group(cmd, groupDo, "really")
}

func (p *Program) removeCommand() *cobra.Command {
	return p.action(plans.Remove, "remove PLACE… [where CONDITION…]",
		`Puts entries into the trash that desktop programs share (freedesktop.org): in your home
folder or, on another disk, at the top of that disk. --for-good removes entries without
the trash; that cannot be undone.`,
		func(cmd *cobra.Command, o *actOptions) {
			cmd.Flags().BoolVar(&o.plan.ForGood, "for-good", false, "remove for good, without the trash")
			group(cmd, groupDo, "for-good")
			addReally(cmd, o)
		}, nil,
		example{"act remove cards where ext is tmp", "a plan"},
		example{"act remove cards where ext is tmp --carry-out --yes", "carry it out without asking"},
		example{"act remove @@spares.jsonl", "remove the spares that duplicates listed"})
}

func (p *Program) stampCommand() *cobra.Command {
	return p.action(plans.Stamp, "stamp PLACE… [where CONDITION…]",
		`Sets when entries were last modified or read. Write the moment as in conditions
(2026-11-20T14:00, '15 June 2019 8:40 pm', 'yesterday 20:40', '3 days ago'), or take the
times of another file. Only the system can set when details were changed.`,
		func(cmd *cobra.Command, o *actOptions) {
			f := cmd.Flags()
			f.StringVar(&o.modified, "modified", "", "set the time of modification to this moment, `WHEN`")
			f.StringVar(&o.accessed, "accessed", "", "set the time of last access to this moment, `WHEN`")
			f.StringVar(&o.both, "both", "", "set both times to this moment, `WHEN`")
			f.StringVar(&o.like, "like", "", "take both times from this `FILE`")
			group(cmd, groupDo, "modified", "accessed", "both", "like")
		},
		func(cmd *cobra.Command, o *actOptions, r *question) error { return o.readTimes(r) },
		example{"act stamp handover where kind is file --modified 2026-11-20T09:00", "a plan"},
		example{"act stamp notes/rota.md --like notes/today.md", "the times of another file"})
}

func (p *Program) permitCommand() *cobra.Command {
	return p.action(plans.Permit, "permit MODE PLACE… [where CONDITION…]",
		`Sets permissions, written as in POSIX: octal, such as 0640, or symbolic, such as
u+rw,g-w,o= or a+X (x for folders, and for files that already have some x).`,
		func(*cobra.Command, *actOptions) {}, nil,
		example{"act permit g-w notes where mode any go+w", "a plan"},
		example{"act permit go-w notes --depth all", "everything in it"},
		example{"act permit 0640 'read me first.txt' --carry-out --yes", "done"})
}
