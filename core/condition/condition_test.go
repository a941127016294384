package condition_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/condition"
	"frankledger/core/condition/compile"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
)

type accounts struct{}

var userNames = map[uint32]string{0: "root", 501: "mara", 502: "jonas"}

func (accounts) UserDoubted(uint32) bool  { return false }
func (accounts) GroupDoubted(uint32) bool { return false }
func (accounts) User(id uint32) (string, bool) {
	if name, ok := userNames[id]; ok {
		return name, true
	}
	return strconv.Itoa(int(id)), false
}
func (a accounts) Group(id uint32) (string, bool) { return a.User(id) }
func (accounts) UserID(name string) (uint32, bool) {
	for id, n := range userNames {
		if n == name {
			return id, true
		}
	}
	return 0, false
}
func (a accounts) GroupID(name string) (uint32, bool) { return a.UserID(name) }
func (accounts) UserNames() []string                  { return []string{"root", "mara", "jonas"} }
func (a accounts) GroupNames() []string               { return a.UserNames() }

func berlin(t *testing.T) *time.Location {
	zone, err := time.LoadLocation("Europe/Berlin")
	require.NoError(t, err)
	return zone
}

func environment(t *testing.T) *condition.Environment {
	zone := berlin(t)
	return &condition.Environment{AsOf: time.Date(2026, 11, 23, 12, 0, 0, 0, zone), Zone: zone, User: 501, Groups: []uint32{501, 20}, Accounts: accounts{}}
}

func compiled(t *testing.T, env *condition.Environment, words ...string) *compile.Program {
	c, err := condition.Parse(words)
	require.NoError(t, err, words)
	p, err := compile.Condition(c, env)
	require.NoError(t, err, words)
	return p
}

// decide asks as a reader does: with one more stage of facts while it is open.
func decide(t *testing.T, test source.Test, e *entry.Entry) bool {
	asked := entry.Facts(0)
	for stage := 0; ; stage++ {
		switch test(e, asked) {
		case source.Yes:
			return true
		case source.No, source.Unknown:
			return false
		}
		require.Less(t, stage, len(source.Stages), "it never decides")
		asked |= source.Stages[stage]
	}
}

func TestNormalForm(t *testing.T) {
	for text, want := range map[string]string{
		"ext is wav and size over 10 MB and modified within 7 days": "ext is wav and size over 10MB and modified within 7 days",
		"EXT IS wav, flac OR NOT (Empty AND hidden)":                "ext is wav,flac or not (empty and hidden)",
		"(a)":                  "",
		"name is and or empty": "name is and or empty",
		"not not hidden":       "not not hidden",
		"hidden and (empty and (broken or sticky))": "hidden and empty and (broken or sticky)",
		"name is 'two  words' or name has \"it's\"": `name is 'two  words' or name has it's`,
		"name is ''": "name is ''",
		"modified between 2026-11-20 14:00 and now":      "modified between 2026-11-20T14:00 and now",
		"age over 90days and size between 1kB and 2 GiB": "age over 90days and size between 1kB and 2GiB",
		"modified before 90 Days AGO":                    "modified before 90 days ago",
		"mode has ug+w and mode is 0640":                 "mode has ug+w and mode is 0640",
		"size at least 3B and links at most 2":           "size at least 3B and links at most 2",
		"name matches 'a(b|c)\\.wav$'":                   `name matches 'a(b|c)\.wav$'`,
	} {
		c, err := condition.Parse([]string{text})
		if want == "" {
			require.Error(t, err)
			continue
		}
		require.NoError(t, err, text)
		assert.Equal(t, want, c.String())
	}
	c, err := condition.Parse([]string{"name", "is", "dawn at the ridge (1).wav", "and", "not", "(", "name", "has", "(", ")"})
	require.NoError(t, err)
	assert.Equal(t, "name is 'dawn at the ridge (1).wav' and not name has '('", c.String())
}

