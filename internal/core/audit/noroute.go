package audit

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// NoRoute means that a device has no route to a network that is attached elsewhere.
const NoRoute Kind = "no-route"

// takeNoRoute takes what ends where no route covers the destination.
func takeNoRoute(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.NoRoute {
		return false
	}
	f.Missing = a.lostNets(g)
	if d := g.cause.device; d != nil && d.Classful.Known() && a.fam == route.IPv4 {
		f.Classful, f.Marks = true, append(f.Marks, d.Classful)
	} else {
		f.Searched = a.files(d, f.Table)
	}
	f.Marks = append(f.Marks, a.whereAttached(f.Missing)...)
	f.Repair = []Repair{{Kind: AddRoute, Device: f.Device}}
	return true
}

// whereAttached marks the lines that show the first few of some networks, or addresses, at the devices that have them.
func (a *auditor) whereAttached(nets []netip.Prefix) []route.Mark {
	const few = 4
	var out []route.Mark
	for _, net := range nets[:min(len(nets), few)] {
		at := a.walker.Topology().AttachedTo(net)
		if len(at) == 0 {
			at = a.walker.Topology().Owners(net.Addr())
		}
		if len(at) > 0 && at[0].Mark.Known() {
			out = append(out, at[0].Mark)
		}
	}
	return out
}

// files marks one route in each file that shows a table: where a missing one would stand.
func (a *auditor) files(d *network.Device, table string) []route.Mark {
	if d == nil {
		return nil
	}
	t := d.Table(table, a.fam)
	if t == nil {
		return nil
	}
	if known, ok := a.tableFiles[t]; ok {
		return known
	}
	var out []route.Mark
	last := uint32(0)
	for i := range t.Routes().Len() {
		m := t.Routes().At(i).Mark
		if m.Known() && m.File != last &&
			!slices.ContainsFunc(out, func(o route.Mark) bool { return o.File == m.File }) {
			out = append(out, m)
		}
		last = m.File
	}
	a.tableFiles[t] = out
	return out
}

// lostNets lists the networks to which packets are lost.
func (a *auditor) lostNets(g *byCause) []netip.Prefix {
	lost := make([]bool, len(a.nets))
	for _, p := range g.pairs {
		lost[a.netOf[a.lostTo(p)]] = true
	}
	for _, b := range g.blocks {
		if a.netGroups.known {
			for _, s := range b.to {
				for n := a.netOf[s.first]; n <= a.netOf[s.last]; n++ {
					lost[n] = true
				}
			}
			continue
		}
		for i := range b.to.all() {
			lost[a.netOf[i]] = true
		}
	}
	n := 0
	for _, yes := range lost {
		if yes {
			n++
		}
	}
	out := make([]netip.Prefix, 0, n)
	for i, yes := range lost {
		if yes {
			out = append(out, a.nets[i])
		}
	}
	return out
}
