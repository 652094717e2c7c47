package cli

import (
	"flag"

	"zarvek/internal/core/route"
	"zarvek/internal/present"
)

func tableCommand() command {
	return command{
		name: "table", args: "DEVICE",
		short: "one device's routes, whatever the layout they were captured in",
		long: `Shows the routes that a device uses, in one uniform form: destination, who it was
learned from, preference and metric as far as the capture shows them, next hop and
interface, and the line that says so.`,
		setup: func(fs *flag.FlagSet) action {
			all := fs.Bool("all", false, "also the candidates that the device does not use")
			family := fs.String("family", "both", "the address `family`: ipv4, ipv6 or both")
			return func(e *env, args []string) error {
				if len(args) != 1 {
					return usagef("table takes one DEVICE, not %d arguments", len(args))
				}
				q := present.TableQuery{All: *all}
				switch *family {
				case "ipv4":
					q.Family = route.IPv4
				case "ipv6":
					q.Family = route.IPv6
				case "both":
				default:
					return usagef("-family takes ipv4, ipv6 or both, not %q", *family)
				}
				l, err := e.load()
				if err != nil {
					return err
				}
				if q.Device, err = l.device(args[0]); err != nil {
					return err
				}
				if e.as == "json" {
					return present.TableJSON(e.out, q, e.view(l))
				}
				return present.TableText(e.out, q, e.view(l))
			}
		},
	}
}
