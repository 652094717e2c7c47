package settle

import (
	"iter"
	"maps"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// grownBy returns an instance with the adjacencies that may come up where interfaces did, or itself where none did.
// What the protocol does there is known only as far as configurations tell.
func (r *run) grownBy(in *instance) *instance {
	var born []arc
	out := in
	key := func(p port) nodeKey { return nodeKey{p.device.Name, r.topo.TableOf(p.device, p.ifname)} }
	node := func(p port) int {
		k := key(p)
		if n, ok := out.number[k]; ok {
			return n
		}
		if out == in {
			out = in.clone()
		}
		return out.nodeOf(p.device, k.table)
	}
	for _, pair := range r.cameUp() {
		x, y := pair[0], pair[1]
		if in.silentAt(pair) {
			continue
		}
		if _, speaks := in.number[key(x)]; !speaks {
			if _, speaks = in.number[key(y)]; !speaks {
				continue
			}
		}
		n, m := node(x), node(y)
		if n < 0 || m < 0 {
			continue
		}
		born = append(born, arc{from: n, to: m, ifname: x.ifname, peer: y.ifname, least: 1,
			hop: in.hopOf(r.now.Device(y.device.Name), y.ifname)}, arc{from: m, to: n, ifname: y.ifname,
			peer: x.ifname, least: 1, hop: in.hopOf(r.now.Device(x.device.Name), x.ifname)})
	}
	blind := r.blindAt(in)
	if len(born) == 0 && !blind {
		return in
	}
	if out == in {
		out = in.clone()
	}
	out.grown, out.blind, out.exact, out.captured = true, blind, false, in
	for _, a := range born {
		out.add(a)
	}
	out.configured()
	out.byArea = out.byArea && out.areasOfArcs()
	return out
}

// silentAt reports whether configurations say that the protocol does not speak between two interfaces.
func (in *instance) silentAt(pair [2]port) bool {
	return slices.ContainsFunc(pair[:], func(x port) bool {
		s := x.device.Runs(in.protocol, in.family, x.ifname)
		return s.Known && (!s.On || s.Passive)
	})
}

// blindAt reports whether an interface comes up where an instance may speak, of which no address was captured: what
// else is there, and what comes to it by that, nobody knows.
func (r *run) blindAt(in *instance) bool {
	for x := range r.rose() {
		n, speaks := in.number[nodeKey{x.device.Name, r.topo.TableOf(x.device, x.ifname)}]
		if !speaks || !x.device.Bare(x.ifname, in.family) {
			continue
		}
		if s := in.state(n, x.ifname); !s.Known || s.On && !s.Passive {
			return true
		}
	}
	return false
}

// rose yields the interfaces that came up.
func (r *run) rose() iter.Seq[port] {
	return func(yield func(port) bool) {
		for _, now := range r.now.Devices().All() {
			was := r.was(now.Name)
			if was == nil || was == now {
				continue
			}
			for _, i := range now.Interfaces().All() {
				if i.State != network.LinkDown && was.Interface(i.Name).State == network.LinkDown &&
					!yield(port{was, i.Name}) {
					return
				}
			}
		}
	}
}

// clone copies what growing changes.
func (in *instance) clone() *instance {
	c := *in
	c.nodes, c.arcs, c.equal, c.selects = slices.Clone(in.nodes), slices.Clone(in.arcs), slices.Clone(in.equal),
		slices.Clone(in.selects)
	c.number = maps.Clone(in.number)
	c.out, c.into = make([][]int, len(in.out)), make([][]int, len(in.into))
	for n := range in.out {
		c.out[n], c.into[n] = slices.Clone(in.out[n]), slices.Clone(in.into[n])
	}
	return &c
}

// port is an interface of a device before the change.
type port struct {
	device *network.Device
	ifname string
}

// cameUp lists the pairs of interfaces in one network of which one came up and the other is not down.
func (r *run) cameUp() [][2]port {
	var out [][2]port
	for x := range r.rose() {
		for _, q := range r.peers(r.now.Device(x.device.Name), x.ifname) {
			if pair := [2]port{x, q}; !slices.Contains(out, [2]port{q, x}) && !slices.Contains(out, pair) {
				out = append(out, pair)
			}
		}
	}
	return out
}

// peers are the interfaces of other devices with an address in a network of an interface, and not down now.
func (r *run) peers(d *network.Device, ifname string) []port {
	var nets []netip.Prefix
	for _, a := range d.Addresses().All() {
		if a.Interface == ifname && !a.Prefix.IsSingleIP() && !a.Prefix.Addr().IsLinkLocalUnicast() {
			nets = append(nets, a.Prefix.Masked())
		}
	}
	var out []port
	for _, o := range r.topo.Network.Devices().All() {
		now := r.now.Device(o.Name)
		if o.Name == d.Name || now == nil {
			continue
		}
		for _, a := range now.Addresses().All() {
			if slices.Contains(nets, a.Prefix.Masked()) && now.Interface(a.Interface).State != network.LinkDown &&
				!slices.Contains(out, port{o, a.Interface}) {
				out = append(out, port{o, a.Interface})
			}
		}
	}
	return out
}

// joins reports whether a node had no neighbours before, and no configuration tells what it announces: nobody could see
// it.
func (in *instance) joins(n int) bool {
	d := in.nodes[n].device
	return in.grown && len(in.out[n]) > 0 && d.Redistributed().Len() == 0 && !d.Configures() &&
		!slices.ContainsFunc(in.out[n], func(i int) bool { return in.arcs[i].proven })
}

// fresh lists prefixes that a node has now otherwise than by the protocol, and announces, and that nobody knew by it:
// it is new there, or what came up leads to the first one that hears it.
func (r *run) fresh(in *instance) []netip.Prefix {
	var out []netip.Prefix
	installed := func(r route.Route) bool { return r.Is(route.Installed) && r.Protocol != in.protocol }
	for n, x := range in.nodes {
		d := r.now.Device(x.device.Name)
		if d == nil || d == x.device && !in.grown {
			continue
		}
		t := d.Table(x.table.Name, in.family)
		look := func(was, is []route.Route) {
			for _, x := range is { // it may have it by a protocol without a prediction
				if _, known := in.entries[x.Prefix]; !known && x.Is(route.Untold) && x.Protocol != in.protocol &&
					in.announcesOf(n, x.Protocol, x.Prefix) {
					out = append(out, x.Prefix)
				}
			}
			if !slices.ContainsFunc(is, installed) || slices.ContainsFunc(was, installed) {
				return
			}
			p := is[0].Prefix
			if _, known := in.entries[p]; known {
				return
			}
			if _, ok := r.attachedCost(in, n, p); ok || in.announces(n, r, p) || r.beside(in, n, p) || in.joins(n) {
				out = append(out, p)
			}
		}
		if !in.grown {
			for was, is := range t.Replaced() {
				look(was, is)
			}
			continue
		}
		for k := 0; k < t.Routes().Len(); {
			g := t.Group(k)
			k = g.Hi
			look(nil, t.At(g))
		}
	}
	slices.SortFunc(out, netip.Prefix.Compare)
	return slices.Compact(out)
}
