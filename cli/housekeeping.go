package cli

import (
	"context"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/core/ledger"
)

// housekeeping makes a command that does something with the whole ledger. The
// ledger is opened to be written to, or only to be read.
func (p *Program) housekeeping(use, short, long string, write bool, args cobra.PositionalArgs, do func(ctx context.Context, l *ledger.Ledger, path string, args []string) error) *cobra.Command {
	var file string
	var hosts flags.Parsed[[]string]
	cmd := &cobra.Command{
		Use:   use,
		Short: short,
		Long:  long,
		Args:  args,
		RunE: func(cmd *cobra.Command, args []string) error {
			ctx := cmd.Context()
			l, path, err := p.ledgers.Open(ctx, file)
			if err == nil && write {
				l.Close()
				l, path, err = p.ledgers.Create(ctx, file)
			}
			if err != nil {
				return err
			}
			defer l.Close()
			if h := hostsMeant(cmd, &hosts); h.Given {
				l.Only(h.Names...)
			}
			return do(ctx, l, path, args)
		},
	}
	cmd.Flags().SortFlags = false
	addLedger(cmd, &file, "the `FILE` with the records")
	group(cmd, groupWhere, "ledger")
	addHost(cmd, &hosts)
	return cmd
}

// changing does something that a signal does not end half-way.
func (p *Program) changing(what string, do func() error) error {
	defer p.Writing(what)()
	return do()
}
