package audit

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// InterfaceOnly means that a route names an interface on a shared segment and no next hop, so that every destination
// is asked for there, and only something that answers for others makes it work.
const InterfaceOnly Kind = "interface-only"

// findInterfaceOnly tells of static routes out of a shared link without a next hop: each destination is then asked for
// on the link, and only a proxy answers (RFC 1027).
func findInterfaceOnly(s *caseView) []Finding {
	var out []Finding
	for _, d := range s.net.Devices().All() {
		for _, t := range d.Tables().All() {
			byIf := map[string]int{}
			for p := range staticPrefixes(t) {
				g, _ := t.Exact(p)
				for _, r := range t.Members(g) {
					if r.Protocol != route.Static || !r.Is(route.Installed) || r.Special != route.None {
						continue
					}
					for _, h := range r.Forwarding() {
						if h.Address.IsValid() || h.Interface == "" || h.Table != "" ||
							!s.shared(d, h.Interface, t.Family) {
							continue
						}
						if i, ok := byIf[h.Interface]; ok {
							out[i].Missing = append(out[i].Missing, p)
							continue
						}
						byIf[h.Interface] = len(out)
						f := Finding{
							Kind:     InterfaceOnly,
							Severity: Risk,
							Device:   d.Name,
							Table:    t.Name,
							Family:   t.Family,
							Detail:   InterfaceOnlyDetail{h.Interface},
							Missing: []netip.Prefix{
								p,
							},
							Marks:  marks(r.Mark),
							Repair: []Repair{{Kind: NameNextHop, Device: d.Name, Prefix: p, Interface: h.Interface}},
						}
						f.identify(h.Interface)
						out = append(out, f)
					}
				}
			}
		}
	}
	return out
}

// shared reports whether an interface attaches to a network of the family with room for more than two.
func (s *caseView) shared(d *network.Device, ifname string, fam route.Family) bool {
	for _, at := range s.topo.Attachments() {
		if at.Device == d && at.Interface == ifname && familyOf(at.Prefix) == fam &&
			at.Prefix.Addr().BitLen()-at.Prefix.Bits() > 2 &&
			!at.Prefix.Addr().IsLinkLocalUnicast() {
			return !s.topo.LinkNetwork(at.Prefix)
		}
	}
	return false
}