// What people say in other words is understood, and shown back in the normal form.
func TestSpoken(t *testing.T) {
	for text, want := range map[string]string{
		"permissions is 644":                   "mode is 644",
		"permissions has ug+w":                 "mode has ug+w",
		"permissions lacks o+r":                "mode lacks o+r",
		"permissions is not u=rw,g=r,o=":       "not mode is u=rw,g=r,o=",
		"permissions is rw-r-----":             "permissions is rw-r-----",
		"permissions starts rwx":               "permissions starts rwx",
		"size over '10 MB'":                    "size over 10MB",
		"size over 10,000":                     "size over 10000",
		"size over 1,234,567 bytes":            "size over 1234567bytes",
		"size between 1MB-5MB":                 "size between 1MB and 5MB",
		"links between 2-5":                    "links between 2 and 5",
		"modified less than 3 days ago":        "modified within 3 days",
		"modified more than 3 days ago":        "modified before 3 days ago",
		"name has not dawn":                    "not name has dawn",
		"name has not":                         "name has not",
		"ext is not wav":                       "not ext is wav",
		"owner is not me and size over 1kB":    "not owner is me and size over 1kB",
		"owner not me":                         "not owner is me",
		"ext is any of wav,flac":               "ext is wav,flac",
		"ext is one of wav, flac":              "ext is wav,flac",
		"ext in wav,flac":                      "ext is wav,flac",
		"ext is jpg or nef":                    "ext is jpg,nef",
		"ext is jpg and nef":                   "ext is jpg,nef",
		"ext is jpg or nef or empty":           "ext is jpg,nef or empty",
		"ext is not jpg or nef":                "not ext is jpg,nef",
		"ext == wav":                           "ext is wav",
		"ext != wav":                           "not ext is wav",
		"extension is wav":                     "ext is wav",
		"name does not have dawn":              "not name has dawn",
		"mode does not have o+r":               "not mode has o+r",
		"name contains dawn":                   "name has dawn",
		"name does not contain dawn":           "not name has dawn",
		"name not has dawn":                    "not name has dawn",
		"name has dawn or dusk":                "name has dawn,dusk",
		"name has dawn and ridge":              "name has dawn and name has ridge",
		"name has dawn and ridge and hidden":   "name has dawn and name has ridge and hidden",
		"name starts with dawn":                "name starts dawn",
		"name begins with dawn or dusk":        "name starts dawn or name starts dusk",
		"filename ends in .wav":                "name ends .wav",
		"kind is dir":                          "kind is folder",
		"kind is directory or symlink":         "kind is folder,link",
		"kind is file or folder":               "kind is file,folder",
		"hidden is yes":                        "hidden",
		"hidden is no":                         "not hidden",
		"hidden is not true":                   "not hidden",
		"is empty":                             "empty",
		"is not hidden and is empty":           "not hidden and empty",
		"size > 10MB":                          "size over 10MB",
		"size >= 10MB":                         "size at least 10MB",
		"size is over 10MB":                    "size over 10MB",
		"size is not over 10MB":                "not size over 10MB",
		"size bigger than 10MB":                "size over 10MB",
		"size greater than or equal to 10MB":   "size at least 10MB",
		"size over 10M":                        "size over 10MiB",
		"size over 2k":                         "size over 2KiB",
		"bigger than 5MB":                      "size over 5MB",
		"larger than 5MB and smaller than 1GB": "size over 5MB and size under 1GB",
		"over 10MB":                            "size over 10MB",
		"older than 3 days":                    "age over 3 days",
		"newer than 2w":                        "age under 2w",
		"older than 2026-11-01":                "modified before 2026-11-01",
		"newer than yesterday":                 "modified after yesterday",
		"older than 3 days ago":                "modified before 3 days ago",
		"modified older than 3 days":           "modified before 3 days ago",
		"modified before 90 days":              "modified before 90 days ago",
		"modified is within 7 days":            "modified within 7 days",
		"modified within week":                 "modified within 1 week",
		"modified within a week":               "modified within 1 week",
		"modified within the last 7 days":      "modified within 7 days",
		"modified in the last 7 days":          "modified within 7 days",
		"modified last 7 days":                 "modified within 7 days",
		"modified today":                       "modified on today",
		"modified last week":                   "modified on last week",
		"modified on monday":                   "modified on monday",
		"modified on Mon":                      "modified on monday",
		"modified this month and hidden":       "modified on this month and hidden",
		"mtime since yesterday":                "modified since yesterday",
		"since last friday":                    "modified since last friday",
		"modified is today":                    "modified on today",
		"within 24h":                           "modified within 24h",
		"age over 90min":                       "age over 90min",
		"age older than 1y":                    "age over 1y",
		"mode is not 0640":                     "not mode is 0640",
		"perms without o+r":                    "mode lacks o+r",
		"links more than 1":                    "links over 1",
		"(name has a or b) and kind is dir":    "name has a,b and kind is folder",
	} {
		c, err := condition.Parse([]string{text})
		if !assert.NoError(t, err, text) {
			continue
		}
		assert.Equal(t, want, c.String(), text)
		assert.Equal(t, want != text, c.Spoken, text)
		again, err := condition.Parse([]string{want})
		require.NoError(t, err, want)
		assert.Equal(t, want, again.String())
		assert.False(t, again.Spoken, want)
		_, err = compile.Condition(c, environment(t))
		assert.NoError(t, err, text)
	}
	c, err := condition.Parse([]string{"size", "over", "10M"})
	require.NoError(t, err)
	assert.Equal(t, []string{"10M is taken as 10MiB: 10485760 bytes"}, c.Notes)
	c, err = condition.Parse([]string{"size", "over", "4096"})
	require.NoError(t, err)
	assert.Empty(t, c.Notes)
	assert.Equal(t, "size over 4096", c.String())
}

