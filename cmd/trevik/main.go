// Command trevik is the running shoe fitter's application and its calculators.
package main

import (
	"os"

	"trevik/internal/cli"
)

func main() { os.Exit(cli.Run(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
