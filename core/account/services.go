package account

import (
	"io"
	"os"
	"strings"
)

// systemdUsers are where nss-systemd finds accounts besides root and nobody (see its manual page).
var systemdUsers = []string{"/run/systemd/userdb", "/etc/userdb", "/run/userdb", "/run/host/userdb", "/usr/lib/userdb", "/usr/local/lib/userdb"}

// onlyFiles reports whether the name service, as a file in the format of nsswitch.conf(5) sets it
// up, has accounts of a database from its file alone. Without such a file that is not known.
func onlyFiles(services, database string) bool {
	text, err := os.ReadFile(services)
	if err != nil {
		return false
	}
	for line := range strings.Lines(string(text)) {
		line, _, _ = strings.Cut(line, "#")
		name, words, is := strings.Cut(line, ":")
		if !is || strings.TrimSpace(name) != database {
			continue
		}
		for _, word := range strings.Fields(words) {
			if word != "files" && !(word == "systemd" && !anyIn(systemdUsers)) {
				return false
			}
		}
		return strings.TrimSpace(words) != ""
	}
	return false
}

// anyIn reports whether there is anything in some folders.
func anyIn(folders []string) bool {
	for _, folder := range folders {
		in, err := os.Open(folder)
		if err != nil {
			if os.IsNotExist(err) {
				continue
			}
			return true
		}
		_, err = in.Readdirnames(1)
		in.Close()
		if err != io.EOF {
			return true
		}
	}
	return false
}
