package blocks

import (
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// tunnels makes facts of the tunnels behind interfaces: those of two addresses, and those that are agreed on with a
// gateway (RFC 7296), whose interface has the agreement's name.
func (r *reader) tunnels() {
	var all layout.Tunnels
	for _, o := range r.objects {
		if o.name == "" {
			continue
		}
		protocol := ""
		switch o.section {
		case "system gre-tunnel":
			protocol = "gre"
		case "vpn ipsec phase1-interface":
			protocol = "esp"
		case "system ipip-tunnel":
		default:
			continue
		}
		all.Tell(o.name, o.mark, func(x *network.Tunnel) {
			x.Protocol, x.From = protocol, o.first("interface")
			x.Many = o.first("type") == "dynamic" && protocol == "esp"
		})
		if own := o.first("local-gw"); own != "" && own != "0.0.0.0" {
			all.Source(o.name, own, o.mark)
		}
		if o.first("type") == "" || o.first("type") == "static" {
			all.Destination(o.name, o.first("remote-gw"), o.markOf("remote-gw"))
		}
	}
	r.Facts.Policy.Tunnels = append(r.Facts.Policy.Tunnels, all.All()...)
}
