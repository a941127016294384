package act_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/act/journals"
)

// A summary of a journal counts the same as the journal read whole, whatever happened, and
// wherever it was cut short.
func TestSummariesOfJournals(t *testing.T) {
	random := rand.New(rand.NewPCG(rand.Uint64(), 8))
	folder := t.TempDir()
	kept := journals.Journals{Folder: folder}
	read := 0
	for range 300 {
		steps := random.IntN(6)
		var b strings.Builder
		fmt.Fprintf(&b, `{"frank_journal":{"version":1,"number":1,"steps":%d,"began":"1795700633.500000000","action":"hide","host":"tern-point","options":{}}}`+"\n", steps)
		for i := range steps {
			fmt.Fprintf(&b, `{"step":{"path":"/a/%d","kind":"file","inode":1,"device":1,"size":0,"modified":"1795700633.500000000","accessed":"1795700633.500000000","mode":"0644"}}`+"\n", i)
		}
		b.WriteString(`{"folder":{"path":"/a","modified":"1795700633.500000000"}}` + "\n")
		for range random.IntN(12) {
			n := random.IntN(steps + 2)
			b.WriteString([]string{`{"begin":%d}`, `{"done":%d}`, `{"begin":%d,"to":"/b"}`, `{"done":%d,"why":"x"}`, `{"failed":%d,"why":"x"}`, `{"undone":%d}`, `{"partly":%d,"of":3,"gone":1}`,
				`{"copied":%d,"inode":4}`, `{"back":%d}`, `{"made":"/b"}`, `{"begin":%d`, ``, `{"end":true}`, `{"undid":true}`, `{"folder":{"path":"/a","modified":"1795700633.500000000","after":true}}`}[random.IntN(15)])
			text := b.String()
			b.Reset()
			b.WriteString(strings.ReplaceAll(text, "%d", fmt.Sprint(n)) + "\n")
		}
		content := b.String()
		if random.IntN(3) == 0 {
			content = content[:random.IntN(len(content))]
		}
		require.NoError(t, os.WriteFile(filepath.Join(folder, "000001.jsonl"), []byte(content), 0o600))
		whole, err := kept.Read(1)
		summary, failed := kept.Summary(1)
		require.Equal(t, err == nil, failed == nil, "%v %v %s", err, failed, content)
		if err != nil {
			continue
		}
		read++
		for state := journals.NotBegun; state <= journals.Partly; state++ {
			assert.Equal(t, whole.Count(state), summary.Count(state), "%s: %s", state, content)
		}
		assert.Equal(t, whole.Len(), summary.Len())
		assert.Equal(t, whole.Word(), summary.Word())
	}
	assert.Greater(t, read, 100)
}
