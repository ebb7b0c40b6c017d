// Command yewcone checks exported password settings and accounts against
// rules.
package main

import (
	"os"

	"yewcone/cli"
)

func main() {
	os.Exit(cli.Main(os.Args, os.Stdin, os.Stdout, os.Stderr))
}
