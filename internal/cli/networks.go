package cli

import (
	"flag"

	"zarvek/internal/core/settle"
	"zarvek/internal/core/survey"
	"zarvek/internal/present"
)

// networksCommand is zarvek networks.
func networksCommand() command {
	return command{
		name: "networks", forms: "text, json or csv",
		short: "all networks: who is attached, and which device knows each",
		long: `Lists every attached network with the devices on it, then how each device knows each
network:

  attached      it has an interface there
  own route     a route with just that prefix
  summary       a shorter route covers it
  parts only    routes for parts of it, none for all of it
  discarded     a route that discards or refuses covers it
  default only  nothing but the default route covers it
  not at all    no route covers it
  no table      no table of that family was captured

Then what clashes: an address on two devices, two lengths on one segment, one network
inside another. Exit code 1: something clashes.

-costs lists instead what each device counts for the way to each neighbour by OSPF, IS-IS or
RIP, as configurations or the captured metrics tell it: where one device has a network by a
neighbour with metric 30, and the neighbour has it with 20, the way between costs 10.`,
		setup: func(fs *flag.FlagSet) action {
			family := fs.String("family", "both", "the address `family`: ipv4, ipv6 or both")
			costs := fs.Bool("costs", false, "list the costs of the links between routers that metrics tell")
			return func(e *env, args []string) error {
				fam, err := parseFamily(*family)
				if err != nil {
					return err
				}
				if len(args) > 0 {
					return usagef("networks takes no arguments, only options")
				}
				l, err := e.devices()
				if err != nil {
					return err
				}
				if *costs {
					if e.as == "csv" {
						return usagef("-costs is shown as text or json")
					}
					all := settle.Costs(l.walk().Topology())
					if e.as == "json" {
						return present.CostsJSON(e.out, all, e.view(l))
					}
					return present.CostsText(e.out, all, e.view(l))
				}
				s := survey.Make(l.walk().Topology(), fam)
				switch e.as {
				case "json":
					err = present.NetworksJSON(e.out, s, e.view(l))
				case "csv":
					err = present.NetworksCSV(e.out, s, e.view(l))
				default:
					err = present.NetworksText(e.out, s, l.Network.Devices().Copy(), e.view(l))
				}
				if err == nil && len(s.Masks)+len(s.Duplicates)+len(s.Overlapping) > 0 {
					return errBadNews
				}
				return err
			}
		},
	}
}