func TestMistakes(t *testing.T) {
	for text, want := range map[string]string{
		"modifed within 7 days":        "^^^^^^^|did you mean modified?",
		"size between 1-5MB":           "             ^^^^^|this should be a size",
		"type is directory":            "        ^^^^^^^^^|write: kind is directory",
		"age over90 days":              "    ^^^^^^|a space is missing after over",
		"nto empty":                    "^^^|did you mean not?",
		"hidden adn empty":             "       ^^^|did you mean and?",
		"dawn":                         "^^^^|name has dawn",
		"ext is wav size over 1MB":     "           ^^^^|write: and size",
		"name is dawn chorus.wav":      "             ^^^^^^^^^^|a value with spaces goes in quotes",
		"size=10MB":                    "^^^^^^^^^|conditions use words, not signs",
		"name hass dawn":               "     ^^^^|did you mean has?",
		"size over big":                "          ^^^|this should be a size",
		"size over 3 parsecs":          "          ^^^^^^^^^|no unit parsecs",
		"size over 99EB":               "          ^^^^|more than any file",
		"modified within 7":            "                ^|7 of what? seconds",
		"modified on 90 days":          "            ^^^^^^^|write 90 days ago",
		"modified within 5m":           "                ^^|write 5min or 5 months",
		"name has a,,b":                "         ^^^^|like *,*",
		"type is imge":                 "        ^^^^|did you mean image?",
		"type is nonsense":             "        ^^^^^^^^|such as image/jpeg, or a family",
		"hidden is maybe":              "          ^^^^^|write hidden, or not hidden",
		"modified on 2026-02-30":       "            ^^^^^^^^^^|no such day",
		"modified on now":              "",
		"modified on 2026-11-20T14:00": "            ^^^^^^^^^^^^^^^^|on takes a day",
		"modified after teatime":       "               ^^^^^^^|this should be a moment",
		"modified has yesterday":       "         ^^^|modified can be tested with: within",
		"name matches a[":              "             ^^|not a regular expression",
		"name like [a":                 "          ^^|not a pattern",
		"kind is flie":                 "        ^^^^|did you mean file?",
		"ext is .wav":                  "       ^^^^|without its dot: ext is wav",
		"ext is wav,,flac":             "       ^^^^^^^^^|nothing between two commas",
		"mode has rw":                  "         ^^|this should be permissions",
		"mode lacks 0000":              "           ^^^^|no permissions at all",
		"sha256 is 12":                 "          ^^|at least 8 digits",
		"md5 is 0123456789abcdef012345678901234567": "       ^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^|has 32 digits, and these are 34",
		"sha256 is 93edzzzz":                        "          ^^^^^^^^|hexadecimal",
		"sha256 has 93ed0000":                       "       ^^^|can be tested with: is",
		"(hidden":                                   "       ^|a ) is missing",
		"hidden)":                                   "      ^|no ( for this )",
		"hidden and":                                "          ^|a test is missing",
		"and hidden":                                "^^^|a test is missing before",
		"size over":                                 "         ^|a value is missing",
		"size between 1kB":                          "                ^|between A and B",
		"name is 'open":                             "        ^^^^^|not closed",
		"":                                          "^|a condition is missing",
		"owner is jonass":                           "         ^^^^^^|did you mean jonas?",
		"size between 2kB and 1kB":                  "                     ^^^|smaller value first",
		"modified between now and today":            "",
		"modified between today and yesterday":      "                           ^^^^^^^^^|earlier time first",
	} {
		c, err := condition.Parse([]string{text})
		if err == nil {
			_, err = compile.Condition(c, environment(t))
		}
		if want == "" {
			assert.NoError(t, err, text)
			continue
		}
		var mistake *condition.Error
		require.True(t, errors.As(err, &mistake), "%s: %v", text, err)
		caret, says, _ := strings.Cut(want, "|")
		assert.Equal(t, text+"\n"+caret, mistake.Marked(), mistake.Message)
		assert.Contains(t, mistake.Message, says, text)
	}
	_, err := condition.Parse([]string{"name", "like", "dawn-1.wav", "dawn-2.wav", "dusk.wav"})
	assert.ErrorContains(t, err, "ends .wav, which needs no wildcard")
	_, err = condition.Parse([]string{strings.Repeat("not ", 300) + "hidden"})
	assert.ErrorContains(t, err, "too many levels")
	_, err = condition.Parse([]string{strings.Repeat("hidden or ", 10000) + "hidden"})
	assert.ErrorContains(t, err, "too long")
}

