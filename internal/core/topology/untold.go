package topology

import (
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// UntoldTable is what the table of an interface is called where no capture shows it; no table has that name.
const UntoldTable = "of its interface"

// InVRF reports whether an interface belongs to a VRF (RFC 4364) of which no capture shows the table: it is up and has
// an address, and no table names it, though the main one was captured whole and shows the networks of others.
func (t *Topology) InVRF(d *network.Device, ifname string) bool {
	s := t.scans[d.Number()]
	if s == nil || s.named[ifname] || ifname == "" || d.Interface(ifname).State != network.LinkUp {
		return false
	}
	for _, a := range d.Addresses().All() {
		addr := a.Prefix.Addr()
		if a.Interface != ifname || addr.IsLinkLocalUnicast() || addr.IsLoopback() {
			continue
		}
		main := d.Table(mainTable, route.FamilyOf(addr))
		return main != nil && !main.MayHide(a.Prefix.Masked()) &&
			slices.ContainsFunc(s.direct, func(x Attachment) bool {
				return x.Table == mainTable && x.Prefix.Addr().Is4() == addr.Is4() && !x.Prefix.Contains(addr)
			})
	}
	return false
}
