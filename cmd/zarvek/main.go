// Command zarvek explains captured routing tables and follows packets through them, there and back.
package main

import (
	"os"
	"runtime/debug"

	"zarvek/internal/cli"
)

func main() {
	// A table of a million routes is mostly memory without pointers, which costs the collector nothing to keep: collecting
	// early saves a tenth of the peak and no time that could be measured (scripts/bench).
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(20)
	}
	os.Exit(cli.Run(os.Args[1:], os.Stdout, os.Stderr))
}
