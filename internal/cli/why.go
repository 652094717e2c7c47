package cli

import (
	"flag"
	"fmt"
	"net/netip"

	"zarvek/internal/core/change"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/notes"
	"zarvek/internal/present"
)

// whyCommand is zarvek why.
func whyCommand() command {
	return command{
		name: "why", args: "DEVICE DESTINATION",
		short: "which route a device uses for a destination, and what lost",
		long: `Says what a device does with a destination (an address, or a prefix) and why: the
longest prefix, the preference (administrative distance), the metric, equal cost (ECMP);
each with what lost by it. Then how the next hop is resolved and who answers for it, and
what would take over. The routing table (RIB) and what forwards (FIB) are told apart.

-from INTERFACE asks the other way round: whether a packet from DESTINATION that comes in
by that interface would pass a strict, feasible or loose source check (uRPF, RFC 3704).

-would-win ROUTE tells how a static route you think of adding would fare; nothing is
changed. A route is "PREFIX via ADDRESS", "PREFIX dev INTERFACE", both, or "PREFIX discard",
with "preference N" behind it if it should have one:

  zarvek why control 10.61.16.20 -would-win "10.61.16.0/24 via 172.28.61.22 preference 130"

-assume-configured goes by what the configuration makes, where no table was captured: see
zarvek help trace.

Exit code 1: the device has no route, or discards, or the captures cannot tell; a strict
check would drop; the route could not be used.`,
		setup: func(fs *flag.FlagSet) action {
			table := fs.String("table", "default", "look in this `table` instead of the default one")
			from := fs.String("from", "", "judge packets from DESTINATION that come in by this `interface`")
			wish := fs.String("would-win", "", "how this `route` would fare, if it were added")
			suppose := supposing(fs)
			return func(e *env, args []string) error {
				e.suppose = *suppose
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
				if *from != "" {
					return e.reverse(l, d, dst.Addr(), *from)
				}
				t := d.Table(*table, fam)
				if t == nil {
					return e.withoutTable(l, d, *table, dst)
				}
				if *wish != "" {
					return e.wish(l, d, t, *wish)
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

// reverse answers -from.
func (e *env) reverse(l *loaded, d *network.Device, src netip.Addr, ifname string) error {
	ifname, err := l.interfaceOf(d, ifname)
	if err != nil {
		return err
	}
	r, ok := l.walk().ReverseCheck(d, src, ifname)
	if !ok {
		return &noTable{device: d.Name, table: "default", family: route.FamilyOf(src)}
	}
	if e.as == "json" {
		err = present.ReverseJSON(e.out, d.Name, r, e.view(l))
	} else {
		err = present.ReverseText(e.out, d.Name, r, e.view(l))
	}
	if err == nil && !r.Strict {
		return errBadNews
	}
	return err
}

// wish answers -would-win.
func (e *env) wish(l *loaded, d *network.Device, t *network.Table, text string) error {
	s, err := notes.ParseRoute(text)
	if err != nil {
		return usagef("-would-win: %s", err)
	}
	if route.FamilyOf(s.Prefix.Addr()) != t.Family {
		return usagef("-would-win: %s and the destination are of two families", s.Prefix)
	}
	if s.NextHop.Interface != "" {
		if s.NextHop.Interface, err = l.interfaceOf(d, s.NextHop.Interface); err != nil {
			return err
		}
	}
	s.Table = t.Name
	x, err := change.Try(l.Network, change.AddRoute{Device: d.Name, Static: s})
	if err != nil {
		return err
	}
	if e.as == "json" {
		err = present.WishJSON(e.out, d.Name, x, e.view(l))
	} else {
		err = present.WishText(e.out, d.Name, x, e.view(l))
	}
	if err == nil && x.Outcome == change.CouldNotBeUsed {
		return errBadNews
	}
	return err
}

// withoutTable says that the table is missing, and what the configuration has for a destination: that is no answer,
// since only the table shows whether it is used.
func (e *env) withoutTable(l *loaded, d *network.Device, table string, dst netip.Prefix) error {
	missing := &noTable{device: d.Name, table: table, family: route.FamilyOf(dst.Addr())}
	if s, ok := d.StaticFor(table, dst); ok {
		missing.configured, missing.makes = present.StaticWords(s, e.view(l)), l.MakesTable(d.Name)
	}
	return missing
}

// noTable is a question to a table that was not captured.
type noTable struct {
	device, table string
	family        route.Family
	configured    string // what a configuration has for the destination
	makes         bool   // the configuration tells all of the table
}

// Error says which table is missing, and how to see those that are there.
func (e *noTable) Error() string {
	fam := ""
	if e.family != 0 {
		fam = e.family.String() + " "
	}
	words := fmt.Sprintf("no %stable %q of %s was captured", fam, e.table, e.device)
	if e.configured != "" {
		words += fmt.Sprintf(", so whether it uses %s of its configuration cannot be told", e.configured)
	}
	if e.makes {
		return words + "; capture it, or go by the configuration with -assume-configured"
	}
	return fmt.Sprintf("%s; capture it, or see zarvek table %s", words, e.device)
}
