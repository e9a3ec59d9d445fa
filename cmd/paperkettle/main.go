// Command paperkettle is the service and its command line.
package main

import (
	"os"

	"paperkettle/cli"
)

func main() { os.Exit(cli.Run(os.Args[1:], os.Stdout, os.Stderr)) }
