package commands

import (
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// tunnels are those behind interfaces, each told in several lines under its name: its interface, and the two addresses
// or the gateway that they are agreed on with (RFC 7296).
type tunnels struct {
	layout.Named[namedTunnel]
	gateways layout.Named[namedTunnel]
}

// namedTunnel is a tunnel, or the gateway of one, by its name.
type namedTunnel struct {
	protocol, ifname, gateway string
	local, from, remote       string
	mark                      route.Mark
}

// line reads one command; false where it tells of no tunnel.
func (t *tunnels) line(line string, m route.Mark) bool {
	switch {
	case strings.HasPrefix(line, "set network tunnel "):
		w := layout.QuotedWords(line)
		if len(w) < 7 || w[3] != "gre" && w[3] != "ipsec" {
			return false
		}
		x := t.At(w[3]+" "+w[4], func() *namedTunnel { return &namedTunnel{mark: m} })
		return x.tells(w[3], w[5:], m)
	case strings.HasPrefix(line, "set network ike gateway "):
		w := layout.QuotedWords(line)
		if len(w) < 7 {
			return false
		}
		return t.gateway(w[4]).end(w[5:], m)
	}
	return false
}

func (t *tunnels) gateway(name string) *namedTunnel {
	return t.gateways.At(name, func() *namedTunnel { return &namedTunnel{} })
}

// tells reads what stands behind the name of a tunnel.
func (x *namedTunnel) tells(kind string, w []string, m route.Mark) bool {
	x.protocol = map[string]string{"gre": "gre", "ipsec": "esp"}[kind]
	switch {
	case w[0] == "tunnel-interface":
		x.ifname = w[1]
	case len(w) == 3 && w[0] == "auto-key" && w[1] == "ike-gateway":
		x.gateway = w[2]
	default:
		return x.end(w, m)
	}
	return true
}

// end reads "local-address interface I", "local-address ip A/L", "peer-address ip A".
func (x *namedTunnel) end(w []string, m route.Mark) bool {
	switch last := w[len(w)-1]; {
	case len(w) == 3 && w[0] == "local-address" && w[1] == "interface":
		x.from = last
	case len(w) == 3 && w[0] == "local-address" && w[1] == "ip":
		x.local, _, _ = strings.Cut(last, "/")
	case len(w) == 3 && w[0] == "peer-address" && w[1] == "ip":
		x.remote, x.mark = last, m
	default:
		return false
	}
	return true
}

// facts returns the tunnels that are told.
func (t *tunnels) facts() []network.Tunnel {
	var all layout.Tunnels
	for _, told := range t.All {
		x := *told
		if x.ifname == "" {
			continue
		}
		if x.gateway != "" {
			g := t.gateway(x.gateway)
			x.local, x.from, x.remote = g.local, g.from, g.remote
			if g.mark.Known() {
				x.mark = g.mark
			}
		}
		all.Tell(x.ifname, x.mark, func(f *network.Tunnel) { f.Protocol = x.protocol })
		if x.from != "" {
			all.Source(x.ifname, x.from, x.mark)
		}
		if x.local != "" {
			all.Source(x.ifname, x.local, x.mark)
		}
		if x.remote != "" {
			all.Destination(x.ifname, x.remote, x.mark)
		}
	}
	return all.All()
}
