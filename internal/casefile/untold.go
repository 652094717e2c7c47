package casefile

import (
	"iter"
	"slices"
	"strings"

	"zarvek/internal/capture"
	"zarvek/internal/core/forward"
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
)

// spokenOf is what the layouts of a device's captures speak of.
type spokenOf struct {
	kernel, filters, configuration bool
	iptables                       bool                 // which do not show the filters of nftables beside their own
	nftables, rules                [route.IPv6 + 1]bool // by family
	partOfRules                    bool                 // a list of its rules for routing was asked for in part
}

// Untold returns what is not told of a device for one family.
func (c *Case) Untold(d *network.Device, fam route.Family) []Untold {
	t := c.spokenOf(d.Name)
	_, switched := d.Forwards(fam)
	configured := t.configuration && !t.kernel // a daemon's configuration says nothing of the kernel below it
	filters := t.filters || configured || d.ListsFilters(fam) || filtersTransit(d, fam)
	var out []Untold
	for _, x := range []struct {
		what  Untold
		known bool
	}{
		{UntoldForwarding, switched || d.SwitchesApart() || t.configuration},
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
	case l == "hierarchy", l == "blocks", l == "paths", l == "commands":
		t.configuration = true
	case l == "statements":
		t.configuration = t.configuration ||
			slices.ContainsFunc(p.Facts.Interfaces, func(i network.Interface) bool { return i.Configured })
	}
}

// An Assumption is what an answer takes for granted of some devices, since no capture of them tells.
type Assumption struct {
	Devices []string
	What    []Untold
}

// Assumed lists what a round trip takes for granted: of each device that hands a packet on that arrives or leaves; and
// of one that hands on a packet that is lost, that nothing makes it take another way. Devices of which the same is
// untold stand together.
func (c *Case) Assumed(rt *forward.RoundTrip) []Assumption {
	fam := route.FamilyOf(rt.Destination.Address)
	var out []Assumption
	seen := map[string]bool{}
	first := map[string]bool{}
	note := func(name string, of route.Family, taken func(Untold) bool) {
		d := c.Network.Device(name)
		if d == nil || seen[name] {
			return
		}
		seen[name] = true
		what := slices.DeleteFunc(c.Untold(d, of), func(u Untold) bool { return !taken(u) })
		if first[name] {
			what = append(what, UntoldHops)
		}
		out = assume(out, name, what)
	}
	directions := []*forward.Direction{&rt.Forward}
	if rt.Return != nil && !rt.ReturnAlone {
		directions = append(directions, rt.Return)
	}
	c.byFirstHops(fam, directions, first)
	passed := func(taken func(Untold) bool, lost bool) {
		for b := range decided(directions, lost) {
			for _, h := range b.Hops {
				note(h.Device, fam, taken)
				for _, name := range h.Outside { // what carries a tunnel
					note(name, route.FamilyOf(h.Tunnel), taken)
				}
			}
		}
	}
	passed(func(Untold) bool { return true }, false)
	passed(func(u Untold) bool { return u == UntoldRouting }, true)
	if dst := rt.Destination.Address; rt.Followed() == forward.TwoWay {
		switch end, _ := rt.Forward.Worst(); end.Delivery {
		case forward.ToNeighbour:
			out = assume(out, dst.String(), []Untold{UntoldAnswer})
		case forward.ToAttachedNetwork:
			out = assume(out, dst.String(), []Untold{UntoldHost})
		}
	}
	for _, a := range rt.Guessed {
		out = assume(out, a.String(), []Untold{UntoldStart})
	}
	for _, name := range intoTunnels(directions) {
		out = assume(out, name, []Untold{UntoldTunnel})
	}
	for _, a := range rt.Shared {
		out = assume(out, a.String(), []Untold{UntoldGateway})
	}
	return out
}

// decided yields the branches that arrive or leave, or those that are lost.
func decided(directions []*forward.Direction, lost bool) iter.Seq[*forward.Branch] {
	return func(yield func(*forward.Branch) bool) {
		for _, dir := range directions {
			for i := range dir.Branches {
				b := &dir.Branches[i]
				if b.Verdict != forward.Unknown && (b.Verdict > forward.Unknown) == lost && !yield(b) {
					return
				}
			}
		}
	}
}

// byFirstHops notes the devices that send on by a next hop of which the capture does not tell that it is the only one,
// or drop a packet since such a one does not lead back to its source; of a tunnel, all that carry it by such tables.
func (c *Case) byFirstHops(fam route.Family, directions []*forward.Direction, first map[string]bool) {
	for _, dir := range directions {
		for _, b := range dir.Branches {
			for i, h := range b.Hops {
				d := c.Network.Device(h.Device)
				checks := b.Verdict == forward.SourceCheck && i == len(b.Hops)-1
				if d != nil && (h.NextHop.IsValid() || checks) {
					t := d.Table(h.Table, fam)
					first[h.Device] = first[h.Device] || t != nil && t.FirstHops
				}
				for _, name := range h.Outside {
					if o := c.Network.Device(name); o != nil {
						first[name] = first[name] || showsFirstHops(o, route.FamilyOf(h.Tunnel))
					}
				}
			}
		}
	}
}

// Together is what some answers take for granted between them, each device once.
func Together(answers iter.Seq[[]Assumption]) []Assumption {
	var devices []string
	what := map[string][]Untold{}
	for all := range answers {
		for _, a := range all {
			for _, d := range a.Devices {
				if what[d] == nil {
					devices = append(devices, d)
				}
				for _, u := range a.What {
					if !slices.Contains(what[d], u) {
						what[d] = append(what[d], u)
					}
				}
			}
		}
	}
	var out []Assumption
	for _, d := range devices {
		slices.Sort(what[d])
		out = assume(out, d, what[d])
	}
	return out
}

// intoTunnels names the devices that send packets which arrive into a tunnel of which no capture tells the two ends.
func intoTunnels(directions []*forward.Direction) []string {
	var out []string
	for _, dir := range directions {
		for _, b := range dir.Branches {
			for i, h := range b.Hops {
				last := i == len(b.Hops)-1 && b.Delivery == forward.ToDevice
				if b.Verdict == forward.Arrives && !last && !h.Tunnel.IsValid() && network.NamesTunnel(h.OutInterface) &&
					!slices.Contains(out, h.Device) {
					out = append(out, h.Device)
				}
			}
		}
	}
	return out
}

func assume(all []Assumption, device string, what []Untold) []Assumption {
	if len(what) == 0 {
		return all
	}
	for i := range all {
		if slices.Equal(all[i].What, what) {
			all[i].Devices = append(all[i].Devices, device)
			return all
		}
	}
	return append(all, Assumption{[]string{device}, what})
}
