package cli

import (
	"fmt"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"

	"regola.example/regola/rulebooks"
)

// Version and Commit are set when a release is built, with
// -ldflags "-X regola.example/regola/internal/cli.Version=…".
var (
	Version = "development"
	Commit  = ""
)

func (e *env) versionCommand() *cobra.Command {
	return &cobra.Command{
		Use:     "version",
		Example: "  regola version",
		Short:   "Say the version, the commit and the editions of the rulebooks",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			fmt.Fprintf(e.out, "regola %s\ncommit %s\n%s %s/%s\n\n", Version, commit(), runtime.Version(), runtime.GOOS, runtime.GOARCH)
			seen := map[string]bool{}
			stores, err := e.lib.Stores()
			if err != nil {
				return err
			}
			for _, s := range stores {
				books, err := e.lib.Books(s)
				if err != nil {
					return err
				}
				for _, b := range books {
					if !seen[b.File] {
						seen[b.File] = true
						fmt.Fprintf(e.out, "%-38s edition %s, %d rules\n", b.File, b.Edition, len(b.Rules))
					}
				}
			}
			set, err := e.lib.Tables()
			if err != nil {
				return err
			}
			fmt.Fprintf(e.out, "%-38s edition %s, %d permissions, %d purposes, %d SDKs\n", rulebooks.Prefix+"tables", set.Edition, len(set.Permissions), len(set.Purposes), len(set.SDKs))
			return nil
		},
	}
}

// commit is the one set at build time, or what the Go tool recorded.
func commit() string {
	if Commit != "" {
		return Commit
	}
	if info, ok := debug.ReadBuildInfo(); ok {
		for _, s := range info.Settings {
			if s.Key == "vcs.revision" {
				return s.Value
			}
		}
	}
	return "not recorded"
}
