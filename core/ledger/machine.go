package ledger

import (
	"bytes"
	"os"

	"github.com/zeebo/blake3"
)

// Machine identifies this machine, whatever its name: its identity, hashed with a key of this program as
// machine-id(5) asks. It is nil if the system has none.
func Machine() []byte {
	for _, name := range []string{"/etc/machine-id", "/var/lib/dbus/machine-id", "/etc/hostid"} {
		if id, err := os.ReadFile(name); err == nil && len(bytes.TrimSpace(id)) >= 32 {
			h := blake3.NewDeriveKey("frank ledger: which machine recorded")
			h.Write(bytes.TrimSpace(id))
			return h.Sum(nil)[:16]
		}
	}
	return nil
}

// Identify says which machine it is that writes records of a host, if the ledger is shared.
func (l *Ledger) Identify(host string, machine []byte) {
	l.Store.Identify(host, machine)
}

// TellWaiting has a function be called, with the host, when another program that writes records of that
// has to be waited for.
func (l *Ledger) TellWaiting(tell func(host string)) {
	l.Store.TellWaiting(tell)
}

// Namesake reports whether records of the host that was identified were written by another machine
// before: two machines have one name, or one was set up anew.
func (l *Ledger) Namesake() bool {
	return l.Store.Namesake()
}