// Days are those of the calendar, also where they have 23 or 25 hours.
func TestCalendar(t *testing.T) {
	zone := berlin(t)
	at := func(text string) *entry.Entry {
		when, err := time.ParseInLocation("2006-01-02 15:04:05", text, zone)
		require.NoError(t, err)
		return &entry.Entry{Kind: entry.KindFile, Known: entry.FactStatus, Modified: entry.TimeOf(when)}
	}
	for _, c := range []struct {
		asOf, text string
		in, out    []string
	}{
		{"2026-10-26 09:00:00", "modified on yesterday", []string{"2026-10-25 00:00:00", "2026-10-25 23:59:59"}, []string{"2026-10-24 23:59:59", "2026-10-26 00:00:00"}},
		{"2026-03-30 09:00:00", "modified on yesterday", []string{"2026-03-29 00:00:00", "2026-03-29 23:59:59"}, []string{"2026-03-28 23:59:59", "2026-03-30 00:00:00"}},
		{"2026-10-26 09:00:00", "modified within 1 day", []string{"2026-10-25 09:00:00", "2026-10-26 09:00:00"}, []string{"2026-10-25 08:59:59", "2026-10-26 09:00:01"}},
		{"2026-03-31 09:00:00", "modified within 1 month", []string{"2026-02-28 09:00:00"}, []string{"2026-02-28 08:59:59"}},
		{"2024-02-29 09:00:00", "modified within 1 year", []string{"2023-02-28 09:00:00"}, []string{"2023-02-28 08:59:59"}},
		{"2026-03-31 09:00:00", "age over 3000000 hours", []string{"1684-01-01 00:00:00"}, []string{"1684-03-31 00:00:00", "2026-03-31 00:00:00"}},
		{"2026-10-26 09:00:00", "modified within 60 minutes", []string{"2026-10-26 08:00:00"}, []string{"2026-10-26 07:59:59"}},
		{"2026-11-23 12:00:00", "modified before 2026-11-20", []string{"2026-11-19 23:59:59"}, []string{"2026-11-20 00:00:00"}},
		{"2026-11-23 12:00:00", "modified after 2026-11-20", []string{"2026-11-21 00:00:00"}, []string{"2026-11-20 23:59:59"}},
		{"2026-11-23 12:00:00", "modified after 2026-11-20T14:00", []string{"2026-11-20 14:00:01"}, []string{"2026-11-20 14:00:00"}},
		{"2026-11-23 12:00:00", "modified between 2026-11-19 and 2026-11-20", []string{"2026-11-19 00:00:00", "2026-11-20 23:59:59"}, []string{"2026-11-21 00:00:00"}},
		{"2026-11-23 12:00:00", "modified on 2026-11", []string{"2026-11-01 00:00:00", "2026-11-30 23:59:59"}, []string{"2026-12-01 00:00:00"}},
		{"2026-11-23 12:00:00", "modified before 2026", []string{"2025-12-31 23:59:59"}, []string{"2026-01-01 00:00:00"}},
		{"2026-11-23 12:00:00", "modified on 3 days ago", []string{"2026-11-20 00:00:00"}, []string{"2026-11-21 00:00:00"}},
		{"2026-11-23 12:00:00", "modified before 90 days ago", []string{"2026-08-25 11:59:59"}, []string{"2026-08-25 12:00:00"}},
		{"2026-11-23 12:00:00", "age over 90 days", []string{"2026-08-25 11:59:59"}, []string{"2026-08-25 12:00:00"}},
		{"2026-11-23 12:00:00", "age under 2 hours", []string{"2026-11-23 10:00:01"}, []string{"2026-11-23 10:00:00"}},
		{"2026-11-23 12:00:00", "age is 2 days", []string{"2026-11-21 12:00:00", "2026-11-20 12:00:01"}, []string{"2026-11-21 12:00:01", "2026-11-20 12:00:00"}},
		{"2026-11-23 12:00:00", "age between 1 hour and 1 day", []string{"2026-11-23 11:00:00", "2026-11-22 12:00:00"}, []string{"2026-11-23 11:00:01", "2026-11-22 11:59:59"}},
		// 26 November 2026 is a Thursday; weeks begin on Monday.
		{"2026-11-26 09:00:00", "modified since yesterday", []string{"2026-11-25 00:00:00", "2026-12-01 00:00:00"}, []string{"2026-11-24 23:59:59"}},
		{"2026-11-26 09:00:00", "modified since last month", []string{"2026-10-01 00:00:00"}, []string{"2026-09-30 23:59:59"}},
		{"2026-11-26 09:00:00", "modified last week", []string{"2026-11-16 00:00:00", "2026-11-22 23:59:59"}, []string{"2026-11-15 23:59:59", "2026-11-23 00:00:00"}},
		{"2026-11-26 09:00:00", "modified after last week", []string{"2026-11-23 00:00:00"}, []string{"2026-11-22 23:59:59"}},
		{"2026-11-26 09:00:00", "modified on this week", []string{"2026-11-23 00:00:00", "2026-11-29 23:59:59"}, []string{"2026-11-22 23:59:59", "2026-11-30 00:00:00"}},
		{"2026-11-26 09:00:00", "modified this month", []string{"2026-11-01 00:00:00", "2026-11-30 23:59:59"}, []string{"2026-10-31 23:59:59", "2026-12-01 00:00:00"}},
		{"2026-11-26 09:00:00", "modified before this year", []string{"2025-12-31 23:59:59"}, []string{"2026-01-01 00:00:00"}},
		{"2026-11-26 09:00:00", "modified on monday", []string{"2026-11-23 00:00:00", "2026-11-23 23:59:59"}, []string{"2026-11-22 23:59:59", "2026-11-24 00:00:00"}},
		{"2026-11-26 09:00:00", "modified on thursday", []string{"2026-11-26 00:00:00"}, []string{"2026-11-19 12:00:00", "2026-11-27 00:00:00"}},
		{"2026-11-26 09:00:00", "modified on last thursday", []string{"2026-11-19 00:00:00", "2026-11-19 23:59:59"}, []string{"2026-11-26 08:00:00"}},
		{"2026-01-02 09:00:00", "modified last week", []string{"2025-12-22 00:00:00", "2025-12-28 23:59:59"}, []string{"2025-12-21 23:59:59", "2025-12-29 00:00:00"}},
		{"2026-03-31 09:00:00", "modified last month", []string{"2026-02-01 00:00:00", "2026-02-28 23:59:59"}, []string{"2026-01-31 23:59:59", "2026-03-01 00:00:00"}},
		{"2026-10-28 09:00:00", "modified last week", []string{"2026-10-19 00:00:00", "2026-10-25 23:59:59"}, []string{"2026-10-18 23:59:59", "2026-10-26 00:00:00"}},
		{"2026-10-25 12:00:00", "modified within 24h", []string{"2026-10-24 13:00:00"}, []string{"2026-10-24 12:59:59"}},
		{"2026-10-25 12:00:00", "modified within 1d", []string{"2026-10-24 12:00:00"}, []string{"2026-10-24 11:59:59"}},
	} {
		asOf, err := time.ParseInLocation("2006-01-02 15:04:05", c.asOf, zone)
		require.NoError(t, err)
		env := environment(t)
		env.AsOf = asOf
		test := compiled(t, env, c.text).Test()
		for _, in := range c.in {
			assert.True(t, decide(t, test, at(in)), "%s: %s", c.text, in)
		}
		for _, out := range c.out {
			assert.False(t, decide(t, test, at(out)), "%s: not %s", c.text, out)
		}
	}
}

// Facts are asked for only while the answer is open, and those that cost more
// only after those that cost less, in whatever order the tests are written.
func TestCheapestFirst(t *testing.T) {
	e := &entry.Entry{Name: "dusk.wav", Kind: entry.KindFile, Known: entry.FactStatus, Size: 5}
	for text, asked := range map[string]entry.Facts{
		"sha256 is 00000000 and size over 1kB and name has dawn": 0,
		"sha256 is 00000000 and size over 1kB and name has dusk": source.Stages[0],
		"mislabelled and size under 1kB":                         source.Stages[0] | source.Stages[1] | source.Stages[2],
		"size over 1kB or name has dusk":                         0,
		"not (name has dusk or empty)":                           0,
		"kind is folder and empty":                               0,
		"broken":                                                 0,
	} {
		test := compiled(t, environment(t), text).Test()
		var got entry.Facts
		for stage := 0; test(e, got) == source.Open; stage++ {
			got |= source.Stages[stage]
		}
		assert.Equal(t, asked, got, text)
	}
	assert.Zero(t, compiled(t, environment(t), "name ends .wav and kind is file or hidden").Needs())
	assert.Equal(t, entry.FactStatus, compiled(t, environment(t), "size over 4kB and modified within 1 day").Needs())
}

// Patterns mean what the regular expression alone would, whatever is looked for
// beforehand.
func TestPatterns(t *testing.T) {
	names := []string{"rec007.CSV", "rec17.csv", "REC0.csv", "rec7.csv.gz", "\u017fet.csv", "set.csv", "\u212aelvin", "kelvin", "a|b", "ab", "b", "\xff.csv"}
	for _, text := range []string{`rec0*7.*\.csv$`, `^set\.csv$`, `kelvin`, `a|b`, `(?-i:REC)`, `\.csv`, `a?b`, `(ab)+`, `\Srec|k`, `^$`} {
		for _, matchCase := range []bool{false, true} {
			env := environment(t)
			env.MatchCase = matchCase
			test := compiled(t, env, "name", "matches", text).Test()
			re := regexp.MustCompile(map[bool]string{true: text, false: "(?i:" + text + ")"}[matchCase])
			for _, name := range names {
				assert.Equal(t, re.MatchString(name), decide(t, test, &entry.Entry{Name: name}), "%s %q %v", text, name, matchCase)
			}
		}
	}
}

