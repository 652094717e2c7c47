package hierarchy

import (
	"fmt"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// kinds are the branches below "interfaces" of a tree that sorts interfaces by their kind.
var kinds = []string{"ethernet", "bonding", "bridge", "dummy", "loopback", "tunnel", "vti", "wireguard", "openvpn",
	"pppoe", "wireless", "vxlan",
	"pseudo-ethernet", "l2tpv3", "geneve", "macsec", "wwan", "switch", "input"}

// kindFamily is what the words of the settings of one family mean.
var kindFamily = map[string]route.Family{"ip": route.IPv4, "ipv6": route.IPv6}

// kindPort reads what stands below the kind: "NAME [vif N] address A/L", "disable", filters by direction.
func (r *reader) kindPort(w []string, lo, hi int) (bool, error) {
	ifname, w := w[0], w[1:]
	for len(w) > 1 && (w[0] == "vif" || w[0] == "vif-s" || w[0] == "vif-c") {
		ifname, w = ifname+"."+w[1], w[2:]
	}
	switch {
	case len(w) == 1 && w[0] == "disable":
		r.Facts.Interfaces = append(r.Facts.Interfaces,
			network.Interface{Name: ifname, State: network.LinkDown, Configured: true, Mark: layout.Mark(lo, hi)})
		return true, nil
	case len(w) == 2 && w[0] == "address":
		if !strings.Contains(w[1], "/") {
			return false, nil // given by another device
		}
		p, err := layout.Prefix([]byte(w[1]), false)
		if err != nil {
			return false, err
		}
		return r.address(network.Address{Prefix: p, Interface: ifname, Configured: true,
			Mark: layout.Mark(lo, hi)}), nil
	case len(w) > 2 && w[0] == "policy" && strings.HasPrefix(w[1], "route"):
		r.steer(w[1], w[2], ifname, lo, hi)
		return true, nil
	case len(w) == 4 && w[0] == "firewall" && slices.Contains([]string{"in", "out", "local"}, w[1]) &&
		(w[2] == "name" || w[2] == "ipv6-name"):
		r.applyNumbered(ifname, w[1:], lo, hi)
		return true, nil
	case len(w) == 4 && w[0] == "firewall" && (w[2] == "modify" || w[2] == "ipv6-modify"): // it may choose a table
		r.Restrict(network.FlowRule{Hook: network.Steered, In: ifname}, lo, hi)
		return true, nil
	case len(w) == 2 && (w[0] == "ip" || w[0] == "ipv6") && w[1] == "disable-forwarding":
		r.Facts.Forwarding = append(r.Facts.Forwarding,
			network.Switch{Family: kindFamily[w[0]], Interface: ifname, Mark: layout.Mark(lo, hi)})
		return true, nil
	case len(w) > 2 && w[0] == "ip" && w[1] == "source-validation":
		mode, ok := map[string]network.CheckMode{"strict": network.CheckStrict, "loose": network.CheckLoose}[w[2]]
		if !ok {
			return false, nil
		}
		r.Facts.Checks = append(r.Facts.Checks, network.SourceCheck{Family: route.IPv4, Interface: ifname, Mode: mode,
			Mark: layout.Mark(lo, hi)})
		return true, nil
	}
	return false, nil
}

// kindStatic reads "PREFIX next-hop A [distance N]", "PREFIX interface I", "PREFIX blackhole", "PREFIX reject".
func (r *reader) kindStatic(w []string, lo, hi int) (bool, error) {
	p, err := layout.Prefix([]byte(w[0]), false)
	if err != nil {
		return false, err
	}
	if slices.Contains(w, "disable") {
		return false, fmt.Errorf("%w: a route that is switched off by a line of its own", layout.ErrNotARoute)
	}
	key, rest := " "+p.Masked().String(), w[1:]
	s := network.Static{Prefix: p.Masked(), Mark: layout.Mark(lo, hi)}
	if i := slices.Index(rest, "distance"); i > 0 {
		if s.Preference, err = number(rest[i:]); err != nil {
			return false, err
		}
	}
	switch rest[0] {
	case "next-hop":
		if i := slices.Index(rest, "distance"); i > 0 {
			rest = append(slices.Clone(rest[:i]), "preference", rest[i+1])
		}
		return r.nextHops(s, key, rest)
	case "interface", "next-hop-interface":
		if len(rest) < 2 {
			return false, layout.ErrNotARoute
		}
		s.NextHop.Interface = rest[1]
	case "blackhole":
		s.Special = route.Blackhole
	case "reject":
		s.Special = route.Unreachable
	default:
		return false, nil
	}
	return r.keepOnce(key, s), nil
}

// kindRestricts keeps filters, translations and policies that are told apart from the interfaces.
func (r *reader) kindRestricts(w []string, lo, hi int) bool {
	last := w[len(w)-1]
	at := func(i int) string {
		if i < len(w) {
			return w[i]
		}
		return ""
	}
	switch {
	case (w[0] == "zone-policy" || w[0] == "firewall") && at(1) == "zone" && slices.Contains(w[2:], "interface"):
		r.Restrict(network.FlowRule{In: last}, lo, hi)
		r.Restrict(network.FlowRule{Out: last}, lo, hi)
	case w[0] == "firewall" && (at(1) == "ipv4" || at(1) == "ipv6") && at(2) == "prerouting" && len(w) > 4:
		r.Restrict(network.FlowRule{Family: map[string]route.Family{"ipv4": route.IPv4, "ipv6": route.IPv6}[w[1]]}, lo,
			hi)
	case w[0] == "load-balancing" && at(1) == "wan" && at(2) == "rule" && at(4) == "interface",
		w[0] == "policy" && strings.HasPrefix(at(1), "local-route") && at(2) == "rule" && at(4) == "set":
		r.Restrict(network.FlowRule{Hook: network.Steered}, lo, hi)
	case w[0] == "vpn" && at(1) == "ipsec" && at(2) == "site-to-site" && slices.Contains(w, "prefix"):
		r.Restrict(network.FlowRule{}, lo, hi)
	case w[0] == "system" && (at(1) == "ip" || at(1) == "ipv6") && at(2) == "disable-forwarding":
		r.Facts.Forwarding = append(r.Facts.Forwarding,
			network.Switch{Family: kindFamily[w[1]], Mark: layout.Mark(lo, hi)})
	case w[0] == "firewall" && (last == "strict" || last == "loose") &&
		(at(1) == "source-validation" || at(1) == "global-options" && at(2) == "source-validation"):
		mode := map[string]network.CheckMode{"strict": network.CheckStrict, "loose": network.CheckLoose}[last]
		r.Facts.Checks = append(r.Facts.Checks,
			network.SourceCheck{Family: route.IPv4, Mode: mode, Mark: layout.Mark(lo, hi)})
	case w[0] == "policy" && strings.HasPrefix(at(1), "route") && at(3) == "interface":
		r.steer(w[1], w[2], last, lo, hi)
	default:
		return false
	}
	return true
}
