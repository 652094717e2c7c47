package cli

import (
	"flag"
	"fmt"
	"io"
	"strings"
)

func helpCommand() command {
	return command{
		name: "help", args: "[COMMAND]", plain: true,
		short: "this list, or one command's options",
		setup: func(*flag.FlagSet) action {
			return func(e *env, args []string) error {
				if len(args) == 0 {
					return printHelp(e.out)
				}
				if len(args) > 1 {
					return usagef("help takes one COMMAND, not %d arguments", len(args))
				}
				c, err := findCommand(args[0])
				if err != nil {
					return err
				}
				return commandHelp(e.out, c)
			}
		},
	}
}

func printHelp(w io.Writer) error {
	fmt.Fprint(w, `zarvek reads routing tables captured from routers and firewalls, explains what each
device chose and why, and follows packets there and back.

  zarvek COMMAND [options] ARGUMENTS

Commands, in the order of the work:

`)
	for _, c := range commands() {
		fmt.Fprintf(w, "  %-34s %s\n", strings.TrimSpace(c.name+" "+c.args), c.short)
	}
	fmt.Fprint(w, `
A case is a folder with the captures of one network: one folder a device, or session
logs whose prompts name the device. Captures are read as they are, and never changed.
Options may stand before or after arguments; device names may be shortened.

  zarvek demo                        see it all at work on a made-up network
  zarvek devices -case my-captures   begin with your own
  zarvek help trace                  one command's options
`)
	return nil
}

func commandHelp(w io.Writer, c command) error {
	e := &env{}
	fs := flag.NewFlagSet(c.name, flag.ContinueOnError)
	fs.SetOutput(w)
	if !c.plain {
		e.common(fs, c)
	}
	c.setup(fs)
	fmt.Fprintf(w, "zarvek %s: %s\n\n  zarvek %s\n", c.name, c.short, strings.TrimSpace(c.name+" [options] "+c.args))
	if c.long != "" {
		fmt.Fprintf(w, "\n%s\n", c.long)
	}
	any := false
	fs.VisitAll(func(*flag.Flag) { any = true })
	if any {
		fmt.Fprintln(w, "\nOptions:")
		fs.PrintDefaults()
	}
	return nil
}
