package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/ledger"
	"frankledger/core/row"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// database returns the name of the ledger, which must be a database.
func database(option string) (string, error) {
	name, err := place.LedgerName(option, loadConfig)
	if err == nil && !ledger.Shared(name) {
		err = usage.Misuse("%s is a file, and everyone who may read the file may use it; logins belong to a database: --ledger postgresql://LOGIN@HOST/DATABASE", place.ShownLedger(name))
	}
	return name, err
}

// admitTrouble names the database in an error about it.
func admitTrouble(name string, err error) error {
	if errors.Is(err, ledger.ErrNone) {
		return place.WithoutLedger(name, err)
	}
	return place.LedgerTrouble(name, err)
}

func (p *Program) ledgerAdmitCommand() *cobra.Command {
	var file, login, right string
	var withdraw bool
	cmd := &cobra.Command{
		Use:   "admit HOST…|all --as LOGIN",
		Short: "give a login of the database the right to record or read machines",
		Long: `Lets a login of the database record these machines, and read their records. With --may
read, the login may only read; with --may keep, it may also drop, thin and accept. Its
rights to other machines stay as they are. Only the login that prepared the ledger can do
this. Make logins in the database itself. "frank ledger admissions" shows who may do what.`,
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			name, err := database(file)
			if err != nil {
				return err
			}
			hosts, err := place.HostsIn(args)
			switch {
			case err != nil:
				return err
			case len(args) == 0:
				return usage.Misuse("name the machines, or say all: %s web01 web02 --as LOGIN", cmd.CommandPath())
			case login == "":
				return usage.Misuse("say which login of the database: %s %s --as LOGIN", cmd.CommandPath(), strings.Join(args, " "))
			case withdraw && cmd.Flags().Changed("may"):
				return usage.MisuseOf("withdraw", "--withdraw removes all rights; use --may alone to give another one")
			case withdraw:
				right = ""
			}
			shown := strings.Join(hosts, ", ")
			if hosts == nil {
				hosts, shown = []string{ledger.EveryHost}, "all machines"
			}
			others, err := ledger.Admit(cmd.Context(), name, login, hosts, right)
			switch {
			case errors.Is(err, ledger.ErrRight):
				return usage.MisuseOf("may", "--may %s: %w", typeset.Escaped(right), err)
			case errors.Is(err, ledger.ErrNoLogin):
				return usage.Misuse("%w; an administrator of the database makes one: CREATE ROLE … LOGIN", err)
			case err != nil:
				return admitTrouble(name, err)
			}
			what := "may now " + right + " " + typeset.Escaped(shown)
			if withdraw {
				if what, err = withdrawn(cmd, name, login); err != nil {
					return admitTrouble(name, err)
				}
			}
			fmt.Fprintf(p.Output(), "%s %s\n", typeset.Escaped(login), what)
			for _, other := range others {
				if right == "record" && other.Host != ledger.EveryHost {
					fmt.Fprintf(p.Output(), "%s may record %s, too; a name should belong to one machine\n", typeset.Escaped(other.Login), typeset.Escaped(other.Host))
				}
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	addLedger(cmd, &file, "the `DATABASE` with the records")
	group(cmd, groupWhere, "ledger")
	f.StringVar(&login, "as", "", "the `LOGIN` of the database")
	f.StringVar(&right, "may", "record", "the `RIGHT` to give: read, record (and read) or keep (both, and remove)")
	f.BoolVar(&withdraw, "withdraw", false, "remove its rights to these machines")
	group(cmd, groupDo, "as", "may", "withdraw")
	complete(cmd, "may", oneOf(ledger.Rights))
	examples(cmd,
		example{"ledger admit web01 --as web01 --ledger postgresql://keeper@db.tern-point.example/inventory", "web01 may record itself"},
		example{"ledger admit all --as ana --may read --ledger postgresql://keeper@db.tern-point.example/inventory", "ana may ask about all machines"},
	)
	return cmd
}

// withdrawn says what a login may still do.
func withdrawn(cmd *cobra.Command, name, login string) (string, error) {
	list, err := ledger.Admissions(cmd.Context(), name)
	var left []string
	for _, one := range list {
		switch {
		case one.Login != login:
		case one.Host == ledger.EveryHost:
			left = append(left, one.May+" all machines")
		default:
			left = append(left, one.May+" "+one.Host)
		}
	}
	if len(left) == 0 {
		return "may do nothing now", err
	}
	return "may now only " + place.InShort(left), err
}

func (p *Program) ledgerAdmissionsCommand() *cobra.Command {
	var o showingOptions
	var file string
	cmd := &cobra.Command{
		Use:   "admissions",
		Short: "list the logins of the database, and what each may do",
		Args:  noArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			name, err := database(file)
			if err != nil {
				return err
			}
			r, err := p.showing(cmd, &o)
			if err != nil {
				return err
			}
			list, err := ledger.Admissions(cmd.Context(), name)
			if err != nil {
				return admitTrouble(name, err)
			}
			var rows row.List[*ledger.Admission]
			for i := range list {
				rows = append(rows, &list[i])
			}
			summary := &report.Summary{Grouped: true, Lead: units.Count(int64(len(list)), "admission", "admissions"), Notes: []string{"the ledger is " + place.ShownLedger(name)}}
			return write(p, r, summary, ledger.AdmissionColumns(), rows)
		},
	}
	cmd.Flags().SortFlags = false
	addLedger(cmd, &file, "the `DATABASE` with the records")
	group(cmd, groupWhere, "ledger")
	addShowing(cmd, &o, render.WithColumns())
	return cmd
}
