package config

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/adrg/xdg"
)

// ErrNoHome is returned where nothing says where a person's files are: there is no
// other place to keep them in.
var ErrNoHome = errors.New("HOME is not set to an absolute path")

// own is the folder of this program among those of others.
const own = "frank-ledger"

// DataFolder returns the folder that the ledger is kept in: in the XDG folder for
// data.
func DataFolder() (string, error) { return folder("XDG_DATA_HOME", xdg.DataHome, own) }

// StateFolder returns the folder that journals are kept in.
func StateFolder() (string, error) { return folder("XDG_STATE_HOME", xdg.StateHome, own) }

// Folder returns the folder of the configuration.
func Folder() (string, error) { return folder("XDG_CONFIG_HOME", xdg.ConfigHome, own) }

// TrashFolder returns the trash of the person.
func TrashFolder() (string, error) { return folder("XDG_DATA_HOME", xdg.DataHome, "Trash") }

// folder joins a folder of the person with a name. After the XDG base directory
// specification 0.8, a path in the environment that is not a full one is as good as
// none.
func folder(variable, dir, name string) (string, error) {
	if !filepath.IsAbs(os.Getenv(variable)) && !filepath.IsAbs(os.Getenv("HOME")) {
		return "", fmt.Errorf("%w; set HOME or %s", ErrNoHome, variable)
	}
	return filepath.Join(dir, name), nil
}

// Private makes a folder, and those on the path to it, that are its owner's alone.
func Private(folder string) error { return os.MkdirAll(folder, 0o700) }

// Exposed reports whether others may read a file or folder that was made private, and notes it, so that people are
// warned once.
func Exposed(path string) bool {
	info, err := os.Stat(path)
	if err != nil || info.Mode().Perm()&0o077 == 0 || !info.Mode().IsRegular() && !info.IsDir() {
		return false
	}
	state, err := StateFolder()
	if err != nil {
		return true
	}
	full, err := filepath.Abs(path)
	if err != nil {
		return true
	}
	told := filepath.Join(state, "told")
	before, _ := os.ReadFile(told) // there may be none
	if strings.Contains("\n"+string(before), "\n"+full+"\n") {
		return false
	}
	if Private(state) == nil {
		if f, err := os.OpenFile(told, os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o600); err == nil {
			fmt.Fprintln(f, full)
			f.Close()
		}
	}
	return true
}
