package cli

import (
	"flag"
	"net/netip"

	"zarvek/internal/core/route"
	"zarvek/internal/present"
)

func whyCommand() command {
	return command{
		name: "why", args: "DEVICE DESTINATION",
		short: "which route a device uses for a destination, and what lost",
		long: `Says what a device does with a destination (an address, or a prefix) and why: the
longest prefix, the preference, the metric, equal cost; each with what lost by it. Then
how the next hop is resolved and who answers for it, and what would take over.
Exit code 1: the device has no route, or discards, or the captures cannot tell.`,
		setup: func(fs *flag.FlagSet) action {
			table := fs.String("table", "default", "look in this `table` instead of the default one")
			return func(e *env, args []string) error {
				if len(args) != 2 {
					return usagef("why takes DEVICE and DESTINATION, not %d arguments", len(args))
				}
				l, err := e.load()
				if err != nil {
					return err
				}
				d, err := l.device(args[0])
				if err != nil {
					return err
				}
				dst, err := netip.ParsePrefix(args[1])
				if err != nil {
					a, err := l.address("destination", args[1])
					if err != nil {
						return err
					}
					dst = netip.PrefixFrom(a, a.BitLen())
				}
				fam := route.FamilyOf(dst.Addr())
				t := d.Table(*table, fam)
				if t == nil {
					return &noTable{d.Name, *table, fam}
				}
				x := l.walk().Why(d, t, dst.Masked())
				if e.as == "json" {
					err = present.WhyJSON(e.out, x, e.view(l))
				} else {
					err = present.WhyText(e.out, x, e.view(l))
				}
				if err == nil && !x.Forwards() {
					return errBadNews
				}
				return err
			}
		},
	}
}

// noTable is a question to a table that was not captured.
type noTable struct {
	device, table string
	family        route.Family
}

func (e *noTable) Error() string {
	return "no " + e.family.String() + " table \"" + e.table + "\" of " + e.device + " was captured; capture it, or see zarvek table " + e.device
}
