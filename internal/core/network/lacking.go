package network

import (
	"cmp"
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// findLacking finds the tables of which rows are missing: a listing of the moment says that an interface is up and has
// an address, and in whose table that is, and the device's tables show attached networks, but not that one. A capture
// that somebody ended too early looks so, with nothing in it that tells.
func (d *Device) findLacking(addresses []Address) {
	attached := slices.ContainsFunc(d.tables, func(t *Table) bool { return t.Chosen && t.showsAttached() })
	tableOf := map[string]string{} // of an interface, as its addresses tell
	for _, a := range addresses {
		if a.Table != "" && a.Interface != "" {
			tableOf[a.Interface] = a.Table
		}
	}
	for _, a := range addresses {
		addr := a.Prefix.Addr()
		if i := d.Interface(a.Interface); i.State != LinkUp || i.Configured || a.Prefix.IsSingleIP() ||
			!addr.IsGlobalUnicast() {
			continue
		}
		name, sure := d.VRFTable(a.Interface)
		if !sure {
			name = cmp.Or(a.Table, tableOf[a.Interface])
		}
		t := d.Table(name, route.FamilyOf(addr))
		if t == nil || !t.Chosen || t.InPart() || t.Filtered.Known() || !attached || t.shows(a.Prefix) {
			continue
		}
		t.Filtered, t.Lacks, t.Undecided = a.Mark, true, true
	}
}

// shows reports whether a table has a row for the network of an address, or for the address alone.
func (t *Table) shows(p netip.Prefix) bool {
	for _, q := range []netip.Prefix{p.Masked(), netip.PrefixFrom(p.Addr(), p.Addr().BitLen())} {
		if _, ok := t.Exact(q); ok {
			return true
		}
	}
	return false
}
