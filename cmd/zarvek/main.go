// Command zarvek explains captured routing tables and follows packets through them, there and back.
package main

import (
	"fmt"
	"os"
	"os/signal"

	"zarvek/internal/cli"
)

// interrupted is the exit code of a program that was stopped from the keyboard, as shells count it.
const interrupted = 130

func main() {
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
