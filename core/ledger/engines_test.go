package ledger_test

import (
	"context"
	"os"
	"os/exec"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"frankledger/core/ledger"
	"frankledger/core/ledger/store/postgres"
	"frankledger/internal/long"
	"frankledger/internal/testpg"
)

// onPostgres says that ledgers are kept in PostgreSQL databases, of the server whose databases
// are named so.
const onPostgres = "FRANK_TEST_POSTGRES"

// The databases that stand for files, by the paths of these.
var databases struct {
	sync.Mutex
	names map[string]string
}

// named is the name of the ledger that stands for a file: that itself, or a database, which is
// empty if it is new.
func named(path string) (string, error) { return namedBy(path, testpg.New) }

func namedBy(path string, create func() (string, error)) (name string, err error) {
	if os.Getenv(onPostgres) == "" || postgres.Is(path) {
		return path, nil
	}
	databases.Lock()
	defer databases.Unlock()
	if name, there := databases.names[path]; there {
		return name, nil
	}
	if name, err = create(); err != nil {
		return "", err
	}
	if databases.names == nil {
		databases.names = map[string]string{}
	}
	databases.names[path] = name
	return name, nil
}

func createNamed(ctx context.Context, path string) (*ledger.Ledger, error) {
	prepare := func(name string) error {
		_, _, err := postgres.Prepare(ctx, name)
		return err
	}
	name, err := namedBy(path, func() (string, error) { return testpg.Prepared(prepare) })
	if err == nil && name == path && postgres.Is(name) { // not one of those
		err = prepare(name)
	}
	if err != nil {
		return nil, err
	}
	return ledger.Create(ctx, name)
}

func openNamed(ctx context.Context, path string) (*ledger.Ledger, error) {
	name, err := named(path)
	if err != nil {
		return nil, err
	}
	return ledger.Open(ctx, name)
}

// fewer is how many of so many rounds are made: a quarter, unless it may take long.
func fewer(rounds int) int {
	if long.Wanted() || *tortureFor > usualTorture {
		return rounds
	}
	return (rounds + 3) / 4
}

// fileOnly skips a test that looks into the file of a ledger.
func fileOnly(t testing.TB) {
	if os.Getenv(onPostgres) != "" {
		t.Skip("this is about files")
	}
}

// All that holds of a ledger in a file holds of one in a database: the same tests are run on
// one.
func TestOnPostgreSQLLong(t *testing.T) {
	long.Test(t)
	if os.Getenv(onPostgres) != "" {
		t.Skip("this is it")
	}
	t.Parallel()
	testpg.Database(t) // or why there is none
	cmd := exec.Command(os.Args[0], "-test.count=1", "-test.timeout=0", "-torture="+tortureFor.String())
	cmd.Env = append(os.Environ(), onPostgres+"=1")
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out[max(0, len(out)-20_000):]))
	require.Contains(t, string(out), "PASS")
}

func must[V any](value V, err error) V {
	if err != nil {
		panic(err)
	}
	return value
}
