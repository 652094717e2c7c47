package statements

import (
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// applied keeps what a configuration applies to an interface and what can decide over packets there: filters, policy routing,
// translations, zones. What they say is not read here, so that nothing may be promised of packets that pass them; a source check
// says all on its line.
func (r *reader) applied(w []string, lo, hi int) bool {
	ifname := r.Facts.Interfaces[r.link-1].Name
	line := strings.Join(w, " ")
	fam := route.Family(0)
	switch w[0] {
	case "ip":
		fam = route.IPv4
	case "ipv6":
		fam = route.IPv6
	}
	switch {
	case w[0] == "description", w[0] == "no", w[0] == "!":
		return false
	case strings.HasPrefix(line, "ip verify unicast"), strings.HasPrefix(line, "ipv6 verify unicast"):
		mode := network.CheckStrict
		if slices.Contains(w, "any") {
			mode = network.CheckLoose
		}
		r.Facts.Checks = append(r.Facts.Checks, network.SourceCheck{Family: fam, Interface: ifname, Mode: mode, Mark: layout.Mark(lo, hi)})
	case slices.Contains(w, "access-group"), slices.Contains(w, "traffic-filter"), slices.Contains(w, "packet-filter"),
		w[0] == "traffic-policy":
		in := slices.ContainsFunc(w, func(s string) bool { return s == "in" || s == "inbound" || s == "ingress" })
		out := slices.ContainsFunc(w, func(s string) bool { return s == "out" || s == "outbound" || s == "egress" })
		r.restrict(fam, ifname, in || !out, out || !in, lo, hi)
	case strings.HasPrefix(line, "ip policy route-map"), strings.HasPrefix(line, "ipv6 policy route-map"):
		r.restrict(fam, ifname, true, false, lo, hi)
	case line == "ip nat outside", strings.HasPrefix(line, "nat outbound"), strings.HasPrefix(line, "crypto map"):
		r.restrict(fam, ifname, false, true, lo, hi)
	case strings.HasPrefix(line, "zone-member security"), strings.HasPrefix(line, "zone-member "):
		r.restrict(fam, ifname, true, true, lo, hi)
	default:
		return false
	}
	return true
}

// appliedByName reads "access-group LIST in interface NAME", and one that holds for all interfaces.
func (r *reader) appliedByName(w []string, lo, hi int) {
	ifname := ""
	if i := slices.Index(w, "interface"); i > 0 && i+1 < len(w) {
		ifname = w[i+1]
	}
	r.restrict(0, ifname, !slices.Contains(w, "out"), slices.Contains(w, "out"), lo, hi)
}

// restrict adds a chain of rules of its own for each direction: what passes the interface may be permitted or not.
func (r *reader) restrict(fam route.Family, ifname string, in, out bool, lo, hi int) {
	if in {
		r.Restrict(network.FlowRule{Family: fam, In: ifname}, lo, hi)
	}
	if out {
		r.Restrict(network.FlowRule{Family: fam, Out: ifname}, lo, hi)
	}
}
