// Command regola tells a mobile app developer, before anything is sent,
// whether a release package and its store submission would get through each
// store's rules, and what exactly to change.
package main

import (
	"os"
	"runtime/debug"

	"regola.example/regola/internal/cli"
)

func main() {
	// The process lives for a moment: collecting garbage early costs more than
	// it frees. The limit keeps large packages within the bound on memory.
	debug.SetGCPercent(-1)
	debug.SetMemoryLimit(76 << 20)
	os.Exit(cli.Run(os.Args[1:], os.Stdin, os.Stdout, os.Stderr))
}
