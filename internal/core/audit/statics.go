package audit

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/selection"
)

// StaticUnusable means that a configured static route is not in the table and could not be.
const StaticUnusable Kind = "static-unusable"

// StaticNotShown means that a configured static route could be used by all that was captured, and is not in the table.
const StaticNotShown Kind = "static-not-shown"

// showsAll reports whether a table would show a route to a prefix if it had one.
func showsAll(t *network.Table, p netip.Prefix) bool {
	_, unread := t.UnreadRow(netip.Addr{}, p.Addr(), p.Bits()-1)
	return !t.Filtered.Known() && !t.Incomplete(p.Addr()) && !unread
}

// findStatics asks what became of every configured static route.
func findStatics(s *caseView) []Finding {
	var out []Finding
	for _, d := range s.net.Devices().All() {
		for _, st := range d.Statics().All() {
			for _, t := range d.Tables().All() {
				if t.Name != st.Table && !(st.Table == "" && t.Name == "default") || t.Family != familyOf(st.Prefix) {
					continue
				}
				if c := selection.Judge(d, t, st); c.Fate != selection.InUse && c.Fate != selection.Standby {
					out = append(out, staticFindings(d, t, c)...)
				}
			}
		}
	}
	return out
}

// staticFindings tells of a configured static route that is not in use, where it is known to be meant for that.
func staticFindings(d *network.Device, t *network.Table, c selection.Configured) []Finding {
	kind, severity, repair := StaticUnusable, Risk, CaptureAnew
	switch c.Fate {
	case selection.HopUnresolved, selection.HopByDefault, selection.InterfaceDown, selection.InterfaceGone,
		selection.Deactivated, selection.RefusedToUse:
		repair = ChangeNextHop
	case selection.ObjectDown, selection.SessionDown:
	case selection.NotShown, selection.AgainstTheOrder:
		if !showsAll(t, c.Static.Prefix) {
			return nil
		}
		kind, severity = StaticNotShown, Note
	default:
		return nil
	}
	f := Finding{Kind: kind, Severity: severity, Device: d.Name, Table: t.Name, Family: t.Family,
		Detail: StaticDetail{c}, Marks: c.Lines(),
		Repair: []Repair{{Kind: repair, Device: d.Name, Prefix: c.Static.Prefix}}}
	f.identify(c.Static.Prefix, c.Static.NextHop.Address, c.Static.NextHop.Interface)
	return []Finding{f}
}
