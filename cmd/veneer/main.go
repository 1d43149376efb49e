// Veneer checks, repairs and records mesh files for print bureaus.
package main

import (
	"os"

	"veneer/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:])) }