// Braces stand for themselves in patterns, and many of them take no longer.
func TestBraces(t *testing.T) {
	for pattern, names := range map[string][2]string{"{x}*": {"{x}1", "x1"}, "*{*": {"a{b", "ab"}, "[{]a": {"{a", "a"}, `\{x\}`: {"{x}", "x"}, "{a,b}": {"{a,b}", "a"}} {
		test := compiled(t, environment(t), "name", "like", pattern).Test()
		assert.True(t, decide(t, test, &entry.Entry{Name: names[0]}), pattern)
		assert.False(t, decide(t, test, &entry.Entry{Name: names[1]}), pattern)
	}
	many := compiled(t, environment(t), "name", "like", strings.Repeat("{a,aa}", 30)+"b").Test()
	assert.False(t, decide(t, many, &entry.Entry{Name: strings.Repeat("a", 60)}))
}

// What a line is repaired to keeps all that was said but the mistake.
func TestRepairsKeepNumbers(t *testing.T) {
	for text, want := range map[string][]string{
		"age over90 days":                  {"age over 90 days"},
		"modified within7 days":            {"modified within 7 days"},
		"name has a b c":                   {"name has a and b and c", "name has a b c"},
		"group is x adn size over 1":       {"group is x and size over 1"},
		"nto empty and size over 5":        {"not empty and size over 5"},
		"type is directory and links is 2": {"kind is directory and links is 2"},
	} {
		_, err := condition.Parse(strings.Fields(text))
		var mistake *condition.Error
		require.ErrorAs(t, err, &mistake, text)
		var is []string
		for _, words := range mistake.Repairs {
			is = append(is, strings.Join(words, " "))
		}
		assert.Equal(t, want, is, text)
	}
}

// Text that looks the same is the same, small letters stand for capitals by Unicode's rules,
// and accents need not be typed.
func TestLetters(t *testing.T) {
	const composed, apart = "Caf\u00e9.txt", "Cafe\u0301.txt"
	for _, c := range []struct{ text, in, out string }{
		{"name is caf\u00e9.txt", composed + " " + apart, "cafe.txt"},
		{"name is cafe\u0301.txt", composed + " " + apart, "cafe.txt"},
		{"name is cafe.txt", "CAFE.txt", composed + " " + apart},
		{"name has cafe", composed + " " + apart + " cafe.txt", "caf.txt"},
		{"name has caf\u00e9", composed + " " + apart, "cafe.txt caf\u00e8.txt"},
		{"name has cafe,x\u00e9", composed + " x\u00e9", "xe"},
		{"name starts lodz", "\u0141\u00f3d\u017a.md", "Loda"},
		{"name starts \u0142odz", "\u0142odz.md", "lodz.md \u0141\u00f3d\u017a.md"},
		{"name ends oe", "No\u00eb n\u00f6e", "no\u00ebl"},
		{"name like caf?.txt", composed + " " + apart + " cafx.txt", "caf.txt"},
		{"name like caf\u00e9.*", composed + " " + apart, "cafe.txt"},
		{"name matches ^caf.\\.txt$", composed + " " + apart, "caf.txt"},
		{"name matches caf\u00e9", composed + " " + apart, "cafe.txt"},
		{"name has strasse", "Stra\u00dfe STRASSE \u1e9eStra\u1e9ee", "strase"},
		{"name has \u03c3", "\u039f\u03a3 \u03bf\u03c2", "\u03bf"},
		{"name has i", "\u0130 \u0131", "\u0237"},
		{"name has \u0438", "\u0439 \u0418", "\u043d"},
		{"name has \u304b", "\u304b", "\u304c"}, // the mark makes another kana
		{"ext is \u00e9t\u00e9", "x.E\u0301TE\u0301", "x.ete"},
		{"name has \xff\u00e9", "\xffe\u0301 \xff\u00c9", "\xfee\u0301"},
	} {
		test := compiled(t, environment(t), strings.Fields(c.text)...).Test()
		for name := range strings.FieldsSeq(c.in) {
			assert.True(t, decide(t, test, &entry.Entry{Name: name}), "%s: %s", c.text, name)
		}
		for name := range strings.FieldsSeq(c.out) {
			assert.False(t, decide(t, test, &entry.Entry{Name: name}), "%s: not %s", c.text, name)
		}
	}
	env := environment(t)
	env.MatchCase = true
	test := compiled(t, env, "name", "has", "Cafe").Test()
	assert.True(t, decide(t, test, &entry.Entry{Name: composed}))
	assert.True(t, decide(t, test, &entry.Entry{Name: apart}))
	assert.False(t, decide(t, test, &entry.Entry{Name: strings.ToUpper(composed)}))
}

func TestFunnel(t *testing.T) {
	c, err := condition.Parse(strings.Fields("size over 10B and name has dawn and ext is wav"))
	require.NoError(t, err)
	p, err := compile.Condition(c, environment(t))
	require.NoError(t, err)
	require.NoError(t, compile.Funnel(c, p))
	test := p.Test()
	for i, name := range []string{"dawn.wav", "dawn.csv", "dusk.wav", "dawn.WAV"} {
		decide(t, test, &entry.Entry{Name: name, Kind: entry.KindFile, Known: entry.FactStatus, Size: int64(i * 10)})
	}
	decide(t, test, &entry.Entry{Name: "dawn.txt", Kind: entry.KindFile, Known: entry.FactStatus, Marks: entry.MarkUnsized})
	decide(t, test, &entry.Entry{Name: "dawn.2.wav", Kind: entry.KindFile, Known: entry.FactStatus, Marks: entry.MarkUnsized})
	assert.Equal(t, []compile.Left{{Condition: "size over 10B", Entries: 2, Unknown: 1}, {Condition: "name has dawn", Entries: 1}, {Condition: "ext is wav", Entries: 1}}, p.Left())
}

