package cli

import (
	"fmt"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"
)

// Version is the version of the program, set when a release is linked.
var Version = ""

func (p *Program) versionCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:  "version",
		Args: noArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return p.version(cmd) },
	}
	examples(cmd, example{"version", ""})
	return cmd
}

// version shows the version.
func (p *Program) version(cmd *cobra.Command) error {
	version, revision := Version, ""
	if info, ok := debug.ReadBuildInfo(); ok {
		if version == "" {
			version = info.Main.Version
		}
		settings := map[string]string{}
		for _, s := range info.Settings {
			settings[s.Key] = s.Value
		}
		if settings["vcs.revision"] != "" {
			revision = "\nrevision  " + settings["vcs.revision"] + ", " + settings["vcs.time"]
			if settings["vcs.modified"] == "true" {
				revision += ", with changes"
			}
		}
	}
	if version == "" || version == "(devel)" {
		version = "in development"
	}
	_, err := fmt.Fprintf(cmd.OutOrStdout(), "Frank Ledger %s\nbuilt     with %s for %s/%s%s\n",
		version, runtime.Version(), runtime.GOOS, runtime.GOARCH, revision)
	return err
}
