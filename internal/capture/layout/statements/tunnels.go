package statements

import (
	"cmp"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// tunnels are the tunnels whose interfaces' blocks were read.
type tunnels struct{ layout.Tunnels }

// heading reads the kind of tunnel that stands in the heading of its block: "interface tunnel1 mode gre".
func (t *tunnels) heading(w []string, ifname string, m route.Mark) {
	if i := slices.Index(w, "mode"); i > 0 && i+1 < len(w) && strings.HasPrefix(strings.ToLower(ifname), "tun") {
		t.mode(w[i+1:], ifname, m)
	}
}

// line reads a line of an interface's block that tells of its tunnel. Told is set where it tells the far end.
func (t *tunnels) line(w []string, ifname string, m route.Mark) (told, part bool) {
	said := len(w) > 2 && w[0] == "tunnel" // the line names the tunnel: without that most words are the interface's own
	switch {
	case len(w) < 2 || ifname == "":
		return false, false
	case said:
		w = w[1:]
	case !strings.EqualFold(ifname[:min(3, len(ifname))], "tun") ||
		!slices.Contains([]string{"source", "destination", "tunnel-protocol", "gre"}, w[0]):
		return false, false
	}
	switch {
	case w[0] == "source":
		w = slices.DeleteFunc(slices.Clone(w[1:]), func(s string) bool { return s == "interface" || s == "ipv4" || s == "ipv6" })
		if len(w) == 0 {
			return false, false
		}
		t.Source(ifname, ifName(w), m)
	case w[0] == "destination":
		if i := slices.IndexFunc(w, func(s string) bool { return s == "vpn-instance" || s == "vrf" }); i > 0 && i+1 < len(w) {
			t.table(ifname, w[i+1], m)
			w = slices.Delete(slices.Clone(w), i, i+2)
		}
		t.Destination(ifname, w[len(w)-1], m)
		return true, false
	case w[0] == "mode" || w[0] == "tunnel-protocol":
		t.mode(w[1:], ifname, m)
	case w[0] == "vrf" || w[0] == "use-vrf" || w[0] == "vpn-instance":
		t.table(ifname, w[1], m)
	case w[0] == "underlay" && len(w) > 2 && w[1] == "vrf":
		t.table(ifname, w[2], m)
	case w[0] == "protection":
		t.Tell(ifname, m, func(x *network.Tunnel) { x.Protocol = "esp" })
	case w[0] == "key":
		t.Key(ifname, w[len(w)-1], m)
	case w[0] == "gre" && len(w) > 2 && w[1] == "key":
		t.Key(ifname, w[len(w)-1], m)
	default:
		return false, false
	}
	return false, true
}

func (t *tunnels) table(ifname, name string, m route.Mark) {
	t.Tell(ifname, m, func(x *network.Tunnel) { x.Table = name })
}

// mode reads the kind of a tunnel.
func (t *tunnels) mode(w []string, ifname string, m route.Mark) {
	if len(w) == 0 {
		return
	}
	t.Tell(ifname, m, func(x *network.Tunnel) {
		switch s := strings.Join(w, " "); {
		case s == "none" || s == "auto":
		case strings.Contains(s, "multipoint") || strings.Contains(s, "p2mp") || strings.Contains(s, "advpn"):
			x.Many = true
		case w[0] == "gre":
			x.Protocol = cmp.Or(x.Protocol, "gre")
		case w[0] == "ipsec":
			x.Protocol = "esp"
		case slices.Contains([]string{"ipip", "ipv4", "ipv6", "ipv4-ipv4", "ipv4-ipv6", "ipv6-ipv4", "ipv6-ipv6", "ipv6ip",
			"ipip decapsulate-any"}, s):
		default:
			t.Unfollowed(ifname)
		}
	})
}

// finish makes facts of the tunnels, by the names that everything else calls interfaces by.
func (t *tunnels) finish(r *reader) {
	for _, x := range t.All() {
		x.Interface, x.From = cmp.Or(r.names[x.Interface], x.Interface), cmp.Or(r.names[x.From], x.From)
		r.Facts.Policy.Tunnels = append(r.Facts.Policy.Tunnels, x)
	}
}
