package cli

import (
	"flag"
	"fmt"
	"io"
	"strings"
)

// helpCommand is zarvek help.
func helpCommand() command {
	return command{
		name: "help", args: "[COMMAND]", plain: true,
		short: "this list, or one command's options",
		long: `Tells what commands there are, or one command's options. The same table makes a page of the manual and
what shells need to complete commands, options, and the names of devices and hosts of the case:

  zarvek help -as man > zarvek.1
  source <(zarvek help -completion bash)`,
		setup: func(fs *flag.FlagSet) action {
			as := fs.String("as", "text", "the `form`: text, or man for all commands as a page of the manual")
			shell := fs.String("completion", "", "a script for a `shell`: bash, zsh or fish")
			ask := fs.Bool("candidates", false,
				"list what may stand in place of the last word; the scripts ask for that")
			return func(e *env, args []string) error {
				switch {
				case *ask:
					return writeCandidates(e.out, e.candidates(args))
				case *shell != "":
					text, ok := scripts[*shell]
					if !ok {
						return usagef("-completion takes bash, zsh or fish, not %q", *shell)
					}
					_, err := io.WriteString(e.out, text)
					return err
				case *as == "man":
					return manual(e.out)
				case *as != "text":
					return usagef("-as takes text or man, not %q", *as)
				}
				if len(args) == 0 {
					return printHelp(e.out)
				}
				if len(args) > 1 {
					return usagef("help takes one COMMAND, not %d arguments", len(args))
				}
				if args[0] == "notes" {
					_, err := io.WriteString(e.out, notesHelp)
					return err
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

// printHelp lists the commands in the order of the work.
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
  zarvek help notes                  what notes.yaml in the case can tell
`)
	return nil
}

// commandHelp tells one command's purpose and options, from the table by which it is run.
func commandHelp(w io.Writer, c command) error {
	fs := c.flags()
	fs.SetOutput(w)
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

const notesHelp = `notes.yaml in the case tells what captures cannot show. It adds to them or overrides
them, and every use of a note is shown as evidence. What it does not know is an error.

  hosts:
    till-2: 10.61.64.12                   a name for an address
    camera:
      address: 10.61.44.20
      network: 10.61.44.0/26              what its own mask makes of it
      gateway: 10.61.44.1                 else every attached router is tried
  networks:
    guests: 10.61.81.0/24                 a name for a network, for zarvek require
  groups:
    tills: [till-2, 10.61.64.0/28]        hosts, networks and addresses together
  keep: [10.61.254.4, camera]             must stay reachable while zarvek rehearse changes things
  one-area: [ospf, isis]                  all routers of each are in one area, or on one level: what
                                          rehearse and survive cannot see in tables alone
  devices:
    tickets:                              a device of the case
      forwarding: {ipv4: on, ipv6: off}
      lookup: classless                   or classful: no default for a known network
      equal-cost: selected                or all: every equal next hop forwards, marked or not
      source-check: {outside: strict, all: loose}    or off, feasible (RFC 3704)
      stateful: true                      replies pass only where their packet has passed
      flows:                              in order; what fits none is denied
        - permit tcp from 10.61.64.0/24 to any port 443 in tills out outside
        - refuse udp to 10.61.40.0/24 port 1-1023
        - deny any
      translate:
        - source from 10.61.64.0/24 out outside becomes 172.28.61.18
        - source out outside becomes interface
        - destination tcp to 172.28.61.18 port 443 becomes 10.61.64.10 port 8443
      tunnels:
        tun0: {local: 172.28.61.18, remote: 172.28.61.14}
      statics:                            configured, whether or not in use
        - 10.61.72.0/24 via 172.28.61.99 preference 200

Interfaces, networks and addresses may be left out of flows and translations: any.
`
