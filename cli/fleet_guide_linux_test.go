package cli_test

import (
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/internal/long"
	"frankledger/internal/testpg"
)

// The guide for fleets is followed word by word on an empty server.
func TestFleetGuideLong(t *testing.T) {
	long.Test(t)
	t.Parallel()
	server := testpg.Database(t)
	text, err := os.ReadFile(filepath.Join("..", "docs", "fleet.md"))
	require.NoError(t, err)
	if os.Geteuid() != 0 {
		t.Skip("machines with names of their own take root")
	}
	shown := regexp.MustCompile(`postgresql://(\w+)@db\.tern-point\.example/inventory`)
	here := func(line string) string {
		return shown.ReplaceAllStringFunc(line, func(name string) string {
			u, err := url.Parse(server)
			require.NoError(t, err)
			u.User, u.Path = url.User(shown.FindStringSubmatch(name)[1]), "/inventory"
			return "'" + u.String() + "'"
		})
	}
	folder := t.TempDir()
	lines := 0
	for line := range strings.SplitSeq(string(text), "\n") {
		who, what, is := strings.Cut(strings.TrimPrefix(line, "    "), " ")
		if !is || !strings.HasPrefix(line, "    ") || !strings.HasSuffix(who, "$") && who != "sql>" {
			continue
		}
		lines++
		if who == "sql>" {
			for one := range strings.SplitSeq(what, ";") {
				if strings.TrimSpace(one) != "" {
					statement(t, server, one)
				}
			}
			continue
		}
		m := &machine{name: strings.TrimSuffix(who, "$"), root: folder, ledger: strings.Trim(here("postgresql://ana@db.tern-point.example/inventory"), "'")}
		cmd := m.command(t)
		cmd.Args = append(cmd.Args[:len(cmd.Args)-1], "sh", "-c", strings.Replace(here(what), "frank ", frank+" ", 1))
		r := finish(t, cmd)
		want := []int{0}
		switch {
		case strings.HasPrefix(what, "frank compare"):
			want = []int{1, 0} // they may differ
		case strings.Contains(what, "--host all --since"):
			want = []int{3} // gull has no record before its newest
		case strings.Contains(what, "/etc"), strings.Contains(what, "duplicates"):
			want = []int{0, 3} // not all of that need be readable, or have digests
		}
		assert.Contains(t, want, r.status, "%s: %s", line, r.err)
		assert.NotEmpty(t, r.out, line)
	}
	assert.Greater(t, lines, 20)
}
