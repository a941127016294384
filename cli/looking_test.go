package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What people try first to look around is understood.
func TestLooking(t *testing.T) {
	t.Parallel()
	root := tree(t, ".dot", "folder/.in", "folder/deep/file", "a", "b.txt", "show")
	require.NoError(t, os.WriteFile(filepath.Join(root, "b.txt"), make([]byte, 1_500_000), 0o644))
	old := time.Now().AddDate(-1, 0, 0)
	require.NoError(t, os.Chtimes(filepath.Join(root, "a"), old, old))
	require.NoError(t, os.Link(filepath.Join(root, "a"), filepath.Join(root, "again")))
	names := func(line string) string {
		t.Helper()
		r := run(t, root, strings.Fields(line)...)
		require.Zero(t, r.status, "%s: %s", line, r.err)
		return strings.TrimSpace(strings.ReplaceAll(strings.ReplaceAll(r.out, "\r", ""), "\n", " "))
	}
	for line, want := range map[string]string{
		"list --as paths --hidden":                                                   "./.dot ./a ./again ./b.txt ./folder ./show",
		"list --as paths --hidden show":                                              "./.dot ./a ./again ./b.txt ./folder ./show",
		"list --as paths --hidden only":                                              "./.dot",
		"list --hidden folder --as paths":                                            "folder/.in folder/deep",
		"list --as paths where hidden":                                               "./.dot",
		"list --as paths where name starts .":                                        "./.dot",
		"list --as paths where hidden --hidden omit":                                 "",
		"list --as paths --reverse":                                                  "./show ./folder ./b.txt ./again ./a",
		"list --as paths --order name --reverse":                                     "./show ./folder ./b.txt ./again ./a",
		"list --as paths -o -name":                                                   "./show ./folder ./b.txt ./again ./a",
		"list --as paths -o size --reverse -f 1 where name is show or name is b.txt": "./show",
		"search --as paths --reverse file":                                           "./folder/deep/file",
		"list a --as csv -c -path,-name,-modified,+depth":                            "kind,size,permissions,owner,depth file,1,rw-r--r--,root,0",
		"list a --as paths -c full":                                                  filepath.Join(root, "a"),
		"search --as paths where hardlinked":                                         "./a ./again",
		"weigh folder -d 0 -q":                                                       "26 B",
		"list b.txt --as csv -c size --units MiB":                                    "size 1.430511474609375",
		"list b.txt --as csv -c size --units kb":                                     "size 1500",
		"list b.txt --as csv -c size --units decimal":                                "size 1.5 MB",
		"search -c name,unfit --as csv where unfit present":                          "name,unfit",
	} {
		assert.Equal(t, want, names(line), line)
	}
	table := run(t, root, "list", "--hidden", "--units", "MiB", "-c", "+group").out
	assert.Contains(t, table, "hidden\n", "what is hidden is told apart")
	assert.Contains(t, table, "1.4 MiB")
	assert.Contains(t, table, "< 0.1 MiB", "what is there is not shown as nothing")
	assert.Contains(t, run(t, root, "search", "file", "folder").out, "\n  folder/deep/file\n", "a result can be used as it is")
	assert.Contains(t, run(t, root, "inspect", "b.txt").out, "1.4 MiB · 1.5 MB · 1 500 000 bytes")
	assert.Contains(t, run(t, root, "weigh", "folder", "--explain").out, "deep/file  16 B  26 B")
	assert.Contains(t, run(t, root, "--version").out, "Frank Ledger")
	for line, err := range map[string]string{
		"list --hidden maybe":         `--hidden can be show, omit or only, not "maybe"`,
		"list -c -group":              "group is not a usual column",
		"list -c name,+size":          "name all columns, or change the usual ones",
		"list --order none --reverse": "contradict each other",
		"list --as paths -c size":     "--columns full_path",
		"weigh folder a --explain":    "works on one folder",
		"search .":                    "frank list . --depth all",
		"view a":                      "frank read a",
		"weigh --fail-if lots":        "--fail-if",
		"list @weekly:all":            "only search can look into all records",
	} {
		r := run(t, root, strings.Fields(line)...)
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, err, line)
	}
	require.NoError(t, os.WriteFile(filepath.Join(root, "kept"), []byte(root+"/a\n"), 0o644))
	complete := func(words ...string) string {
		return run(t, root, append([]string{"__completeNoDesc"}, words...)...).out
	}
	assert.Equal(t, "@@kept\n@@folder/\n:6\n", complete("list", "@@"))
	assert.Equal(t, "show\nomit\nonly\n:4\n", complete("list", "--hidden", "s"))
	assert.NotContains(t, complete("list", "--hidden", "b"), "omit")
}

// Names that differ only in letter case are found, also of places that were named themselves.
func TestClashes(t *testing.T) {
	t.Parallel()
	root := tree(t, "in/Note", "in/note", "in/other", "Über", "über", "hid")
	if entries, err := os.ReadDir(root); err != nil || len(entries) != 4 {
		t.Skip("this file system does not tell such names apart")
	}
	require.NoError(t, os.WriteFile(filepath.Join(root, "in", "kept"), []byte(root+"/in/note\n"+root+"/in/other\n"), 0o644))
	assert.ElementsMatch(t, []string{"./Über", "./über", "./in/Note", "./in/note"}, strings.Fields(run(t, root, "search", "--as", "paths", "where", "clashes").out))
	for line, want := range map[string]string{
		"list in/note in/other -c name,clashes --as csv": "name,clashes\nnote,true\nother,false\n",
		"list @@in/kept -c ext,clashes --as csv":         "ext,clashes\n,true\n,false\n",
	} {
		assert.Equal(t, want, strings.ReplaceAll(run(t, root, strings.Fields(line)...).out, "\r", ""), line)
	}
	r := run(t, root, "record", ".", "--label", "here", "--ledger", "l")
	require.Zero(t, r.status, r.err)
	r = run(t, root, "search", "--ledger", "l", "@here", "where", "clashes")
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.err, "could not look up clashes")
}
