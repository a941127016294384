package config

import (
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// The turn of the last record that was made here, into whatever ledger, is kept in the state
// folder: so that records of a machine have an order also where its clock was set back.

// LastTurn returns it; 0 where it is not known.
func LastTurn() int64 {
	folder, err := StateFolder()
	if err != nil {
		return 0
	}
	text, err := os.ReadFile(filepath.Join(folder, "turn"))
	if err != nil {
		return 0
	}
	turn, err := strconv.ParseInt(strings.TrimSpace(string(text)), 10, 64)
	if err != nil || turn < 0 {
		return 0
	}
	return turn
}

// KeepTurn keeps it, unless a later one is kept. Where that cannot be written, the order of records
// goes by each ledger and by the clock.
func KeepTurn(turn int64) {
	folder, err := StateFolder()
	if err != nil || turn <= LastTurn() || os.MkdirAll(folder, 0o700) != nil {
		return
	}
	file, err := os.CreateTemp(folder, "turn-") // for its owner only
	if err != nil {
		return
	}
	_, err = file.WriteString(strconv.FormatInt(turn, 10) + "\n")
	if closing := file.Close(); err == nil {
		err = closing
	}
	if err != nil || os.Rename(file.Name(), filepath.Join(folder, "turn")) != nil {
		os.Remove(file.Name())
	}
}