// What is not known is neither met nor not met, as in SQL; what is absent is not met.
func TestThreeValues(t *testing.T) {
	made := &entry.Entry{Name: "made", Kind: entry.KindFile, Known: entry.FactStatus, Marks: entry.MarkUnsized}
	folder := &entry.Entry{Name: "folder", Kind: entry.KindFolder, Known: entry.FactStatus}
	bare := &entry.Entry{Name: "bare.txt", Kind: entry.KindFile}
	for _, one := range []struct {
		e    *entry.Entry
		text string
		want source.Verdict
		why  string
	}{
		{made, "size over 1B", source.Unknown, "size 1"},
		{made, "not size over 1B", source.Unknown, "size 1"},
		{made, "size missing", source.Unknown, "size 1"},
		{made, "empty or sparse", source.Unknown, "empty 1 sparse 1"},
		{made, "size over 1B and name is other", source.No, ""},
		{made, "size over 1B or name is made", source.Yes, ""},
		{made, "not (size over 1B and type is text)", source.Unknown, "size 1 type 1"},
		{folder, "size over 1B", source.No, ""},
		{folder, "not size over 1B", source.Yes, ""},
		{folder, "size missing", source.Yes, ""},
		{folder, "not type is text and not broken", source.Yes, ""},
		{folder, "empty", source.Unknown, "empty 1"},
		{folder, "created within 1 day", source.Unknown, "created 1"},
		{bare, "owner is me or age over 1 day", source.Unknown, "age 1 owner 1"},
		{bare, "sha256 present", source.Unknown, "sha256 1"},
		{bare, "ext is txt or sha256 present", source.Yes, ""},
		{bare, "target is x", source.No, ""},
		{bare, "hidden or kind is folder or links is 2 or links is 3", source.Unknown, "links 1"},
	} {
		t.Run(one.e.Name+" "+one.text, func(t *testing.T) {
			c, err := condition.Parse([]string{one.text})
			require.NoError(t, err)
			p, err := compile.Condition(c, environment(t))
			require.NoError(t, err)
			assert.Equal(t, one.want, p.Test()(one.e, ^entry.Facts(0)))
			entries, fields := p.TakeUntold()
			why := ""
			for _, f := range fields {
				why += fmt.Sprintf(" %s %d", f.Field.Name, f.Entries)
			}
			assert.Equal(t, one.why, strings.TrimSpace(why))
			assert.Equal(t, one.want == source.Unknown, entries == 1)
		})
	}
}

// An expression that parses prints back to one that parses the same; none makes
// it panic.
func FuzzParse(f *testing.F) {
	for _, text := range []string{
		"ext is wav, flac and (size over 1.5 MB or not empty)", "name is 'it''s' or name has \"a b\"", "modified between 2026-01-01 10:00 and 3 days ago",
		"mode any o+rwx and owner is me", "name matches '(' or x", "age is 3 weeks and sha1 is 0123456789ab", "((((", "not", "name is \xff\x00",
	} {
		f.Add(text)
	}
	for _, text := range []string{"name has dawn or dusk and ridge", "older than 3 days", "modified last week or since monday", "is not hidden", "size over 10M", "hidden is no", "name not has a or b", "ext is wav or mp3 and", "modifed within 7", "in the last week"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, words := range [][]string{{text}, strings.Fields(text)} { // in one piece, and as the shell parts it
			condition.Next(words, "1")
			c, err := condition.Parse(words)
			if err != nil {
				var mistake *condition.Error
				require.True(t, errors.As(err, &mistake))
				mistake.Marked()
				for _, repair := range mistake.Repairs {
					_, err := condition.Parse(repair)
					require.NoError(t, err, "%q", repair)
				}
				continue
			}
			again, err := condition.Parse([]string{c.String()})
			if len(c.String()) > 1<<16 {
				continue
			}
			require.NoError(t, err, c.String())
			require.Equal(t, c.String(), again.String())
			require.False(t, again.Spoken, "what is shown is the normal form: %s", c)
			env := &condition.Environment{AsOf: time.Unix(1e9, 0), Zone: time.UTC, Accounts: accounts{}}
			compile.Condition(c, env)
			c.Slips(env)
		}
	})
}

// A few hundred random conditions choose from random entries just what an
// evaluator in plain Go does that shares no code with the compiler.
func TestRandomConditions(t *testing.T) {
	random := rand.New(rand.NewPCG(21, 12))
	env := environment(t)
	root := &entry.Folder{Place: &entry.Place{Given: "p"}}
	sub := entry.NewFolder(root, "Sub")
	var entries []*entry.Entry
	for range 300 {
		e := &entry.Entry{
			Folder: []*entry.Folder{root, sub}[random.IntN(2)], Name: []string{"a", "B", ".h", "dawn", "Éa"}[random.IntN(5)] + []string{"", ".wav", ".CSV", "1.wav"}[random.IntN(4)],
			Kind: entry.Kind(1 + random.IntN(3)), Known: entry.FactStatus | entry.FactInside | entry.FactReach | entry.FactReadable,
			Size: random.Int64N(4) * 700, Links: uint32(1 + random.IntN(3)), UID: []uint32{0, 501, 777}[random.IntN(3)],
			Permissions: entry.Permissions(random.IntN(0o10000)), Marks: entry.Marks(random.IntN(32)),
			Modified: entry.TimeOf(env.AsOf.Add(-time.Duration(random.IntN(100)) * time.Hour)),
		}
		entries = append(entries, e)
	}
	for range 400 {
		words, plain := randomCondition(random, env, 3)
		c, err := condition.Parse(words)
		require.NoError(t, err, words)
		again, err := condition.Parse([]string{c.String()})
		require.NoError(t, err, c.String())
		program, err := compile.Condition(again, env)
		require.NoError(t, err)
		test := program.Test()
		for _, e := range entries {
			require.Equal(t, plain(e), decide(t, test, e), "%s: %+v", strings.Join(words, " "), e)
		}
	}
}

