package ledger

import (
	"context"
	"errors"
	"slices"

	"frankledger/core/ledger/store/postgres"
	"frankledger/core/row"
)

// EveryHost stands for all hosts where a login is admitted.
const EveryHost = postgres.EveryHost

// Rights are what a login can be admitted to do with records of a host, each with what is before
// it: keep is to take records away, and to lay together what they say.
var Rights = []string{"read", "record", "keep"}

// ErrRight is returned for a word that is none of these.
var ErrRight = errors.New("not one of read, record, keep")

// Admission is what a login may do with records of a host.
type Admission struct {
	Login, Host string
	May         string // one of Rights
}

func admissionsOf(list []postgres.Admitted) (admissions []Admission) {
	for _, one := range list {
		admissions = append(admissions, Admission{one.Login, one.Host, Rights[one.May-1]})
	}
	return admissions
}

// Admit has a login of a database do something with records of hosts, no more and no less, or
// nothing more if no right is given. It returns which other logins may record these hosts.
func Admit(ctx context.Context, name, login string, hosts []string, right string) ([]Admission, error) {
	may := slices.Index(Rights, right) + 1
	if may == 0 && right != "" {
		return nil, ErrRight
	}
	others, err := postgres.Admit(ctx, name, login, hosts, may)
	return admissionsOf(others), err
}

// Admissions returns what logins may do, as far as this one may know it: all, if it keeps all
// hosts.
func Admissions(ctx context.Context, name string) ([]Admission, error) {
	list, err := postgres.Admissions(ctx, name)
	return admissionsOf(list), err
}

// AdmissionColumns returns what these are shown with.
func AdmissionColumns() []row.Column[*Admission] {
	text := func(name, meaning string, get func(*Admission) string) row.Column[*Admission] {
		return row.TextColumn(name, meaning, func(a *Admission) (string, bool) { return get(a), true })
	}
	return []row.Column[*Admission]{
		text("login", "of the database", func(a *Admission) string { return a.Login }),
		text("host", "the machine with the records; * for all", func(a *Admission) string { return a.Host }),
		text("may", "read, record too, or keep too", func(a *Admission) string { return a.May }),
	}
}
