// Command regola tells a mobile app developer, before anything is sent,
// whether a release package and its store submission would get through each
// store's rules, and what exactly to change.
package main

import (
	"os"

	"regola.example/regola/internal/cli"
)

func main() { os.Exit(cli.Run(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
