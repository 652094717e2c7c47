package statement

import (
	"fmt"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// documented writes a route in the documented form of an open system.
func documented(s network.Static, sys System) (Line, bool) {
	if s.Prefix.Addr().Is4() != s.NextHop.Address.Is4() && s.NextHop.Address.IsValid() {
		return Line{}, false
	}
	vrf := s.Table != "" && s.Table != "default"
	switch sys {
	case IPRoute2:
		ip := "ip "
		if s.Prefix.Addr().Is6() {
			ip = "ip -6 "
		}
		var b strings.Builder
		switch s.Special {
		case route.None:
		case route.Blackhole, route.Unreachable, route.Prohibit:
			b.WriteString(s.Special.String() + " ")
		default:
			return Line{}, false
		}
		b.WriteString(s.Prefix.String())
		if s.NextHop.Address.IsValid() {
			fmt.Fprintf(&b, " via %s", s.NextHop.Address)
		}
		if s.NextHop.Interface != "" {
			fmt.Fprintf(&b, " dev %s", s.NextHop.Interface)
		}
		b.WriteString(behind(s))
		if s.Preference.Known {
			return Line{}, false // the kernel knows none
		}
		return Line{Text: ip + "route add " + b.String(), Undo: ip + "route del " + b.String()}, true
	case FRR:
		ip := "ip"
		if s.Prefix.Addr().Is6() {
			ip = "ipv6"
		}
		line := ip + " route " + s.Prefix.String()
		switch s.Special {
		case route.None:
		case route.Blackhole:
			line += " blackhole"
		case route.Unreachable:
			line += " reject"
		default:
			return Line{}, false
		}
		if s.NextHop.Address.IsValid() {
			line += " " + s.NextHop.Address.String()
		}
		if s.NextHop.Interface != "" {
			line += " " + s.NextHop.Interface
		}
		if s.Preference.Known {
			line += fmt.Sprintf(" %d", s.Preference.Value)
		}
		if vrf {
			line += " vrf " + s.Table
		}
		return Line{Text: line, Undo: "no " + line, In: "configure terminal"}, true
	case BIRD:
		if vrf || s.Preference.Known {
			return Line{}, false
		}
		line := "route " + s.Prefix.String()
		switch {
		case s.Special == route.Blackhole || s.Special == route.Unreachable || s.Special == route.Prohibit:
			line += " " + s.Special.String()
		case s.Special == route.None && s.NextHop.Address.IsValid():
			line += " via " + s.NextHop.Address.String()
		case s.Special == route.None:
			line += fmt.Sprintf(" via %q", s.NextHop.Interface)
		default:
			return Line{}, false
		}
		return Line{Text: line + ";", In: "its protocol static"}, true
	}
	return Line{}, false
}

// behind is what a kernel's route has behind its next hops.
func behind(s network.Static) string {
	out := ""
	if s.Metric.Known {
		out = fmt.Sprintf(" metric %d", s.Metric.Value)
	}
	if s.Table != "" && s.Table != "default" {
		out += " table " + s.Table
	}
	return out
}
