package network

import "net/netip"

// StaticFor is the configured static route of a table with the longest prefix that covers p; false where there is none.
// Whether the device uses it only its table tells.
func (d *Device) StaticFor(table string, p netip.Prefix) (best Static, found bool) {
	for _, s := range d.statics {
		here := s.Table == table || s.Table == "" && table == "default"
		if here && s.Prefix.Bits() <= p.Bits() && s.Prefix.Contains(p.Addr()) &&
			(!found || s.Prefix.Bits() > best.Prefix.Bits()) {
			best, found = s, true
		}
	}
	return best, found
}
