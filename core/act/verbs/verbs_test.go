package verbs_test

import (
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
)

// A plan can be kept of every verb but the one of another program, and says then where entries go if
// they do.
func TestPlansOfVerbs(t *testing.T) {
	t.Parallel()
	for action, verb := range verbs.All {
		t.Run(string(action), func(t *testing.T) {
			t.Parallel()
			assert.True(t, action.Known())
			p := plans.Plan{Version: plans.Version, Action: action, Steps: []*plans.Step{{Path: "/a", Keeper: &plans.Keeper{Path: "/k"}}}}
			err := p.Check("")
			if traits := verb.Traits(); traits.Foreign || traits.Goes {
				assert.ErrorIs(t, err, plans.ErrPlan)
			} else {
				assert.NoError(t, err)
			}
			p.Steps[0].To = "/b"
			if verb.Traits().Foreign {
				assert.ErrorIs(t, p.Check(""), plans.ErrPlan)
			} else {
				assert.NoError(t, p.Check(""))
			}
		})
	}
}

// Planner, carrier and undo go through steps, and name no verb.
func TestLoopsNameNoVerb(t *testing.T) {
	t.Parallel()
	names := regexp.MustCompile(`\bplans\.(Hide|Reveal|Move|Remove|Stamp|Permit|Copy|Own|Rename|Clear|Run)\b|\bverbs\.[A-Z]`)
	all := regexp.MustCompile(`\bverbs\.All\b`)
	files, err := filepath.Glob("../*.go")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	more, err := filepath.Glob("../doing/*.go")
	require.NoError(t, err)
	for _, name := range append(files, more...) {
		if matched, _ := filepath.Match("*_test.go", filepath.Base(name)); matched {
			continue
		}
		content, err := os.ReadFile(name)
		require.NoError(t, err)
		assert.Empty(t, names.FindAllString(all.ReplaceAllString(string(content), ""), -1), name)
	}
}
