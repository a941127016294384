package place

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/core/ledger"
	"frankledger/render/typeset"
)

// Ledgers finds and opens ledgers, and keeps the one open that places are read from.
type Ledgers struct {
	Session  *session.Session
	Defaults func() (*config.Config, error) // of the person
	Opened   *ledger.Ledger                 // that places are read from; nil until one is
	Path     string                         // its name
}

// LedgerName is where records are kept: as the option says, or FRANK_LEDGER, or
// in the XDG folder for data.
func LedgerName(option string, defaults func() (*config.Config, error)) (string, error) {
	name, err := ledgerName(option, defaults)
	if err == nil {
		err = ledger.CheckName(name)
	}
	if errors.Is(err, ledger.ErrDoubtful) {
		err = usage.Misuse("%s: %w", ShownLedger(name), err)
	}
	return name, err
}

func ledgerName(option string, defaults func() (*config.Config, error)) (string, error) {
	if option != "" {
		return option, nil
	}
	if file := os.Getenv("FRANK_LEDGER"); file != "" {
		return file, nil
	}
	c, err := defaults()
	if err != nil {
		return "", err
	}
	if file := c.Text("ledger"); file != "" {
		return inHome(file)
	}
	data, err := config.DataFolder()
	if err != nil {
		return "", usage.Misuse("the ledger: %w; --ledger FILE names another file", err)
	}
	return filepath.Join(data, "ledger.sqlite"), nil
}

// inHome replaces a ~ that stands for the person's own folder.
func inHome(path string) (string, error) {
	below, is := strings.CutPrefix(path, "~/")
	if !is {
		return path, nil
	}
	home, err := os.UserHomeDir()
	return filepath.Join(home, below), err
}

// Open opens the ledger to read from it, and returns its name.
func (s *Ledgers) Open(ctx context.Context, option string) (*ledger.Ledger, string, error) {
	return s.ledgerNamed(ctx, option, ledger.Open)
}

// Create opens the ledger to write to it, and returns its name. A file is made if there is
// none.
func (s *Ledgers) Create(ctx context.Context, option string) (*ledger.Ledger, string, error) {
	return s.writable(ctx, option, ledger.Create)
}

// Await does so, and waits for a server that does not answer.
func (s *Ledgers) Await(ctx context.Context, option string) (*ledger.Ledger, string, error) {
	const soon = 2 * time.Second
	defer time.AfterFunc(soon, func() { s.Session.Say("frank: waiting for the database server") }).Stop()
	return s.writable(ctx, option, ledger.Await)
}

func (s *Ledgers) writable(ctx context.Context, option string, open func(context.Context, string) (*ledger.Ledger, error)) (*ledger.Ledger, string, error) {
	name, err := LedgerName(option, s.Defaults)
	if err == nil && !ledger.Shared(name) {
		err = config.Private(filepath.Dir(name))
	}
	if err != nil {
		return nil, name, err
	}
	return s.ledgerNamed(ctx, option, open)
}

func (s *Ledgers) ledgerNamed(ctx context.Context, option string, open func(context.Context, string) (*ledger.Ledger, error)) (*ledger.Ledger, string, error) {
	name, err := LedgerName(option, s.Defaults)
	if err != nil {
		return nil, "", err
	}
	l, err := open(ctx, name)
	switch {
	case errors.Is(err, ledger.ErrNone):
		return nil, name, WithoutLedger(name, err)
	case err != nil:
		return nil, name, LedgerTrouble(name, err)
	case ledger.Shared(name): // of the many hosts, this one is meant
		host, err := os.Hostname()
		if err != nil {
			l.Close()
			return nil, name, err
		}
		l.Only(host)
		l.Identify(host, ledger.Machine())
		l.TellWaiting(func(host string) {
			s.Session.Say("frank: waiting for another program that is writing records of %s", typeset.Escaped(host))
		})
	default:
		s.Session.TellIfExposed("the ledger", name)
	}
	return l, name, nil
}

// WithoutLedger says how a ledger is made.
func WithoutLedger(name string, err error) error {
	if ledger.Shared(name) {
		return usage.Repaired(usage.Misuse("%w in the database %s", err, ShownLedger(name)), []string{"ledger", "prepare", ledger.Shown(name)})
	}
	return usage.Misuse("%w: %s; frank record makes one", err, ShownLedger(name))
}

// ShownLedger is how a ledger is named on a screen.
func ShownLedger(name string) string { return typeset.Escaped(ledger.Shown(name)) }

// LedgerTrouble names the file in an error about it.
func LedgerTrouble(path string, err error) error {
	if err == nil || errors.Is(err, context.Canceled) {
		return err
	}
	if written := (*fs.PathError)(nil); errors.As(err, &written) && written.Op == "write" && !strings.HasPrefix(written.Path, path) {
		return &usage.Failure{Status: usage.StatusFailed, Err: err} // what was read of it could not be written
	}
	if errors.Is(err, ledger.ErrOlder) {
		err = fmt.Errorf("%w; frank ledger prepare upgrades it", err)
	}
	if errors.Is(err, ledger.ErrNoRight) {
		err = fmt.Errorf("%w; the one who prepared the ledger can give rights: frank ledger admit", err)
	}
	if errors.Is(err, ledger.ErrSettings) || errors.Is(err, ledger.ErrNoDatabase) {
		return usage.Misuse("%s: %w", ShownLedger(path), err)
	}
	return &usage.Failure{Status: usage.StatusFailed, Err: fmt.Errorf("%s: %w", ShownLedger(path), err)}
}

// ToRead opens the ledger that places are read from, once, until the command is done.
func (s *Ledgers) ToRead(ctx context.Context, option string, h Hosts) (*ledger.Ledger, error) {
	if s.Opened == nil {
		l, path, err := s.Open(ctx, option)
		if err != nil {
			return nil, err
		}
		if h.Given {
			l.Only(h.Names...)
		}
		if h.Several() {
			l.Wide()
		}
		s.Opened, s.Path = l, path
	}
	return s.Opened, nil
}

// whoseRecords are the machines whose records are meant where nothing says so; nil for all that the
// ledger has.
func (s *Ledgers) whoseRecords() []string {
	if ledger.Shared(s.Path) {
		return []string{ThisHost()}
	}
	return nil
}

// Close closes the ledger that places are read from, if one is open.
func (s *Ledgers) Close() {
	if s.Opened != nil {
		s.Opened.Close()
	}
	s.Opened = nil
}
