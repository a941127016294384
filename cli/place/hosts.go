package place

import (
	"os"
	"slices"
	"strings"

	"frankledger/cli/usage"
)

// EveryHost is the word for all hosts.
const EveryHost = "all"

// Hosts are the machines that --host names.
type Hosts struct {
	Given bool
	Names []string // nil for all
}

// Several reports whether these may be more than one.
func (h Hosts) Several() bool { return h.Given && len(h.Names) != 1 }

// HostsIn returns the hosts that words name, with commas between them or not; nil for all.
func HostsIn(words []string) (names []string, err error) {
	for _, word := range words {
		for _, host := range strings.Split(word, ",") {
			host = strings.TrimSpace(host)
			switch {
			case host == EveryHost:
				if len(words) > 1 || word != EveryHost {
					return nil, usage.Misuse("all already means every machine; name no other")
				}
				return nil, nil
			case host == "" || len(host) > 255 || strings.ContainsFunc(host, func(r rune) bool { return r <= ' ' || r == '*' || r == 0x7f }):
				return nil, usage.Misuse("%q is not the name of a machine; write web01, or web01,web02, or all", host)
			}
			if !slices.Contains(names, host) {
				names = append(names, host)
			}
		}
	}
	return names, nil
}

// ThisHost is the name of this machine; "" if the system does not tell.
func ThisHost() string {
	host, _ := os.Hostname()
	return host
}
