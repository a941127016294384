package ledger

import (
	"context"
	"strings"

	"frankledger/core/ledger/store/postgres"
)

// Shared reports whether a ledger is named as one in a database, which machines may share.
func Shared(name string) bool { return postgres.Is(name) }

// CheckName returns an error if a ledger cannot have a name: it looks like a connection to a
// database, and is none.
func CheckName(name string) error {
	if postgres.Doubtful(name) {
		return ErrDoubtful
	}
	return nil
}

// Shown is how a ledger is named to people: without the password that may be in it. It leaves what
// does not name a database as it is, and takes an option with its value, too.
func Shown(name string) string {
	if option, value, is := strings.Cut(name, "="); is && strings.HasPrefix(option, "-") {
		return option + "=" + postgres.Redacted(value)
	}
	return postgres.Redacted(name)
}

// Prepare makes a ledger in a database, or brings one up to this version, and reports which of
// these it did.
func Prepare(ctx context.Context, name string) (made, upgraded bool, err error) {
	return postgres.Prepare(ctx, name)
}

// Hosts returns all hosts that have records, in order.
func (l *Ledger) Hosts(ctx context.Context) ([]string, error) {
	return l.Store.Hosts(ctx)
}

// Wide has a ledger in a database be read by several connections at once.
func (l *Ledger) Wide() {
	l.Store.Wide()
}

// Only has the ledger tell of records of some hosts only, of all if none are named.
func (l *Ledger) Only(hosts ...string) {
	l.Chosen = hosts
	l.Store.Only(hosts...)
}
