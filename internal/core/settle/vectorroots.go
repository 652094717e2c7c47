package settle

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// rooted reports whether what every speaker uses of a prefix comes, in the end, from somebody who has it of his own or
// from outside. Where routes are handed from one protocol to another and back, tables may hold each other up for ever
// when the last owner is gone, or may not: that is nobody's to tell.
func (x *spoken) rooted(p netip.Prefix, after *vectorState) bool {
	v := x.vector
	roots := map[string]bool{}
	for grows := true; grows; {
		grows = false
		for _, d := range x.now.Devices().All() {
			if !roots[d.Name] && x.hasRoot(d, p, after, roots) {
				roots[d.Name], grows = true, true
			}
		}
	}
	for i := range v.nodes {
		if c := after.used[i]; len(c.used) > 0 && !c.open && !roots[v.list[i].device] {
			return false
		}
	}
	return true
}

// hasRoot reports whether a device has a prefix of its own, or by one of those that do.
func (x *spoken) hasRoot(d *network.Device, p netip.Prefix, after *vectorState, roots map[string]bool) bool {
	v := x.vector
	own := false // it uses what it has without BGP, though that may not be in its table yet
	if i, speaks := v.at[x.was(d.Name)]; speaks {
		if c := after.used[i]; len(c.used) > 0 && c.used[0].from != itself {
			for _, h := range c.used {
				if far := v.nodes[i].peers[h.from].far; far < 0 || roots[v.list[far].device] {
					return true
				}
			}
			return false
		} else {
			own = len(c.used) > 0
		}
	}
	t := d.Table("default", v.family)
	if t == nil {
		return false
	}
	for _, r := range t.RoutesTo(p) {
		if !own && !r.Is(route.Installed) && !r.Is(route.Untold) || r.Protocol == route.BGP || r.Is(route.Unusable) {
			continue
		}
		if !adds(r.Protocol) {
			return true
		}
		for _, h := range r.Forwarding() {
			if o := x.topo.Find(x.was(d.Name), h.Interface, h.Address, true); o.Device == nil || roots[o.Device.Name] {
				return true
			}
		}
		if len(r.Forwarding()) == 0 {
			return true
		}
	}
	return false
}
