package cli

import (
	"flag"
	"net/netip"
	"strings"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/present"
)

// tableCommand is zarvek table.
func tableCommand() command {
	return command{
		name: "table", args: "DEVICE", forms: "text, json or csv",
		short: "one device's routes, whatever the layout they were captured in",
		long: `Shows the routes that a device uses, in one uniform form: destination, who it was
learned from, preference and metric as far as the capture shows them, next hop and
interface, and the line that says so. Where what forwards (FIB) was captured beside the
routing table (RIB) it counts. Above each table stands what it amounts to.

The options that choose among the routes combine: each leaves fewer. Exit code 1: none fits.`,
		setup: func(fs *flag.FlagSet) action {
			var f network.Filter
			fs.BoolVar(
				&f.All,
				"all",
				false,
				"also the candidates that the device does not use, and its own housekeeping",
			)
			fs.BoolVar(&f.Special, "special", false, "only routes that discard or refuse")
			fs.StringVar(&f.Table, "table", "", "only the table of this `name`")
			fs.StringVar(&f.Interface, "interface", "", "only routes by this `interface`")
			family := fs.String("family", "both", "the address `family`: ipv4, ipv6 or both")
			protocols := fs.String("protocol", "", "only routes learned by these `protocols`, such as ospf,static")
			within := fs.String("within", "", "only routes inside of this `prefix`")
			covering := fs.String("covering", "", "only routes that contain this `address` or prefix")
			suppose := supposing(fs)
			hop := fs.String("next-hop", "", "only routes to this `address`")
			return func(e *env, args []string) error {
				e.suppose = *suppose
				if len(args) != 1 {
					return usagef("table takes one DEVICE, not %d arguments", len(args))
				}
				var err error
				if f.Family, err = parseFamily(*family); err != nil {
					return err
				}
				if f.Protocols, err = parseProtocols(*protocols); err != nil {
					return err
				}
				if f.Within, err = parsePrefix("-within", *within); err != nil {
					return err
				}
				if f.Covering, err = parsePrefix("-covering", *covering); err != nil {
					return err
				}
				if *hop != "" {
					if f.NextHop, err = netip.ParseAddr(*hop); err != nil {
						return usagef("-next-hop takes an address, not %q", *hop)
					}
				}
				l, err := e.load()
				if err != nil {
					return err
				}
				q := present.TableQuery{Filter: f}
				if q.Device, err = l.device(args[0]); err != nil {
					return err
				}
				if f.Table != "" && len(f.Tables(q.Device)) == 0 {
					return &noTable{device: q.Device.Name, table: f.Table, family: f.Family}
				}
				if f.Interface != "" {
					if q.Filter.Interface, err = l.interfaceOf(q.Device, f.Interface); err != nil {
						return err
					}
				}
				q.Filter.Kept = e.as != "text"
				switch e.as {
				case "json":
					return present.TableJSON(e.out, q, e.view(l))
				case "csv":
					return present.TableCSV(e.out, q, e.view(l))
				}
				some, err := present.TableText(e.out, q, e.view(l))
				if err == nil && !some {
					return errBadNews
				}
				return err
			}
		},
	}
}

func parseFamily(s string) (route.Family, error) {
	switch s {
	case "ipv4":
		return route.IPv4, nil
	case "ipv6":
		return route.IPv6, nil
	case "both":
		return 0, nil
	}
	return 0, usagef("-family takes ipv4, ipv6 or both, not %q", s)
}

// parseLeast reads -severity and -family.
func parseLeast(severity, family string) (audit.Severity, route.Family, error) {
	least, ok := audit.ParseSeverity(severity)
	if !ok {
		return 0, 0, usagef("-severity takes fault, risk or note, not %q", severity)
	}
	fam, err := parseFamily(family)
	return least, fam, err
}

// parseProtocols reads a list of protocols; one that nobody knows is an error that names those that are.
func parseProtocols(s string) ([]route.Protocol, error) {
	if s == "" {
		return nil, nil
	}
	var names []string
	for p := route.Other; p <= route.Aggregate; p++ {
		names = append(names, p.String())
	}
	var out []route.Protocol
	for name := range strings.SplitSeq(s, ",") {
		i, err := pick(strings.TrimSpace(name), names)
		if err != nil {
			hint := err.Error()
			if hint == "" {
				hint = "; it takes " + strings.Join(names, ", ")
			}
			return nil, usagef("-protocol knows no %q%s", name, hint)
		}
		out = append(out, route.Protocol(i))
	}
	return out, nil
}

// parsePrefix reads a prefix or an address; "" gives the invalid prefix.
func parsePrefix(option, s string) (netip.Prefix, error) {
	if s == "" {
		return netip.Prefix{}, nil
	}
	if p, err := netip.ParsePrefix(s); err == nil {
		return p.Masked(), nil
	}
	a, err := netip.ParseAddr(s)
	if err != nil || a.Zone() != "" {
		return netip.Prefix{}, usagef("%s takes a prefix or an address, not %q", option, s)
	}
	return netip.PrefixFrom(a, a.BitLen()), nil
}
