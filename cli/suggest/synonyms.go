package suggest

import (
	"strings"
	"sync"
)

// Other words for ours, a line for each of ours: the others, at least two spaces, ours.
// They are read only when something was not understood.

// synonyms reads such lines.
func synonyms(text string) func() map[string][]string {
	return sync.OnceValue(func() map[string][]string {
		ours := map[string][]string{}
		for line := range strings.Lines(strings.TrimSpace(text)) {
			others, meant, _ := strings.Cut(line, "  ")
			option, others, of := strings.Cut(others, ": ")
			if !of {
				option, others = "", option
			}
			for other := range strings.FieldsSeq(others) {
				ours[strings.TrimSpace(option+" "+other)] = strings.Fields(strings.ReplaceAll(meant, "nothing", ""))
			}
		}
		return ours
	})
}

// OtherCommands are words for commands.
var OtherCommands = synonyms(`
find locate look lookup query seek                          search
where                                                       search where
show directory dir files contents inventory lists entries   list
folders                                                     list where kind is folder
newest recent                                               list --order modified
largest biggest                                             list --order size
tree structure hierarchy                                    outline
size sizes usage space disk weight heavy total totals       weigh
count group statistics stats summary                        tally --by kind
types                                                       tally --by type
extensions                                                  tally --by ext
view preview open cat page print text        read
head top                                                    read --first 10
tail end                                                    read --last 10
info information details describe about examine properties  inspect
hash digest digests sum fingerprint checksums               checksum
check validate confirm                                      verify
duplicate copies twins same                                 duplicates
spares                                                      duplicates --spares
difference differences differ changes changed               compare
snapshot remember catalogue catalog save                    record
records snapshots labels                                    ledger entries
log versions                                                history
delete erase trash remove discard                           act remove
move                                                        act move
copy                                                        act copy
rename                                                      act rename
own owner give                                              act own
clear clean dedupe deduplicate                              act clear
hide                                                        act hide
unhide reveal                                               act reveal
stamp touch                                                 act stamp
permit permissions                                          act permit
run execute                                                 act run
undo revert restore                                         act undo
journal                                                     act journal
settings options configuration preferences                  config
columns                                                     fields
searches again                                              recall
tour tutorial example examples                              demo
`)

// OtherActions are words for actions.
var OtherActions = synonyms(`
delete erase trash discard  remove
new make add                create
unhide show                 reveal
touch date                  stamp
permissions mode            permit
owner give                  own
clean dedupe deduplicate    clear
name                        rename
duplicate                   copy
execute exec command        run
revert                      undo
log history                 journal
carry apply do              carry-out
`)

// otherOptions are words for options. A word of {} is the value that the option was given;
// what is said with nothing is so already.
var otherOptions = synonyms(`
sort sort-by orderby order-by sorted                  --order {}
limit max top head number max-count max-results last  --first {}
recursive recurse deep subfolders                     --depth all
max-depth maxdepth level levels                       --depth {}
json                                                  --as json
csv                                                   --as csv
jsonl                                                 --as jsonl
markdown                                              --as markdown
table                                                 --as table
paths paths-only                                      --as paths
print0 null                                           --as paths0
format output-format                                  --as {}
output out file save write                            --to {}
overwrite                                             --replace
all show-hidden include-hidden                        --hidden show
no-hidden                                             --hidden omit
exclude ignore prune exclude-dir                      --skip {}
fields column field                                   --columns {}
details long                                          --columns name,size,modified,permissions,owner
follow-links dereference                              --follow
one-file-system same-device                           --same-disk
case-sensitive                                        --match-case
ignore-case case-insensitive dry-run plan             nothing
human human-readable                                  --units binary
bytes                                                 --units bytes
si                                                    --units decimal
utc                                                   --times utc
no-color no-colour                                    --colour never
silent                                                --quiet
no-pager                                              --page never
pager                                                 --page always
hash algo                                             --algorithm {}
group-by group                                        --by {}
force no-confirm                                      --yes
execute do apply                                      --carry-out
interactive                                           --ask each
destination target                                    --into {}
permanent permanently                                 --for-good
tag                                                   --label {}
comment message                                       --note {}
total sum sizes                                       --totals
count-only                                            --count
`)

// otherLines are options that mean another command, each after the name of its own.
var otherLines = synonyms(`
checksum: -c --check --verify  verify
`)

// otherTests are words for options that are conditions here, with {} for the value.
var otherTests = synonyms(`
name pattern glob  name like {}
contains           name has {}
containing         text has {}
regex              name matches {}
kind type          kind is {}
ext extension      ext is {}
owner user         owner is {}
min-size size      size at least {}
max-size           size at most {}
larger             size over {}
smaller            size under {}
newer after        modified after {}
older before       modified before {}
since              modified since {}
within             modified within {}
empty              empty
hidden-only        hidden
perm mode          mode is {}
`)

// OtherLetters are single letters that many programs have, and what they are words for.
var OtherLetters = synonyms(`
r R  recursive
n    limit
l    long
i    ignore-case
0    print0
s    sort
S    order size
e    exclude
`)

// otherWords are words for values of options, each after the name of its option: they are
// found under both, as in order date.
var otherWords = synonyms(`
order: date time mtime newest latest     modified
order: oldest                            modified/reverse
order: biggest largest                   size
order: smallest                          size/reverse
order: extension                         ext
order: alphabetical                      name
order: random                            none
columns: date time                       modified
columns: extension                       ext
columns: user                            owner
columns: everything                      all
columns: bytes                           size
as: text txt                             table
as: md                                   markdown
as: ndjson                               jsonl
as: lines names files                    paths
as: null nul                             paths0
as: excel spreadsheet tsv                csv
units: si 1000                           decimal
units: iec 1024 human                    binary
units: k                                 kB
units: m mega megabytes                  MB
units: g giga gigabytes                  GB
units: t tera terabytes                  TB
units: b exact                           bytes
times: iso gmt                           utc
times: exact absolute full date          local
times: ago                               relative
hidden: all yes include true             show
hidden: no hide exclude false none       omit
depth: unlimited infinite full max none  all
colour: yes on true                      always
colour: no off none false                never
page: yes on                             always
page: no off                             never
by: extension                            ext
by: date                                 day
by: user                                 owner
by: kinds                                kind
by: bytes                                size
by: count number                         files
by: space                                disk
algorithm: sha sha2 sha-256              sha256
algorithm: sha-1                         sha1
algorithm: sha-512                       sha512
algorithm: blake                         blake3
keep: first                              first-place
keep: new newer latest                   newest
keep: old older                          oldest
keep: shortest                           shortest-path
`)
