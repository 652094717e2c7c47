package statements

import (
	"net/netip"
	"slices"
	"strconv"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// speaking is the block that tells how the device speaks BGP: of its main instance, else elsewhere.
type speaking struct {
	on, elsewhere bool
	family        route.Family // of the lines within an address family; 0: outside of any
}

// heading reads "router bgp NUMBER". What stands behind the number makes it another instance.
func (s *speaking) heading(r *reader, w []string, m route.Mark) {
	*s = speaking{on: true, elsewhere: len(w) > 3}
	if !s.elsewhere {
		n, _ := autonomousSystem(w[2])
		x := network.BGPStatement{Local: n, Other: n == 0, Mark: m}
		if r.daemons { // what FRR does where no line tells otherwise
			x.Keeps, x.Paths, x.Preference, x.Strict = network.TurnedOn, usualPaths, route.N(20), true
		}
		r.Facts.BGP = append(r.Facts.BGP, x)
	}
}

// usualPaths is how many equal paths FRR uses at once, unless it was built for another number.
const usualPaths = 16

// speaksBGP reports whether words are the heading of such a block.
func speaksBGP(w []string) bool { return len(w) > 2 && w[0] == "router" && w[1] == "bgp" }

// saysPeer reports whether words are a statement of the block that can be nothing else.
func saysPeer(w []string) bool {
	return len(w) == 4 && w[0] == "neighbor" && w[2] == "remote-as" && layout.LooksLikeAddress([]byte(w[1]))
}

// autonomousSystem reads a number of one, as a whole or in two halves (RFC 5396).
func autonomousSystem(s string) (uint32, bool) {
	if n, err := strconv.ParseUint(s, 10, 32); err == nil {
		return uint32(n), n > 0
	}
	var high, low uint64
	for i := range s {
		if s[i] != '.' {
			continue
		}
		var err, err2 error
		high, err = strconv.ParseUint(s[:i], 10, 16)
		low, err2 = strconv.ParseUint(s[i+1:], 10, 16)
		return uint32(high<<16 | low), err == nil && err2 == nil
	}
	return 0, false
}

// plainBGP begin lines of the block that change neither whom the device hears nor what it chooses or announces.
// Between equal paths some of them decide, and between those nobody does who reads this.
var plainBGP = [][]string{
	{"bgp", "router-id"}, {"bgp", "log-neighbor-changes"}, {"bgp", "cluster-id"}, {"bgp", "deterministic-med"},
	{"bgp", "fast-external-failover"}, {"bgp", "ebgp-requires-policy"},
	{"bgp", "suppress-duplicates"}, {"bgp", "default", "ipv4-unicast"},
	{"bgp", "network", "import-check"}, {"timers", "bgp"}, {"exit"},
	{"no", "synchronization"}, {"no", "auto-summary"},
	{"no", "bgp", "log-neighbor-changes"}, {"no", "bgp", "hard-administrative-reset"},
	{"no", "bgp", "graceful-restart", "notification"}, {"no", "bgp", "suppress-duplicates"},
}

// plainOfPeer are what may be said of a neighbour without changing any of that, once a session is up.
var plainOfPeer = layout.WordSet("description timers password ebgp-multihop update-source advertisement-interval " +
	"send-community soft-reconfiguration bfd ttl-security disable-connected-check version fall-over " +
	"dont-capability-negotiate strict-capability-match maximum-prefix passive")

func startsWith(w, with []string) bool {
	return len(w) >= len(with) && slices.Equal(w[:len(with)], with)
}

// line reads a line of the block; false for one that says nothing here.
func (s *speaking) line(r *reader, w []string, m route.Mark) bool {
	switch {
	case w[0] == "address-family":
		s.family = map[string]route.Family{"ipv4": route.IPv4, "ipv6": route.IPv6}[w[min(1, len(w)-1)]]
		s.elsewhere = s.family == 0 || len(w) > 3 || len(w) == 3 && w[2] != "unicast"
		return false
	case w[0] == "exit-address-family":
		s.family, s.elsewhere = 0, false
		return false
	case w[0] == "!", s.elsewhere, slices.ContainsFunc(plainBGP, func(p []string) bool { return startsWith(w, p) }):
		return false
	}
	x := network.BGPStatement{Family: s.family, Mark: m}
	switch rest := w[1:]; {
	case w[0] == "redistribute" && len(rest) > 0:
		source := network.Redistribution{Protocol: route.BGP, Family: s.unicast(), Source: sourceOf(rest[0]), Mark: m}
		source.Filtered = slices.Contains(rest, "route-map") || slices.Contains(rest, "match")
		r.Facts.Redistributed = append(r.Facts.Redistributed, source)
		return true
	case w[0] == "network" && len(rest) > 0:
		x.Network, x.Family = announced(rest), s.unicast()
		x.Other = !x.Network.IsValid()
	case slices.Equal(w, []string{"no", "bgp", "default", "ipv4-unicast"}):
		x.Family, x.Speaks = route.IPv4, network.TurnedOff
	case startsWith(w, []string{"bgp", "bestpath", "compare-routerid"}),
		startsWith(w, []string{"bgp", "bestpath", "as-path", "multipath-relax"}):
		x.Keeps = network.TurnedOff
	case slices.Equal(w, []string{"no", "bgp", "ebgp-requires-policy"}):
		x.Unruled = true
	case w[0] == "maximum-paths" && len(rest) > 0:
		x.Paths, _ = strconv.ParseUint(rest[0], 10, 16)
	case w[0] == "neighbor" && len(rest) > 1:
		s.peer(&x, rest[0], rest[1:])
	case startsWith(w, []string{"no", "neighbor"}) && len(w) == 4 && w[3] == "activate":
		s.peer(&x, w[2], []string{"no", "activate"})
	default:
		x.Other = true
	}
	if x == (network.BGPStatement{Family: s.family, Mark: m}) {
		return false
	}
	r.Facts.BGP = append(r.Facts.BGP, x)
	return true
}

// unicast is the family of what is told outside of any address family: IPv4, which was there before all others
// (RFC 4760 section 1).
func (s *speaking) unicast() route.Family {
	if s.family == 0 {
		return route.IPv4
	}
	return s.family
}

// peer reads what is said of a neighbour or a group of them.
func (s *speaking) peer(x *network.BGPStatement, name string, w []string) {
	if a, err := netip.ParseAddr(name); err == nil {
		x.Peer = a
	} else {
		x.Group = name
	}
	switch {
	case w[0] == "remote-as" && len(w) == 2:
		switch w[1] {
		case "internal":
			x.Kin = network.SameAS
		case "external":
			x.Kin = network.OtherAS
		default:
			x.Remote, _ = autonomousSystem(w[1])
			x.Other = x.Remote == 0
		}
		x.Family = 0
	case w[0] == "peer-group" && len(w) == 2:
		x.Within = w[1]
	case w[0] == "shutdown":
		x.Family, x.Speaks = 0, network.TurnedOff
	case w[0] == "activate":
		x.Family, x.Speaks = s.unicast(), network.TurnedOn
	case slices.Equal(w, []string{"no", "activate"}):
		x.Family, x.Speaks = s.unicast(), network.TurnedOff
	case slices.Equal(w, []string{"next-hop-self"}):
		x.Family, x.Self = s.unicast(), true
	case slices.Equal(w, []string{"route-reflector-client"}):
		x.Family, x.Client = s.unicast(), true
	case w[0] == "weight", w[len(w)-1] == "in" && peerFilters[w[0]]:
		x.Family, x.In = s.unicast(), true
	case w[len(w)-1] == "out" && peerFilters[w[0]], w[0] == "default-originate", w[0] == "remove-private-AS",
		w[0] == "as-override":
		x.Family, x.Out = s.unicast(), true
	case w[0] == "peer-group", plainOfPeer[w[0]]:
		*x = network.BGPStatement{Family: s.family, Mark: x.Mark}
	default:
		x.Other = true
	}
}

// peerFilters are what may stand between a neighbour and the device, in one direction.
var peerFilters = layout.WordSet("route-map prefix-list filter-list distribute-list")

// announced reads "PREFIX" or "ADDRESS mask MASK", an invalid prefix for what is neither or says more.
func announced(w []string) netip.Prefix {
	text := w[0]
	switch {
	case len(w) == 3 && w[1] == "mask":
		text += "/" + w[2]
	case len(w) != 1:
		return netip.Prefix{}
	}
	p, err := layout.Prefix([]byte(text), false)
	if err != nil {
		return netip.Prefix{}
	}
	return p.Masked()
}
