package selection

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// An Exit is a next hop resolved to the interface by which a packet leaves. Address is invalid where the
// destination itself is looked for on the interface.
type Exit struct {
	Interface string
	Address   netip.Addr
	OnLink    bool
	Down      bool          // the device itself shows the interface without carrier
	Via       []route.Route // the routes that resolved it, outermost first; empty where the interface was given
	Dynamic   bool          // learned from the neighbour itself, which therefore was alive
	// Encapsulated: what leaves here is inside of something else; what it meets on the way is not asked about the
	// packet.
	Encapsulated bool
}

// Failure says why a next hop leads nowhere. The zero Failure is none.
type Failure uint8

const (
	Resolved     Failure = iota
	NoRoute              // no route covers the next hop
	Cycle                // its resolution comes back to itself
	ThroughSelf          // it resolves through the very route it belongs to
	DiscardedHop         // it resolves to a route that discards
	NoNextHop            // the route has neither next hop nor interface
	Contradicted         // captures of different moments disagree on the route that resolves it
	NotReadable          // the forwarding table refused the route that resolves it
	InOtherTable         // it lies in another table of the device
	Untold               // the captures of its table do not tell which route covers it
	TooLong              // more than maxLookups lookups, or more than maxDepth one behind the other
)

// A Resolution is the outcome for one next hop.
type Resolution struct {
	NextHop route.NextHop
	Exits   []Exit
	Failure Failure
	At      netip.Addr // the address that could not be resolved
	Mark    route.Mark // Untold: the line in the way, where there is one
	Share   float64    // of the route's packets, 0 to 1
}

// Resolve finds the exits of a route, each next hop with its share (equal unless weighted).
func Resolve(t *network.Table, r route.Route) []Resolution {
	hops := r.Forwarding()
	if len(hops) == 0 {
		return []Resolution{{Failure: NoNextHop, Share: 1}}
	}
	total := 0.0
	for _, h := range hops {
		total += weight(h)
	}
	out := make([]Resolution, 0, len(hops))
	for _, h := range hops {
		res := Resolution{NextHop: h, Share: weight(h) / total}
		relayed, far := relay(t, r, h)
		switch {
		case far:
			res.Exits = relayed
		case h.Interface != "":
			res.Exits = []Exit{
				{
					Interface:    h.Interface,
					Address:      h.Address,
					OnLink:       h.OnLink,
					Down:         h.Down,
					Dynamic:      r.Protocol.Dynamic() && !h.Resolves,
					Encapsulated: h.Encapsulated && !ofLinks(r.Protocol),
				},
			}
		case h.Table != "" && h.Table != t.Name:
			res.Failure, res.At = InOtherTable, h.Address
		default:
			v := newResolver(t, r.Prefix)
			res.Exits, res.Failure, res.At = v.resolve(h.Address)
			res.Mark = v.veil
			if res.Failure == NoRoute && r.Protocol == route.BGP && t.Name != "default" {
				res.Failure = InOtherTable // which listings of VRFs leave out (RFC 4364 section 4.3.2)
			}
			for i := range res.Exits {
				res.Exits[i].Encapsulated = res.Exits[i].Encapsulated || h.Encapsulated
			}
			if len(res.Exits) > 0 && len(res.Exits[0].Via) == 1 && r.Protocol.Dynamic() && r.Protocol != route.BGP {
				for i := range res.Exits {
					res.Exits[i].Dynamic = true
				}
			}
		}
		out = append(out, res)
	}
	return out
}

// relay resolves a next hop with an interface that is not the link it lies on, but the one that packets leave by once
// the next hop was looked up: some devices print that. False where the next hop may lie on that link.
func relay(t *network.Table, r route.Route, h route.NextHop) ([]Exit, bool) {
	if h.Interface == "" || !h.Address.IsValid() || h.OnLink || h.Resolves || t.Kernel ||
		!h.Recursive && r.Protocol != route.BGP {
		return nil, false
	}
	v := newResolver(t, r.Prefix)
	exits, failure, _ := v.resolve(h.Address)
	if failure != Resolved {
		return nil, false
	}
	for _, e := range exits {
		if e.Interface != h.Interface || e.Address == h.Address {
			return nil, false
		}
	}
	return exits, true
}

// ofLinks reports whether a protocol's labelled paths lead where its routes do: each router on the way knows the
// destination itself.
func ofLinks(p route.Protocol) bool { return p == route.OSPF || p == route.ISIS || p == route.Direct }

