package cli

import (
	"context"

	"github.com/spf13/cobra"

	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/ledger"
	"frankledger/render/typeset"
)

// Here it is decided of which machines records are asked about.

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

// tellNamesake says that another machine has recorded under the name of this one.
func (p *Program) tellNamesake(l *ledger.Ledger, host string) {
	if l.Namesake() {
		p.Say("frank: another machine has recorded as %s before: if there are two of that name, give one of them another; if this one was set up anew, all is well", typeset.Escaped(host))
	}
}

// tellLate notes which machines have not recorded for longer than they do.
func (r *question) tellLate(ctx context.Context, l *ledger.Ledger) error {
	note, err := place.LateHosts(ctx, l, "", r.hosts, r.view.Context.AsOf)
	if note != "" {
		r.notes = append(r.notes, note)
	}
	return err
}
