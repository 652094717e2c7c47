package paths

import (
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// tunnels makes facts of the interfaces that are tunnels between two addresses. One that is to be encrypted besides is
// seen as another protocol on its way.
func (r *reader) tunnels() {
	var all layout.Tunnels
	for _, i := range r.items {
		if i.verb != "add" || i.off() || i.get("name") == "" {
			continue
		}
		protocol := ""
		switch i.section {
		case "interface gre", "interface gre6":
			protocol = "gre"
		case "interface ipip", "interface ipipv6", "interface 6to4":
		default:
			continue
		}
		if i.get("ipsec-secret") != "" {
			protocol = "esp"
		}
		name := i.get("name")
		all.Tell(name, i.mark, func(x *network.Tunnel) { x.Protocol = protocol })
		if own := i.get("local-address"); own != "" && own != "0.0.0.0" && own != "::" {
			all.Source(name, own, i.mark)
		}
		if there := i.get("remote-address"); there != "" {
			all.Destination(name, there, i.mark)
		}
	}
	r.Facts.Policy.Tunnels = append(r.Facts.Policy.Tunnels, all.All()...)
}
