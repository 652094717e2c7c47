// Command zarvek explains captured routing tables and follows packets through them, there and back.
package main

import (
	"os"

	"zarvek/internal/cli"
)

func main() { os.Exit(cli.Run(os.Args[1:], os.Stdout, os.Stderr)) }
