// Command yewcone checks exported password settings and accounts against
// rules.
package main

import (
	"os"
	_ "time/tzdata" // mappings name time zones, and not every host has the list

	"yewcone/cli"
)

func main() {
	os.Exit(cli.Main(os.Args, os.Stdin, os.Stdout, os.Stderr))
}