type plainTest func(*entry.Entry) bool

// randomCondition makes a condition in words, and what it means.
func randomCondition(random *rand.Rand, env *condition.Environment, depth int) ([]string, plainTest) {
	if depth > 0 {
		left, l := randomCondition(random, env, depth-1)
		right, r := randomCondition(random, env, depth-1)
		group := func(words ...[]string) []string {
			return slices.Concat([]string{"("}, slices.Concat(words...), []string{")"})
		}
		switch random.IntN(4) {
		case 0:
			return group(left, []string{"and"}, right), func(e *entry.Entry) bool { return l(e) && r(e) }
		case 1:
			return group(left, []string{"or"}, right), func(e *entry.Entry) bool { return l(e) || r(e) }
		case 2:
			return slices.Concat([]string{"not"}, left), func(e *entry.Entry) bool { return !l(e) }
		}
	}
	lower := func(e *entry.Entry) string { return strings.ToLower(e.Name) }
	isFile := func(e *entry.Entry) bool { return e.Kind == entry.KindFile }
	hours := random.IntN(100)
	size := random.Int64N(2000)
	bits := entry.Permissions(1 + random.IntN(0o7777))
	old := func(e *entry.Entry) time.Duration { return env.AsOf.Sub(e.Modified.Std()) }
	choices := []struct {
		words string
		plain plainTest
	}{
		{"name has A", func(e *entry.Entry) bool { return strings.Contains(lower(e), "a") }},
		{"name is éa.wav", func(e *entry.Entry) bool { return lower(e) == "éa.wav" }},
		{"name ends 1.WAV", func(e *entry.Entry) bool { return strings.HasSuffix(lower(e), "1.wav") }},
		{"stem starts d", func(e *entry.Entry) bool { return strings.HasPrefix(lower(e), "d") }},
		{"name like d*.[c-w]*", func(e *entry.Entry) bool { ok, _ := path.Match("d*.[c-w]*", lower(e)); return ok }},
		{`name matches ^\S+1\.wav$`, func(e *entry.Entry) bool { return strings.HasSuffix(lower(e), "1.wav") && len(e.Name) > 5 }},
		{"ext is wav,csv", func(e *entry.Entry) bool { return slices.Contains([]string{".wav", ".csv"}, path.Ext(lower(e))) }},
		{"path has sub/", func(e *entry.Entry) bool { return e.Folder.Name == "Sub" }},
		{"kind is file,folder", func(e *entry.Entry) bool { return e.Kind == entry.KindFile || e.Kind == entry.KindFolder }},
		{fmt.Sprintf("size over %dB", size), func(e *entry.Entry) bool { return isFile(e) && e.Size > size }},
		{fmt.Sprintf("size at most %dB", size), func(e *entry.Entry) bool { return isFile(e) && e.Size <= size }},
		{"size between 0.5kB and 2 KiB", func(e *entry.Entry) bool { return isFile(e) && e.Size >= 500 && e.Size <= 2048 }},
		{"links is 2", func(e *entry.Entry) bool { return e.Links == 2 }},
		{"depth under 2", func(e *entry.Entry) bool { return e.Folder.Parent == nil }},
		{"owner is me", func(e *entry.Entry) bool { return e.UID == 501 }},
		{"owner is unknown,root", func(e *entry.Entry) bool { return e.UID != 501 }},
		{"owner is 777", func(e *entry.Entry) bool { return e.UID == 777 }},
		{"owner has AR", func(e *entry.Entry) bool { return e.UID == 501 }},
		{fmt.Sprintf("modified within %d hours", hours), func(e *entry.Entry) bool { return old(e) <= time.Duration(hours)*time.Hour }},
		{fmt.Sprintf("age over %d hours", hours), func(e *entry.Entry) bool { return old(e) > time.Duration(hours)*time.Hour }},
		{"modified on yesterday", func(e *entry.Entry) bool { return e.Modified.Std().In(env.Zone).Day() == 22 }},
		{fmt.Sprintf("mode has %04o", bits), func(e *entry.Entry) bool { return e.Permissions|bits == e.Permissions }},
		{fmt.Sprintf("mode any %04o", bits), func(e *entry.Entry) bool { return e.Permissions&^bits != e.Permissions }},
		{"mode lacks go+w", func(e *entry.Entry) bool { return !strings.Contains(string(e.Permissions.AppendNine(nil))[3:], "w") }},
		{"empty", func(e *entry.Entry) bool {
			return isFile(e) && e.Size == 0 || e.Kind == entry.KindFolder && e.Marks&entry.MarkVoid != 0
		}},
		{"hidden", func(e *entry.Entry) bool { return e.Name[0] == '.' }},
		{"broken", func(e *entry.Entry) bool { return e.Kind == entry.KindLink && e.Marks&entry.MarkReaches == 0 }},
		{"readable", func(e *entry.Entry) bool { return e.Marks&entry.MarkReadable != 0 }},
		{"setgid", func(e *entry.Entry) bool { return e.Permissions>>10&1 == 1 }},
	}
	pick := choices[random.IntN(len(choices))]
	return strings.Fields(pick.words), pick.plain
}

