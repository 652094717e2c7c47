package topology

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
)

// join puts interfaces that share an attached network on one segment. Networks of different length share one where
// each device's own address lies in the other's network: a mask that was set wrong on one side; those of one table
// only, since VRFs may use the same addresses. Of a network that several links have those of one table are on one.
func (t *Topology) join() {
	parent := map[port]port{}
	var find func(p port) port
	find = func(p port) port {
		if q, ok := parent[p]; ok && q != p {
			root := find(q)
			parent[p] = root
			return root
		}
		return p
	}
	union := func(a, b port) {
		if ra, rb := find(a), find(b); ra != rb {
			parent[ra] = rb
		}
	}
	for p, number := range t.byPrefix.All() {
		here := t.attached[number]
		first := map[string]int{} // of each table, where each has a link of its own
		for _, i := range here {
			table := ""
			if t.reused[p] {
				table = t.attachments[i].Table
			}
			if j, ok := first[table]; ok {
				union(t.port(j), t.port(i))
			} else {
				first[table] = i
			}
		}
		for q, wider := range t.byPrefix.Covering(p) {
			if q == p {
				continue
			}
			for _, i := range here {
				for _, j := range t.attached[wider] {
					if a, b := t.attachments[i], t.attachments[j]; a.number != b.number && q.Contains(a.Address) &&
						p.Contains(b.Address) && a.Table == b.Table {
						union(t.port(i), t.port(j))
					}
				}
			}
		}
	}
	ids := map[port]int{}
	for i := range t.attachments {
		p := t.port(i)
		if _, done := t.segment[p]; done {
			continue
		}
		root := find(p)
		if _, ok := ids[root]; !ok {
			ids[root] = len(ids) + 1
		}
		t.segment[p] = ids[root]
		t.members[ids[root]] = append(t.members[ids[root]], p)
	}
}

func (t *Topology) port(i int) port { return port{t.attachments[i].number, t.attachments[i].Interface} }

// sameSegment reports whether both interfaces are known to be on one segment.
func (t *Topology) sameSegment(a, b port) bool {
	s, ok := t.segment[a]
	return ok && s == t.segment[b]
}

// OneSegment reports whether two interfaces are known to be on one segment.
func (t *Topology) OneSegment(a *network.Device, of string, b *network.Device, on string) bool {
	return t.sameSegment(portOf(a, of), portOf(b, on))
}

// others returns the other devices' interfaces on the segment of p.
func (t *Topology) others(p port) []port {
	s, ok := t.segment[p]
	if !ok {
		return nil
	}
	var out []port
	for _, q := range t.members[s] {
		if q.device != p.device {
			out = append(out, q)
		}
	}
	return out
}

// FarEnds returns the other devices' interfaces on the segment of one, each once, and whether the link has room for two
// ends only.
func (t *Topology) FarEnds(d *network.Device, ifname string) (ends []Attachment, two bool) {
	here := portOf(d, ifname)
	for _, q := range t.others(here) {
		ends = append(ends, Attachment{Device: t.device(q), Interface: q.ifname, number: q.device})
	}
	return ends, ForTwo(t.smallest(here))
}

// KnowsOwn reports whether an own address of the kind of a is known on an interface of a device.
func (t *Topology) KnowsOwn(d *network.Device, ifname string, a netip.Addr) bool {
	return t.knowsOwn(portOf(d, ifname), a)
}

// knowsOwn reports whether the device's own address on an interface, in the family of a, is known: where the interface
// attaches to several networks, that in the network of a.
func (t *Topology) knowsOwn(p port, a netip.Addr) bool {
	known, lacks := false, false
	for _, i := range t.byInterface[p] {
		at := &t.attachments[i]
		own := at.Address
		alike := own.IsValid() && own.Is4() == a.Is4() && own.IsLinkLocalUnicast() == a.IsLinkLocalUnicast()
		if alike && at.Prefix.Contains(a) {
			return true
		}
		known, lacks = known || alike, lacks || !own.IsValid() && at.Prefix.Contains(a)
	}
	return known && !lacks
}

// networkOf returns the attached network of an interface that contains a, or an invalid prefix.
func (t *Topology) networkOf(p port, a netip.Addr) netip.Prefix {
	best := netip.Prefix{}
	for _, i := range t.byInterface[p] {
		if n := t.attachments[i].Prefix; n.Contains(a) && n.Bits() > best.Bits() {
			best = n
		}
	}
	return best
}

// ForTwo reports whether a network has room for two devices only: /31 and /127 (RFC 3021, RFC 6164), /30 and
// /126 by custom.
func ForTwo(p netip.Prefix) bool {
	return p.IsValid() && p.Addr().BitLen()-p.Bits() <= 2 && !p.IsSingleIP()
}

// uses reports whether the device forwards to a by that interface, which it would not do to itself.
func (t *Topology) uses(p port, a netip.Addr) bool { return slices.Contains(t.hopsUsed[p], a) }

// LinkNetwork reports whether a network is one of links between devices only: every interface in it has room for two
// ends, by the network of either family.
func (t *Topology) LinkNetwork(p netip.Prefix) bool {
	at, ok := t.exact(p)
	if !ok {
		return false
	}
	for _, i := range at {
		if !ForTwo(t.smallest(t.port(i))) {
			return false
		}
	}
	return true
}

// SameNetwork reports whether an interface of d attaches to just that network.
func (t *Topology) SameNetwork(d *network.Device, ifname string, p netip.Prefix) bool {
	for _, i := range t.byInterface[portOf(d, ifname)] {
		if t.attachments[i].Prefix == p {
			return true
		}
	}
	return false
}

// Segments returns the attachments of each segment, in the order of the case; those that are down stand by themselves
// unless somebody else is in their network.
func (t *Topology) Segments() [][]Attachment {
	byID := map[int]int{}
	var out [][]Attachment
	for i, at := range t.Attachments() {
		id := t.segment[t.port(i)]
		if at.Down { // it was not joined with the others of its network
			for j, o := range t.attachments {
				if o.Prefix == at.Prefix && o.number != at.number {
					id = t.segment[t.port(j)]
					break
				}
			}
		}
		k, ok := byID[id]
		if !ok {
			k = len(out)
			byID[id] = k
			out = append(out, nil)
		}
		out[k] = append(out[k], at)
	}
	return out
}
