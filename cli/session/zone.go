package session

import (
	"os"
	"strings"
	"time"

	"frankledger/core/calendar"
	"frankledger/render/typeset"
)

// Zone is the time zone of the person, as the variable TZ tells, or else the system. What TZ has in
// the form of POSIX is not known to the library. One that nobody knows is said once: times are in
// UTC then.
func (p *Session) Zone() *time.Location {
	p.zoned.Do(func() {
		name := strings.TrimPrefix(os.Getenv("TZ"), ":")
		if name == "" || name == "UTC" || time.Local.String() != "UTC" {
			return
		}
		zone, err := calendar.ParseZone(name)
		if err != nil {
			p.Say("frank: times are in UTC, because this system does not know the time zone %s in the variable TZ", typeset.Escaped(name))
			return
		}
		time.Local = zone
	})
	return time.Local
}
