package casefile

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// An Untold is what may decide over packets and no capture of a device tells: an answer takes it for granted, aloud.
type Untold uint8

// What may be untold.
const (
	UntoldForwarding Untold = iota // whether the device forwards at all
	UntoldFilters
	UntoldBeside  // the filters of nftables, where those of iptables were captured
	UntoldChecks  // reverse-path source checks (RFC 3704)
	UntoldRouting // policy routing
	UntoldStart   // which way a router that was not captured sends
	UntoldTunnel  // whether what goes into a tunnel gets to its other end
	UntoldGateway // whether hosts send to the virtual address of their network
	UntoldTable   // its table
	UntoldHops    // next hops of its routes beside the one that the capture shows
	UntoldAnswer  // whether a host that was seen answers
	UntoldHost    // whether a host is there at all
	UntoldOwn     // its addresses beside those that the captures show
	UntoldProxy   // whether somebody answers on a link for an address that is elsewhere (RFC 1027)
)

// spokenOf is what the layouts of a device's captures speak of.
type spokenOf struct {
	kernel, filters, configuration bool
	// The interfaces of whole configurations, by their names and by their networks.
	ports           map[string]bool
	networks        map[netip.Prefix]bool
	iptables        bool                 // which do not show the filters of nftables beside their own
	nftables, rules [route.IPv6 + 1]bool // by family
	partOfRules     bool                 // a list of its rules for routing was asked for in part
}

// Untold returns what is not told of a device for one family.
func (c *Case) Untold(d *network.Device, fam route.Family) []Untold {
	t := c.spokenOf(d.Name)
	_, switched := d.Forwards(fam)
	whole := t.configuration && c.covers(d, fam, t)
	configured := whole && !t.kernel // a daemon's configuration says nothing of the kernel below it
	filters := t.filters || configured || d.ListsFilters(fam) || filtersTransit(d, fam)
	var out []Untold
	for _, x := range []struct {
		what  Untold
		known bool
	}{
		{UntoldForwarding, switched || d.SwitchesApart() || whole},
		{UntoldFilters, filters},
		{UntoldBeside, !filters || !t.iptables || t.nftables[fam]},
		{UntoldChecks, configured || d.Checks().Len() > 0},
		{UntoldRouting, configured || t.rules[fam] || d.ListsRules(fam) && !t.partOfRules},
	} {
		if !x.known {
			out = append(out, x.what)
		}
	}
	if d.Tables().Any(func(t *network.Table) bool { return t.Family == fam && t.Supposed }) {
		out = append(out, UntoldTable)
	}
	return out
}

// covers reports whether configurations that were asked for as a whole are so: they name each interface that attaches
// to a network, or give one its address. One of which the end was not captured may look whole, and does not.
func (c *Case) covers(d *network.Device, fam route.Family, by spokenOf) bool {
	key := covered{d, fam}
	if is, ok := c.covered.Load(key); ok {
		return is.(bool)
	}
	is := !d.Tables().Any(func(t *network.Table) bool {
		rows := t.Routes()
		return t.Family == fam && slices.ContainsFunc(rows.Census().Own, func(i uint32) bool {
			r := rows.At(int(i))
			return r.Protocol == route.Direct && r.Special == route.None && !r.Prefix.IsSingleIP() &&
				r.Prefix.Addr().IsGlobalUnicast() && !by.networks[r.Prefix] &&
				!slices.ContainsFunc(r.NextHops, func(h route.NextHop) bool { return by.ports[h.Interface] })
		})
	})
	c.covered.Store(key, is)
	return is
}

// covered is what covers was asked for.
type covered struct {
	device *network.Device
	family route.Family
}

// filtersTransit reports whether a rule is known for packets of a family on their way through the device.
func filtersTransit(d *network.Device, fam route.Family) bool {
	return d.Flows().Any(func(r network.FlowRule) bool {
		return r.Hook != network.ForItself && r.Hook != network.FromItself && r.Hook != network.Steered &&
			(r.Family == 0 || r.Family == fam)
	})
}

// untoldOf returns what is untold of a device for a family of which it has a table.
func (c *Case) untoldOf(d *network.Device) []Untold {
	var out []Untold
	for _, fam := range []route.Family{route.IPv4, route.IPv6} {
		if d == nil || !d.Tables().Any(func(t *network.Table) bool { return t.Family == fam }) {
			continue
		}
		all := c.Untold(d, fam)
		if showsFirstHops(d, fam) {
			all = append(all, UntoldHops)
		}
		for _, u := range all {
			if !slices.Contains(out, u) {
				out = append(out, u)
			}
		}
	}
	slices.Sort(out)
	return out
}

// showsFirstHops reports whether a table of a device shows no more than the first next hop of its routes.
func showsFirstHops(d *network.Device, fam route.Family) bool {
	return d.Tables().Any(func(t *network.Table) bool { return t.Family == fam && t.FirstHops })
}

// spokenOf returns what a device's captures speak of; those of all devices are looked through when the first one is
// asked for.
func (c *Case) spokenOf(device string) spokenOf {
	c.spokenOnce.Do(func() {
		c.spoken = map[string]spokenOf{}
		for _, f := range c.Files {
			for i := range f.Parts {
				d := f.DeviceOf(&f.Parts[i])
				t := c.spoken[d]
				t.add(&f.Parts[i])
				c.spoken[d] = t
			}
		}
	})
	return c.spoken[device]
}

// add takes in what one part of a capture speaks of.
func (t *spokenOf) add(p *capture.Part) {
	switch l := p.Layout; {
	case p.KernelRules():
		t.kernel = true
		if p.Iptables() {
			t.iptables = true
			break
		}
		t.nftables[route.IPv4] = t.nftables[route.IPv4] || p.Facts.Policy.AllRules4
		t.nftables[route.IPv6] = t.nftables[route.IPv6] || p.Facts.Policy.AllRules6
	case l == "rule set", l == capture.FilterNotRead:
		t.filters = true
	case strings.HasPrefix(l, "iproute"), l == "sysctl", strings.HasPrefix(l, "BSD"):
		t.kernel = true
		t.partOfRules = t.partOfRules || len(p.Facts.Rules) > 0 && p.PartOfRules
		for _, f := range []route.Family{route.IPv4, route.IPv6} {
			of := func(r network.Rule) bool { return r.Family == 0 || r.Family == f }
			t.rules[f] = t.rules[f] || !p.PartOfRules && slices.ContainsFunc(p.Facts.Rules, of)
		}
	case l == "hierarchy", l == "blocks", l == "paths", l == "commands",
		l == "statements" && slices.ContainsFunc(p.Facts.Interfaces, func(i network.Interface) bool { return i.Configured }):
		if !p.AskedWhole() {
			break
		}
		t.configuration = true
		if t.networks == nil {
			t.networks, t.ports = map[netip.Prefix]bool{}, map[string]bool{}
		}
		for _, a := range p.Facts.Addresses {
			t.networks[a.Prefix.Masked()], t.ports[a.Interface] = true, true
		}
		for _, i := range p.Facts.Interfaces {
			t.ports[i.Name] = true
		}
	}
}
