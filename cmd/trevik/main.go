// Command trevik is the running shoe fitter's application and its calculators.
package main

import (
	"os"
	_ "time/tzdata" // the shop's time zone is found on a machine without its own list, too

	"trevik/internal/cli"
)

func main() { os.Exit(cli.Run(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