// ThroughOther resolves a next hop that lies in another table of the device, t; not where that has no way to it.
func ThroughOther(t *network.Table, h route.NextHop) ([]Exit, bool) {
	v := newResolver(t, netip.Prefix{})
	exits, failure, _ := v.resolve(h.Address)
	return exits, failure == Resolved
}

// recursive resolves the next hops of r that the capture shows as recursive.
func recursive(t *network.Table, r route.Route) []Resolution {
	var out []Resolution
	for _, h := range r.NextHops {
		if h.Recursive && h.Interface == "" && h.Address.IsValid() && !slices.Contains(r.Forwarding(), h) {
			v := newResolver(t, r.Prefix)
			res := Resolution{NextHop: h}
			res.Exits, res.Failure, res.At = v.resolve(h.Address)
			res.Mark = v.veil
			out = append(out, res)
		}
	}
	return out
}

func weight(h route.NextHop) float64 { return float64(max(h.Weight, 1)) }

// Bounds of the work for one next hop: tables that split at every step would otherwise take exponential time, and
// chains as long as the table the cube of it. No device goes that far.
const (
	maxLookups = 256
	maxDepth   = 64
)

type resolver struct {
	table *network.Table
	used  int
	seen  []netip.Prefix // on the way to where it is; the first is that of the route itself
	via   []route.Route  // of those behind the first
	veil  route.Mark     // Untold: the line in the way
}

// newResolver makes a resolver for the next hops of a route to a prefix.
func newResolver(t *network.Table, p netip.Prefix) resolver {
	return resolver{table: t, seen: append(make([]netip.Prefix, 0, 4), p)}
}

// resolve looks a next hop up in the same table until a route names an interface (RFC 4271 section 5.1.3 calls this
// the recursive lookup of the next hop).
func (v *resolver) resolve(a netip.Addr) ([]Exit, Failure, netip.Addr) {
	if !a.IsValid() {
		return nil, NoNextHop, a
	}
	if a.Zone() != "" {
		return []Exit{{Interface: a.Zone(), Address: a.WithZone(""), Via: slices.Clone(v.via)}}, Resolved, netip.Addr{}
	}
	if v.used++; v.used > maxLookups || len(v.seen) > maxDepth {
		return nil, TooLong, a
	}
	m := Longest(v.table, a)
	if v.veiled(a, m) {
		return nil, Untold, a
	}
	switch {
	case !m.Found():
		return nil, NoRoute, a
	case m.Contradiction != nil:
		return nil, Contradicted, a
	case m.Refused:
		return nil, NotReadable, a
	case m.Prefix == v.seen[0]:
		return nil, ThroughSelf, a
	case slices.Contains(v.seen, m.Prefix):
		return nil, Cycle, a
	}
	v.seen = append(v.seen, m.Prefix)
	var exits []Exit
	failure, at := NoNextHop, a
	for _, r := range m.Routes {
		if r.Special != route.None {
			failure = DiscardedHop
			continue
		}
		v.via = append(v.via, r)
		var path []route.Route // one for all exits that the route names itself
		for _, h := range r.Forwarding() {
			if h.Interface != "" && path == nil {
				path = slices.Clone(v.via)
			}
			switch {
			case h.Interface != "" && h.Address.IsValid():
				exits = append(
					exits,
					Exit{Interface: h.Interface, Address: h.Address, OnLink: h.OnLink, Down: h.Down, Via: path,
						Encapsulated: h.Encapsulated},
				)
			case h.Interface != "":
				exits = append(exits, Exit{Interface: h.Interface, Address: a, Via: path, Encapsulated: h.Encapsulated})
			default:
				more, f, where := v.resolve(h.Address)
				if f != Resolved {
					failure, at = f, where
				}
				exits = append(exits, more...)
			}
		}
		v.via = v.via[:len(v.via)-1]
	}
	v.seen = v.seen[:len(v.seen)-1]
	if len(exits) == 0 {
		return nil, failure, at
	}
	return exits, Resolved, netip.Addr{}
}

// veiled reports whether a better route to a next hop may stand where the captures of the table do not show it. That
// an attached network has an address is taken for true: hosts in it with routes of their own are not next hops.
func (v *resolver) veiled(a netip.Addr, m Match) bool {
	bits := -1
	if m.Found() {
		bits = m.Prefix.Bits()
	}
	mark, hidden := v.table.Hides(a, bits)
	if !hidden || m.Found() && m.Routes[0].Protocol == route.Direct {
		return false
	}
	v.veil = mark
	return true
}
