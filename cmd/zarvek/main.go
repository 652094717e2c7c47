// Command zarvek explains captured routing tables and follows packets through them, there and back.
package main

import (
	"fmt"
	"os"
	"os/signal"
	"runtime/debug"

	"zarvek/internal/cli"
)

// interrupted is the exit code of a program that was stopped from the keyboard, as shells count it.
const interrupted = 130

func main() {
	// A table of a million routes is mostly memory without pointers, which costs the collector nothing to keep:
	// collecting early saves a tenth of the peak and no time that could be measured (scripts/bench).
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(20)
	}
	stop := make(chan os.Signal, 1)
	signal.Notify(stop, os.Interrupt)
	go func() {
		<-stop
		// Nothing needs to be put away: what collect has not finished is taken out by the next collection.
		fmt.Fprintln(os.Stderr, "\nzarvek: stopped")
		os.Exit(interrupted)
	}()
	os.Exit(cli.Run(os.Args[1:], os.Stdout, os.Stderr))
}
