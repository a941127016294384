package cli

import (
	"context"
	"os"

	"github.com/adrg/xdg"
)

// RunHere runs one command line in this process, as Main does, but for signals.
func RunHere(args []string, out, err *os.File) int {
	xdg.Reload() // it has read the environment when the process began
	return newProgram(out, err, nil).Run(context.Background(), args)
}
