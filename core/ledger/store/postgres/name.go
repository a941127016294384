package postgres

import (
	"errors"
	"net/url"
	"os"
	"regexp"
	"slices"
	"strings"
	"sync"

	"github.com/jackc/pgx/v5/pgconn"
)

// A ledger is named by a connection string as PostgreSQL's own programs take it (libpq, "Connection
// Strings"): a URI, or keywords with values. Anything else that looks like a connection is
// refused, and never taken for the name of a file.

// schemes are those of a URI, which is written in letters of any case.
var schemes = []string{"postgresql://", "postgres://"}

// keywords are those by which a connection string of keywords is known: of libpq's, the ones
// that say where to.
var keywords = []string{"host", "hostaddr", "port", "dbname", "user", "password", "passfile", "service", "sslmode", "sslcert", "sslkey", "sslrootcert", "sslpassword",
	"target_session_attrs", "connect_timeout", "options", "application_name"}

var (
	aKeyword = lazily(`(?:^|\s)([a-z_]+)\s*=`)
	aScheme  = lazily(`(?i)^(?:[a-z][a-z0-9+.-]*:)+/|^(?:jdbc:)?postgres(?:ql)?:`)
	aLogin   = lazily(`^[^/\s@:]+:[^/\s@]+@[^/\s@]+`)
)

// lazily compiles a pattern when it is first asked for: most commands never do.
func lazily(pattern string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(pattern) })
}

// Is reports whether a ledger is named by a connection string.
func Is(name string) bool { return hasScheme(name) || hasKeywords(name) }

func hasScheme(name string) bool {
	return slices.ContainsFunc(schemes, func(scheme string) bool {
		return len(name) >= len(scheme) && strings.EqualFold(name[:len(scheme)], scheme)
	})
}

// hasKeywords reports whether a name begins with a keyword of a connection string.
func hasKeywords(name string) bool {
	if !strings.Contains(name, "=") {
		return false
	}
	found := aKeyword().FindStringSubmatchIndex(name)
	return found != nil && strings.TrimSpace(name[:found[2]]) == "" && slices.Contains(keywords, name[found[2]:found[3]])
}

// Doubtful reports whether a name looks like a connection, and is none that is understood.
func Doubtful(name string) bool {
	if Is(name) || !strings.ContainsAny(name, "=@:") {
		return false
	}
	return aScheme().MatchString(name) || aLogin().MatchString(name) ||
		slices.ContainsFunc(aKeyword().FindAllStringSubmatch(strings.ToLower(name), -1), func(m []string) bool { return slices.Contains(keywords, m[1]) })
}

// ErrDoubtful is returned for such a name.
var ErrDoubtful = errors.New("this looks like a connection to a database, and is none: write postgresql://LOGIN@HOST/DATABASE, or host=HOST dbname=DATABASE user=LOGIN; a file of that name is ./NAME")

// parse reads a connection string.
func parse(name string) (*pgconn.Config, error) {
	for _, scheme := range schemes {
		if len(name) >= len(scheme) && strings.EqualFold(name[:len(scheme)], scheme) {
			name = scheme + name[len(scheme):]
		}
	}
	config, err := pgconn.ParseConfig(name)
	if err != nil {
		return nil, settings(err)
	}
	return config, exposed(name)
}

// ErrExposed is returned for a password file that others can read: as PostgreSQL's own programs, this
// one does not use it.
var ErrExposed = errors.New("others can read the password file, so it is not used; chmod go= makes it private")

// exposed returns an error if a connection would take its password from a file that others can read.
func exposed(name string) error {
	if os.Getenv("PGPASSWORD") != "" || Redacted(name) != name && strings.Contains(strings.ToLower(name), "password") {
		return nil // it has another one
	}
	if u, err := url.Parse(name); err == nil && hasScheme(name) {
		if _, has := u.User.Password(); has {
			return nil
		}
	}
	file := os.Getenv("PGPASSFILE")
	if given := aPassfile().FindStringSubmatch(name); given != nil {
		file, _ = url.QueryUnescape(strings.Trim(given[1], "'"))
	}
	if home, err := os.UserHomeDir(); file == "" && err == nil {
		file = home + "/.pgpass"
	}
	const others = 0o077
	info, err := os.Stat(file)
	if err != nil || !info.Mode().IsRegular() || info.Mode().Perm()&others == 0 {
		return nil // it is private, or there is none
	}
	return ErrExposed
}

var aPassfile = lazily(`(?:^|[?&\s])passfile\s*=\s*('[^']*'|[^&\s]*)`)

var (
	inURI   = lazily(`^((?:[A-Za-z][A-Za-z0-9+.-]*:)+/+[^/\s@:]*):[^\s?]*@`) // to the last @, as nothing hinders one in a password
	inLogin = lazily(`^([^/\s@:]+):[^/\s@]+@`)
	inQuery = lazily(`(?i)([?&])(?:ssl)?password=[^&\s]*`)
	inWords = lazily(`(?i)(^|\s)\s*(?:ssl)?password\s*=\s*(?:'(?:\\.|[^'\\])*'|(?:\\.|[^\s\\])*)`)
)

// Redacted is a name without the passwords that may be in it.
func Redacted(name string) string {
	if !Is(name) && !Doubtful(name) {
		return name
	}
	shown := inURI().ReplaceAllString(name, "$1@")
	shown = inLogin().ReplaceAllString(shown, "$1@")
	shown = inQuery().ReplaceAllString(shown, "$1")
	shown = strings.NewReplacer("?&", "?", "&&", "&").Replace(shown)
	return strings.TrimSpace(inWords().ReplaceAllString(strings.TrimRight(shown, "?&"), ""))
}
