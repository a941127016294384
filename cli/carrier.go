package cli

import (
	"os"
	"path/filepath"
	"time"

	"frankledger/cli/usage"
	"frankledger/config"
	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/trash"
)

// carrier returns what carries plans out.
func (p *Program) carrier() (*doing.Carrier, error) {
	state, err := config.StateFolder()
	if err != nil {
		return nil, usage.Misuse("the journal: %w", err)
	}
	folder := filepath.Join(state, "journal")
	p.TellIfExposed("the journals", folder)
	return &doing.Carrier{Journals: journals.Journals{Folder: folder}, Trash: trashOfPerson(), Now: time.Now}, nil
}

// trashOfPerson is the trash of whoever runs the program.
func trashOfPerson() trash.Trash {
	home, _ := config.TrashFolder() // there may be none
	return trash.Trash{Home: home, User: os.Geteuid()}
}
