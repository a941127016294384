package cli

import (
	"maps"
	"slices"
	"strings"
)

// firstQuestions are what people want to know, each with a command that works on the sample
// tree.
var firstQuestions = []struct{ question, line string }{
	{"What is here?", "list"},
	{"Where is it?", "search dawn"},
	{"What takes up space?", "weigh"},
	{"Is it the same?", "duplicates"},
	{"What was there?", "record --label weekly"},
	{"Do something about it", "act hide notes where empty"},
}

// overview is what the program says when nothing is asked: one screen.
func (p *Program) overview() string {
	page := p.helpPage()
	var b strings.Builder
	b.WriteString(page.Reflow("frank shows what is on a disk, what it left out, and what it could not read.") + "\n\n")
	var rows [][]string
	asked := map[string]bool{}
	for _, q := range firstQuestions {
		rows = append(rows, []string{q.question, exampleMark + q.line})
		asked[strings.Fields(q.line)[0]] = true
	}
	b.WriteString(page.Columns(rows))
	b.WriteString("\n")
	rows = nil
	var aside []string
	for _, c := range slices.SortedFunc(slices.Values(commands()), func(a, b named) int { return strings.Compare(a.name, b.name) }) {
		switch {
		case asked[c.name]:
		case slices.Contains([]string{"completion", "config", "demo", "fields", "recall", "version"}, c.name):
			aside = append(aside, c.name)
		default:
			rows = append(rows, []string{c.name, c.short})
		}
	}
	b.WriteString(page.Columns(rows))
	b.WriteString("  and " + strings.Join(aside, ", ") + "\n")
	b.WriteString("\n" + page.Columns([][]string{
		{"frank help COMMAND", "more about a command; frank help all: all commands"},
		{"frank help " + topicNames()[0], "how to write them; also " + strings.Join(topicNames()[1:], ", ")},
		{"frank demo", "try the commands on made-up files"},
	}))
	return b.String()
}

// topicNames are what help tells of beside commands.
func topicNames() []string { return slices.Sorted(maps.Keys(topics)) }

// topics are what help tells of beside commands, a screen each.
var topics = map[string]string{
	"conditions": `Conditions choose entries. Write them after where, in every command that looks.

  a field, a test, a value   name has dawn    size over 10MB    ext is wav,flac
  a word by itself           empty  hidden  broken  executable  mislabelled
  joined                     and, or, not; group with ( and ) in quotes

  name path folder target    is  has  starts  ends  like *.wav  matches RE2
  ext kind type owner group  is, with several after commas; owner is not me
  size links inode depth     over  under  at least  at most  is  between A and B
  modified accessed created  within 7 days  since monday  before 2026  on today
  changed                    after yesterday  between 2026-11-01 and 3 days ago
  age                        over 90 days
  mode                       has ug+w (all)  any o+rwx  lacks o+r  is 0640
  any                        missing  present: is there a value?

Capitals and small letters are the same unless you add --match-case, and you need not type
accents. Other words work too: bigger than, older than, contains, kind is dir. The heading
then shows the condition as frank understood it.

The shell wants quotes around ( ) < > * and a value with spaces. The whole condition
may be one word in quotes. What looks like an option goes after --.

  frank search where size over 10MB and modified since last week
  frank list notes where 'name has rota or (empty and not hidden)'
`,
	"places": `A place is where to look: a folder, a file, a record or a list. The default is the current folder.

  recordings notes    folders, and files
  ./dawn              a name that could also be taken for something else
  @weekly             what was in a place when it was last recorded as weekly
  @weekly:1           the record before that one
  @weekly:2026-11-01  the newest at or before that day; also '@weekly:last week'
  @weekly:all         every record of the label, for search: when was it there?
                      @:all every record in the ledger
  @7                  the record of that number, as in frank ledger entries
  @weekly/counts      a folder in a record
  @weekly@gull        what the machine gull recorded; --host all: each machine
  @*                  the newest record of every label
  @@found.list        the entries of a list: of --save-list, an answer in CSV or
                      JSON, or a file of paths

In search, words before where that name nothing here are pieces of a name. A record knows
what was found when it was made; nothing is read again. A list names entries; sums also
include what is in the folders on it.

  frank list recordings/ridge notes
  frank search recordings dawn
`,
	"formats": `Choose a format with --as, or by the ending of the file that you name with --to.

  table      .txt    for people; the only one with headings in words
  markdown   .md     a table for documents
  html       .html   a page for a browser: sorts and filters, needs no network
  csv        .csv    for spreadsheets: RFC 4180, sizes in bytes, times in UTC
  json       .json   a document: entries, summary, and what could not be read
  jsonl      .jsonl  one JSON object a line
  paths      .paths  one path per line
  paths0             paths with a NUL after each: safe for any name
  manifest           checksum only: digests and paths (RFC 8493)

Columns, CSV and JSON use the same names of fields. Names that are not UTF-8 are exact in
all formats; JSON then has name_base64 too. A file is written completely or not at all,
and never replaces another without --replace.

  frank list notes --to notes.csv
  frank search wav --as paths0
`,
	"times": `Conditions, --as-of and --modified take moments, or stretches of the calendar.

  now  today  yesterday             a moment, and days from midnight to midnight
  monday                            the last Monday, or today if it is one
  last friday                       the last one before today
  this week  last month  this year  weeks begin on Monday (ISO 8601)
  2026  2026-11  2026-11-20         a year, a month, a day
  2026-11-20T14:00  …T14:00:30Z     a moment, here or in UTC (ISO 8601)
  3 days ago  90min ago             that long before now

Lengths of time are 7 days, 90 minutes, 1 year, or short: 30s, 90min, 24h, 3d, 2w, 1y.
m alone could mean minutes or months, and is refused.

since includes the start of what follows, before ends there, after begins where it ends,
on means within it. Days are those of your time zone; 24h is 24 hours, 1 day may be 23.

A file has several times: modified (its content), changed (content or details such as
owner and permissions), accessed (last read), created. --times says how tables show
them: relative, local or utc.

  frank search where modified since last week
  frank list --times local
`,
	"sizes": `Sizes are bytes of content. Space on disk is another field: disk.

  4096                     bytes
  kB  MB  GB  TB  PB  EB   each 1000 of the one before (IEC 80000-13)
  KiB MiB GiB TiB PiB EiB  each 1024 of the one before
  k  M  G  T               taken for KiB, MiB, GiB, TiB; the heading says so

Units may be in capitals or small letters, after a space or none: 1.5 GB, 10mb.
Only files have a size: what a system calls the size of a folder is its bookkeeping. frank
weigh and frank list --totals add up what folders hold. A file with several names is
counted once. What is not known is shown as – or ?, never as zero.

Tables show sizes as --units says: binary (KiB, MiB), decimal (kB, MB) or bytes. CSV
and JSON always have bytes.

  frank search where size over 10MB
  frank weigh --units decimal --by disk
`,
}
