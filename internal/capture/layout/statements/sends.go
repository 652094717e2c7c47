package statements

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// sends is where a clause of a policy of routing sends packets, as its lines tell one after the other.
type sends struct {
	some    bool       // any line tells it, if only that nothing changes
	nextHop netip.Addr // the first one: the others are for when it cannot be used
	table   string
	drop    bool
	open    bool // a line says something of it that was not understood
}

// set takes in what follows "set"; false where the line does not tell where packets go.
func (s *sends) set(w []string) bool {
	line := strings.Join(w, " ")
	if len(w) < 2 || slices.Contains([]string{"precedence", "dscp", "tos", "df"}, w[len(w)-2]) {
		return false
	}
	s.some = true
	if line == "vrf unchanged" {
		return true
	}
	notAddress := func(x string) bool { return !layout.LooksLikeAddress([]byte(x)) } // such as that all of them share
	at := slices.IndexFunc(w, func(x string) bool { return !notAddress(x) })
	switch before := strings.Join(w[:max(at, 0)], " "); {
	case (before == "ip next-hop" || before == "ipv6 next-hop") &&
		!slices.ContainsFunc(w[at:], notAddress), before == "nexthop" && len(w) <= 3:
		a, ok := layout.Addr([]byte(w[at]))
		if s.open = s.open || !ok || a.Zone() != "" || a.IsLinkLocalUnicast(); !s.nextHop.IsValid() {
			s.nextHop = a
		}
	case len(w) == 2 && w[0] == "vrf":
		s.table = w[1]
	case strings.EqualFold(line, "interface null0"), line == "nexthop blackhole":
		s.drop = true
	case w[0] == "interface", w[1] == "default" && s.nextHop.IsValid(): // for when the next hop cannot be used
		s.open = s.open || !s.nextHop.IsValid()
	default:
		s.open = true
	}
	return true
}

// apply is set of what follows "apply": the same in other words.
func (s *sends) apply(w []string) bool {
	if w[0] == "ip-address" || w[0] == "ipv6-address" {
		w = w[1:]
	}
	if len(w) > 0 && slices.Contains([]string{"ip-precedence", "precedence", "dscp", "ip-dscp", "ip-df", "statistics"},
		w[0]) {
		return false
	}
	s.some = true
	if len(w) != 2 || w[0] != "next-hop" { // several are shared out by some, and tried in turn by others
		s.open = true
		return true
	}
	a, ok := layout.Addr([]byte(w[1]))
	s.open = s.open || !ok || a.Zone() != "" || a.IsLinkLocalUnicast() || s.nextHop.IsValid()
	s.nextHop = a
	return true
}

// to is where the packets go in the end: a next hop comes before an interface, and what else stands together is not
// understood.
func (s *sends) to() network.Detour {
	switch {
	case s.open, s.table != "" && (s.nextHop.IsValid() || s.drop):
		return network.Detour{Open: true}
	case s.nextHop.IsValid():
		return network.Detour{NextHop: s.nextHop}
	case s.table != "":
		return network.Detour{Table: s.table}
	}
	return network.Detour{Drop: s.drop}
}
