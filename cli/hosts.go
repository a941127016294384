package cli

import (
	"context"

	"frankledger/cli/place"
	"frankledger/core/ledger"
	"frankledger/render/typeset"
)

// Here it is decided of which machines records are asked about.

// tellNamesake says that another machine has recorded under the name of this one.
func (p *Program) tellNamesake(l *ledger.Ledger, host string) {
	if l.Namesake() {
		p.Say("frank: another machine has recorded as %s before. If two machines have that name, rename one of them. If this machine was set up anew, all is well.", typeset.Escaped(host))
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
