package hierarchy

import (
	"cmp"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// tunnels are those behind interfaces. Those that are agreed on with a gateway (RFC 7296) are told in several branches:
// what an interface is bound to, by which gateway, and where that is.
type tunnels struct {
	layout.Tunnels
	bound    []binding
	gateways layout.Named[gateway]
	vpns     map[string]string // the gateways of agreements, by their names
}

// binding is an interface that an agreement, or a gateway, is bound to.
type binding struct {
	ifname, vpn, gateway string
	mark                 route.Mark
}

// gateway is the other end of an agreement. Several is set where it may be at more than one address.
type gateway struct {
	address, local, from string
	several              bool
	mark                 route.Mark
}

func (t *tunnels) gateway(name string) *gateway {
	return t.gateways.At(name, func() *gateway { return &gateway{} })
}

// at sets where a gateway is; a second address makes it several.
func (g *gateway) at(address string, m route.Mark) {
	g.several = g.several || g.address != "" && g.address != address
	g.address, g.mark = address, m
}

// leaf reads a path of words that tells of a tunnel; false where it tells of none.
func (t *tunnels) leaf(w []string, m route.Mark) bool {
	switch {
	case len(w) > 6 && w[0] == "interfaces" && w[2] == "unit" && w[4] == "tunnel":
		return t.ofUnit(w[1]+"."+w[3], w[5:], m)
	case len(w) > 4 && w[0] == "interfaces" && w[1] == "tunnel":
		return t.ofKind(w[2], w[3:], m)
	case len(w) > 5 && w[0] == "security" && w[1] == "ipsec" && w[2] == "vpn":
		return t.agreement(w[3], w[4:], m)
	case len(w) > 5 && w[0] == "security" && w[1] == "ike" && w[2] == "gateway":
		return t.peer(w[3], w[4:], m)
	case len(w) > 6 && w[0] == "vpn" && w[1] == "ipsec" && w[2] == "site-to-site" && w[3] == "peer":
		return t.site(w[4], w[5:], m)
	}
	return false
}

// ofUnit reads "source A", "destination A", "key N" of a unit.
func (t *tunnels) ofUnit(ifname string, w []string, m route.Mark) bool {
	switch last := w[len(w)-1]; {
	case len(w) == 2 && w[0] == "source":
		t.Source(ifname, last, m)
	case len(w) == 2 && w[0] == "destination":
		t.Destination(ifname, last, m)
	case len(w) == 2 && w[0] == "key":
		t.Key(ifname, last, m)
	case len(w) == 3 && w[0] == "routing-instance" && w[1] == "destination":
		t.Tell(ifname, m, func(x *network.Tunnel) { x.Table = last })
	default:
		return false
	}
	if strings.HasPrefix(ifname, "gr-") {
		t.Tell(ifname, m, func(x *network.Tunnel) { x.Protocol = "gre" })
	}
	return true
}

// ofKind reads what stands below an interface of the kind.
func (t *tunnels) ofKind(ifname string, w []string, m route.Mark) bool {
	switch last := w[len(w)-1]; w[0] {
	case "local-ip", "source-address":
		t.Source(ifname, last, m)
	case "source-interface":
		t.Tell(ifname, m, func(x *network.Tunnel) { x.From = last })
	case "remote", "remote-ip":
		t.Destination(ifname, last, m)
	case "encapsulation":
		switch {
		case last == "gre" || last == "ip6gre":
			t.Tell(ifname, m, func(x *network.Tunnel) { x.Protocol = "gre" })
		case !slices.Contains([]string{"ipip", "ip6ip6", "ipip6", "sit"}, last):
			t.Tell(ifname, m, func(*network.Tunnel) {})
			t.Unfollowed(ifname)
		}
	case "parameters":
		if !slices.Contains(w, "key") {
			return false
		}
		t.Key(ifname, last, m)
	default:
		return false
	}
	return true
}

// agreement reads "bind-interface I" and "ike gateway G".
func (t *tunnels) agreement(name string, w []string, m route.Mark) bool {
	switch {
	case w[0] == "bind-interface":
		t.bound = append(t.bound, binding{ifname: w[1], vpn: name, mark: m})
	case len(w) == 3 && w[0] == "ike" && w[1] == "gateway":
		if t.vpns == nil {
			t.vpns = map[string]string{}
		}
		t.vpns[name] = w[2]
	default:
		return false
	}
	return true
}

// peer reads where the gateway of an agreement is.
func (t *tunnels) peer(name string, w []string, m route.Mark) bool {
	g := t.gateway(name)
	switch w[0] {
	case "address":
		g.at(w[1], m)
	case "dynamic":
		g.several = true
	case "local-address":
		g.local = w[1]
	case "external-interface":
		g.from = w[1]
	default:
		return false
	}
	return true
}

// site reads a peer by its name or address: "remote-address A", "local-address A", "vti bind I".
func (t *tunnels) site(name string, w []string, m route.Mark) bool {
	name = strings.TrimPrefix(name, "@")
	g := t.gateway("site " + name)
	switch {
	case w[0] == "remote-address":
		g.at(w[1], m)
	case w[0] == "local-address":
		g.local = w[1]
	case len(w) == 3 && w[0] == "vti" && w[1] == "bind":
		if _, ok := layout.Addr([]byte(name)); ok && g.address == "" {
			g.at(name, m)
		}
		t.bound = append(t.bound, binding{ifname: w[2], gateway: "site " + name, mark: m})
	default:
		return false
	}
	return true
}

// facts returns the tunnels that are told.
func (t *tunnels) facts() []network.Tunnel {
	for _, b := range t.bound {
		g := t.gateway(cmp.Or(b.gateway, t.vpns[b.vpn]))
		t.Tell(b.ifname, b.mark, func(x *network.Tunnel) { x.Protocol = "esp" })
		if from := cmp.Or(g.local, g.from); from != "" && from != "any" {
			t.Source(b.ifname, from, b.mark)
		}
		if g.address != "" && !g.several {
			t.Destination(b.ifname, g.address, g.mark)
		}
	}
	return t.All()
}
