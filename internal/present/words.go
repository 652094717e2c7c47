package present

import (
	"fmt"
	"net/netip"
	"strconv"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// number words a preference or metric that may not be shown.
func number(n route.Number) string {
	if !n.Known {
		return "-"
	}
	return strconv.FormatUint(n.Value, 10)
}

// learned words the source protocol with its subtype.
func learned(a *route.Attributes) string {
	if a == nil {
		return "-"
	}
	if a.Subtype == "" {
		return a.Protocol.String()
	}
	return a.Protocol.String() + " " + Clean(a.Subtype)
}

// ways words where a route leads, one text for each next hop that forwards.
func ways(a *route.Attributes) []string {
	switch a.Special {
	case route.Blackhole:
		return []string{"discarded silently"}
	case route.Unreachable:
		return []string{"refused as unreachable"}
	case route.Prohibit:
		return []string{"refused as prohibited"}
	case route.Receive:
		return []string{"the device itself" + by(firstInterface(a))}
	case route.Broadcast:
		return []string{"broadcast" + by(firstInterface(a))}
	case route.Multicast:
		return []string{"multicast" + by(firstInterface(a))}
	case route.Throw:
		return []string{"on to the next table"}
	}
	hops := a.Forwarding()
	if len(hops) == 0 {
		hops = a.NextHops
	}
	var out []string
	for _, h := range hops {
		s := to(h.Address, h.Interface)
		switch {
		case h.Table == "":
		case isTable(h):
			s = "on to its table " + Clean(h.Table)
		default:
			s += " in its table " + Clean(h.Table)
		}
		if h.Inactive {
			s += ", inactive"
		}
		if h.Down {
			s += ", link down"
		}
		out = append(out, s)
	}
	if len(out) == 0 {
		out = append(out, "-")
	}
	return out
}

func firstInterface(a *route.Attributes) string {
	if len(a.NextHops) > 0 {
		return a.NextHops[0].Interface
	}
	return ""
}

func by(ifname string) string {
	if ifname == "" {
		return ""
	}
	return " by " + Clean(ifname)
}

// isTable reports whether a next hop says no more than that another table decides.
func isTable(h route.NextHop) bool { return h.Table != "" && !h.Address.IsValid() && h.Interface == "" }

// StaticWords words a configured static route with its place.
func StaticWords(s network.Static, v View) string {
	words := fmt.Sprintf("the static route %s to %s", s.Prefix, to(s.NextHop.Address, s.NextHop.Interface))
	if s.Special != route.None {
		words = fmt.Sprintf("the static route %s, which discards,", s.Prefix)
	}
	if p := v.place(s.Mark); p != "" {
		words += inParens(p)
	}
	return words
}

// to words a next hop and interface of which either may be absent.
func to(a netip.Addr, ifname string) string {
	if !a.IsValid() {
		if ifname == "" {
			return "-"
		}
		return "straight out of " + Clean(ifname)
	}
	return a.String() + by(ifname)
}

// numbers words preference and metric as far as they are shown.
func numbers(r route.Route) string {
	var parts []string
	if r.Preference.Known {
		parts = append(parts, "preference "+number(r.Preference))
	}
	if r.Metric.Known {
		parts = append(parts, "metric "+number(r.Metric))
	}
	return strings.Join(parts, ", ")
}

// inParens puts a text in parentheses behind a blank, nothing for nothing.
func inParens(s string) string {
	if s == "" {
		return ""
	}
	return " (" + s + ")"
}
