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
	_, unread := t.UnreadRow(p.Addr(), p.Bits()-1)
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
				for _, c := range selection.Explain(d, t, st.Prefix).Statics {
					if c.Static != st {
						continue
					}
					switch c.Fate {
					case selection.HopUnresolved,
						selection.HopByDefault,
						selection.InterfaceDown,
						selection.InterfaceGone,
						selection.Deactivated,
						selection.RefusedToUse:
						f := Finding{
							Kind:     StaticUnusable,
							Severity: Risk,
							Device:   d.Name,
							Table:    t.Name,
							Family:   t.Family,
							Detail:   StaticDetail{c.Route, c.Fate},
							Marks: marks(
								st.Mark,
							),
							Repair: []Repair{{Kind: ChangeNextHop, Device: d.Name, Prefix: st.Prefix}},
						}
						f.identify(st.Prefix, st.NextHop.Address, st.NextHop.Interface)
						out = append(out, f)
					case selection.NotShown:
						if !showsAll(t, st.Prefix) {
							continue
						}
						f := Finding{Kind: StaticNotShown, Severity: Note, Device: d.Name, Table: t.Name,
							Family: t.Family, Detail: StaticDetail{c.Route, c.Fate}, Marks: marks(st.Mark),
							Repair: []Repair{{Kind: CaptureAnew, Device: d.Name}}}
						f.identify(st.Prefix, st.NextHop.Address, st.NextHop.Interface)
						out = append(out, f)
					}
				}
			}
		}
	}
	return out
}