func TestContradictions(t *testing.T) {
	for text, is := range map[string]bool{
		"size under 1kB and size over 2kB":                         true,
		"size under 2kB and size over 1kB":                         false,
		"size over 1kB and name has a and size at most 1kB":        true,
		"size at least 1kB and size at most 1kB":                   false,
		"ext is wav and ext is csv,flac":                           true,
		"ext is wav and ext is csv,WAV":                            false,
		"kind is file and kind is folder":                          true,
		"modified within 7 days and age over 10 days":              true,
		"modified within 7 days and age over 3 days":               false,
		"created before yesterday and created after today":         true,
		"hidden and not hidden":                                    true,
		"hidden or not hidden":                                     false,
		"type is image and type is image/png":                      false,
		"type is image and type is audio,text/html":                true,
		"empty or (name is a and name is b)":                       true,
		"name is a and name is A":                                  false,
		"links under 0":                                            false,
		"modified on today and modified between yesterday and now": false,
	} {
		c, err := condition.Parse([]string{text})
		require.NoError(t, err, text)
		assert.Equal(t, is, len(compile.Contradictions(c, environment(t))) > 0, text)
	}
}

// kept is a sink that keeps everything, and what the path of each is.
type kept struct {
	mu      sync.Mutex
	entries []*entry.Entry
}

func (k *kept) Visitor() source.Visitor {
	return func(entries []entry.Entry) error {
		k.mu.Lock()
		defer k.mu.Unlock()
		for _, e := range entries {
			e.Name, e.More = strings.Clone(e.Name), e.More.Clone()
			k.entries = append(k.entries, &e)
		}
		return nil
	}
}

// The reader, asking for facts in stages, gives from real trees just what the
// evaluator in plain Go chooses when all facts are known.
func TestRandomConditionsOnRandomTrees(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 55))
	for range 3 {
		root := t.TempDir()
		folders := []string{root}
		for i := range 200 {
			name := fmt.Sprint([]string{"a", "B", ".h", "dawn", "Éa"}[random.IntN(5)], i%7, []string{"", ".wav", ".CSV", "1.wav"}[random.IntN(4)])
			path := filepath.Join(folders[random.IntN(len(folders))], name)
			switch _, err := os.Lstat(path); {
			case err == nil:
			case random.IntN(5) == 0:
				require.NoError(t, os.Mkdir(path, 0o755))
				folders = append(folders, path)
			case random.IntN(6) == 0:
				require.NoError(t, os.Symlink([]string{"a1", "nowhere"}[random.IntN(2)], path))
			default:
				require.NoError(t, os.WriteFile(path, make([]byte, random.IntN(4)*700), 0o644))
				require.NoError(t, os.Chmod(path, os.FileMode(random.IntN(0o1000))))
			}
		}
		s, err := live.Open(root, 0)
		require.NoError(t, err)
		env := environment(t)
		read := func(request source.Request) map[string]*entry.Entry {
			sink := &kept{}
			request.Depth = source.AllDepths
			report, err := s.Read(context.Background(), request, sink)
			require.NoError(t, err)
			require.Empty(t, report.Problems)
			byPath := map[string]*entry.Entry{}
			for _, e := range sink.entries {
				byPath[e.Path()] = e
			}
			return byPath
		}
		all := read(source.Request{Facts: source.Stages[0] | source.Stages[1] | source.Stages[2]})
		for _, e := range all { // times that the conditions are about
			when := env.AsOf.Add(-time.Duration(random.IntN(100)) * time.Hour)
			times := []unix.Timespec{unix.NsecToTimespec(when.UnixNano()), unix.NsecToTimespec(when.UnixNano())}
			require.NoError(t, unix.UtimesNanoAt(unix.AT_FDCWD, e.Path(), times, unix.AT_SYMLINK_NOFOLLOW))
		}
		all = read(source.Request{Facts: source.Stages[0] | source.Stages[1] | source.Stages[2]})
		for range 120 {
			words, plain := randomCondition(random, env, 3)
			c, err := condition.Parse(words)
			require.NoError(t, err)
			program, err := compile.Condition(c, env)
			require.NoError(t, err)
			var want, got []string
			for path, e := range all {
				if plain(e) {
					want = append(want, path)
				}
			}
			for path := range read(source.Request{Condition: program}) {
				got = append(got, path)
			}
			require.ElementsMatch(t, want, got, c.String())
		}
	}
}

// Moments are read as people write them.
func TestMomentsWrittenOut(t *testing.T) {
	t.Parallel()
	zone := time.FixedZone("", 2*3600)
	now := time.Date(2026, 11, 25, 12, 30, 0, 0, zone) // a Wednesday
	for text, want := range map[string]string{
		"15 June 2019": "2019-06-15 00:00:00", "15 june 2019 8:40 pm": "2019-06-15 20:40:00", "June 15, 2019": "2019-06-15 00:00:00", "15th of June 2019, 20:40": "2019-06-15 20:40:00",
		"Jun 15 2019 12:05 am": "2019-06-15 00:05:00", "20:40": "2026-11-25 20:40:00", "8pm": "2026-11-25 20:00:00", "yesterday 20:40": "2026-11-24 20:40:00", "yesterday at 8:40:05 am": "2026-11-24 08:40:05",
		"monday 9:00": "2026-11-23 09:00:00", "last monday 9:00": "2026-11-23 09:00:00", "2019-06-15 20:40": "2019-06-15 20:40:00", "2019-06-15 8:40 pm": "2019-06-15 20:40:00",
	} {
		at, err := condition.ParseMoment(text, now, zone)
		if assert.NoError(t, err, text) {
			assert.Equal(t, want, at.Format(time.DateTime), text)
		}
	}
	for _, text := range []string{"25:00", "13 pm", "31 June 2019", "last week 20:40", "15", "june 20:40", "20:61"} {
		_, err := condition.ParseMoment(text, now, zone)
		assert.Error(t, err, text)
	}
	c, err := condition.Parse([]string{"modified", "since", "15 June 2019 8:40 pm", "and", "modified", "before", "yesterday 20:40"})
	require.NoError(t, err)
	assert.Equal(t, "modified since 2019-06-15T20:40 and modified before yesterday 20:40", c.String())
	again, err := condition.Parse([]string{c.String()})
	require.NoError(t, err)
	assert.Equal(t, c.String(), again.String())
}
