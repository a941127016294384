package cli

import (
	"errors"
	"fmt"
	"path/filepath"
	"strings"
	"time"

	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/core/arrange"
	"frankledger/core/condition"
	"frankledger/core/ledger"
	"frankledger/core/source"
	"frankledger/render/units"
)

// loadConfig reads the person's configuration.
func loadConfig() (*config.Config, error) {
	c, err := config.Load(config.File(), checkDefault)
	if err != nil {
		return nil, usage.Misuse("%w", err)
	}
	return c, nil
}

// checkDefault says what is wrong with a default in the configuration.
func checkDefault(key, word string) (err error) {
	switch key {
	case "units":
		_, err = units.ParseSizes(word)
	case "times":
		_, err = units.ParseTimes(word)
	case "order":
		_, err = arrange.ParseOrder(word)
	case "hidden":
		if _, err = source.ParseHidden(word); err != nil {
			err = fmt.Errorf("hidden %w", err)
		}
	case "colour":
		if word != autoWord && word != alwaysWord && word != neverWord {
			err = fmt.Errorf("colour can be auto, always or never, not %q", word)
		}
	case "skip":
		err = source.CheckPattern(word)
	case "columns.list", "columns.search":
		_, err = parseColumns(word)
	case "journals":
		_, err = journalsSince(word, time.Now())
	case "ledger":
		switch err = ledger.CheckName(word); {
		case err != nil:
		case ledger.Shown(word) != word:
			err = errors.New("the configuration takes no password; keep it in the password file of PostgreSQL (~/.pgpass)")
		case !ledger.Shared(word) && !filepath.IsAbs(word) && !strings.HasPrefix(word, "~/"):
			err = fmt.Errorf("this should be a full path, or a database such as postgresql://LOGIN@HOST/DATABASE, not %q", word)
		}
	}
	if err == nil && word == "" {
		err = errors.New("this should be a word")
	}
	return err
}

// journalsSince returns the moment before which journals are not kept, of how long they
// are to be.
func journalsSince(length string, now time.Time) (time.Time, error) {
	since, err := condition.ParseMoment(length+" ago", now, time.UTC)
	if err != nil {
		err = fmt.Errorf("this should be a length of time, such as 1 year, not %q", length)
	}
	return since, err
}

// builtIn are the defaults where the configuration has none, in the order they
// are shown.
var builtIn = []struct{ key, value, meaning string }{
	{"units", "binary", "sizes in binary, decimal or bytes"},
	{"times", "relative", "times relative, local or utc"},
	{"order", "", "fields to order by; default by name within each folder"},
	{"hidden", "", "show, omit or only; list omits, other commands show"},
	{"colour", autoWord, "auto, always or never"},
	{"skip", "", "folders to skip"},
	{"columns.list", "", "the columns of list in a table"},
	{"columns.search", "", "the columns of search in a table"},
	{"ledger", "", "the file, or the database, with the records"},
	{"pager", "", "the program that shows long answers; default $PAGER"},
	{"journals", "", "how long to keep journals of what was done; default for ever"},
}
