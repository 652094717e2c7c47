package forward

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// An Explanation is a device's choice for a destination, with who answers for its next hops.
type Explanation struct {
	Device *network.Device
	Choice selection.Choice
	Own    []network.Address   // the device's own address that the destination is; delivered before any route
	Owners [][]topology.OnLink // for each resolution of the choice, for each of its exits
	Uses   []TableUse          // where the device has several tables of the family
	Rules  []network.Rule      // policy rules of the family that choose before any prefix is compared
}

// A TableUse says which interfaces' packets are looked up in a table.
type TableUse struct {
	Table      string
	Interfaces []string
}

// Why explains what a device does with a destination by one of its tables.
func (w *Walker) Why(d *network.Device, t *network.Table, dst netip.Prefix) Explanation {
	x := Explanation{Device: d, Choice: selection.Explain(d, t, dst)}
	x.Uses, x.Rules = w.uses(d, t.Family), rulesOf(d, t.Family)
	if dst.IsSingleIP() {
		x.Own = d.Own(dst.Addr())
	}
	for _, res := range x.Choice.Resolutions {
		owners := []topology.OnLink{}
		for _, e := range res.Exits {
			a := e.Address
			if !a.IsValid() {
				a = dst.Addr()
			}
			owners = append(owners, w.topo.Find(d, e.Interface, a, e.Dynamic))
		}
		x.Owners = append(x.Owners, owners)
	}
	return x
}

// uses lists the tables of a device with the interfaces that belong to each; nil where it has just one.
func (w *Walker) uses(d *network.Device, fam route.Family) []TableUse {
	var out []TableUse
	for _, t := range d.Tables().All() {
		if t.Family == fam {
			out = append(out, TableUse{Table: t.Name})
		}
	}
	if len(out) < 2 {
		return nil
	}
	for _, name := range w.topo.Interfaces(d) {
		for i := range out {
			if out[i].Table == w.topo.TableOf(d, name) {
				out[i].Interfaces = append(out[i].Interfaces, name)
			}
		}
	}
	return out
}

// rulesOf returns the policy rules of a family, without the ones that every kernel has: look into the local table, then
// the main one, then the default one, whatever the packet.
func rulesOf(d *network.Device, fam route.Family) []network.Rule {
	var out []network.Rule
	for _, r := range d.Rules().All() {
		plain := !r.From.IsValid() && !r.To.IsValid() && r.Ingress == "" && r.Action == network.RuleLookup &&
			!r.Undecided && !r.Not && r.FWMark == (network.FWMark{}) && r.Protocol == "" && r.FromPorts.Any() &&
			r.ToPorts.Any() && r.Suppress == 0 &&
			(r.Table == "default" || r.Table == network.LastTable)
		if (r.Family == 0 || r.Family == fam) && !plain {
			out = append(out, r)
		}
	}
	return out
}

// ReverseCheck judges by RFC 3704 packets from src that come in by an interface of d.
func (w *Walker) ReverseCheck(d *network.Device, src netip.Addr, ifname string) (selection.Reverse, bool) {
	t := d.Table(w.topo.TableOf(d, ifname), route.FamilyOf(src))
	if t == nil {
		return selection.Reverse{}, false
	}
	return selection.ReverseCheck(t, src, ifname), true
}

// CannotTell tells why what the table shows proves nothing for the destination, and the line that is in the way.
func (x Explanation) CannotTell() (Code, route.Mark, bool) {
	c := x.Choice
	if m := x.Device.Blended(); m.Known() {
		return CapturesBlended, m, true
	}
	if len(x.Own) > 0 {
		return Nothing, route.Mark{}, false
	}
	single := c.Destination.IsSingleIP() && c.Match.Found() && c.Table.Answers(c.Destination.Addr())
	if c.Table.Filtered.Known() && !single {
		return inPart(c.Table).Code, c.Table.Filtered, true
	}
	if supposedOpen(c.Table, c.Match) {
		return TableMissing, route.Mark{}, true
	}
	if c.Table.Incomplete(c.Destination.Addr()) {
		return TableCut, route.Mark{}, true
	}
	bits := -1
	if c.Match.Found() {
		bits = c.Match.Prefix.Bits()
	}
	if u, ok := c.Table.UnreadRow(netip.Addr{}, c.Destination.Addr(), bits); ok && u.Prefix.Bits() <= c.Destination.Bits() {
		return unreadCode(u), u.Mark, true
	}
	return Nothing, route.Mark{}, false
}

// Forwards reports whether the destination is the device's own or is sent on.
func (x Explanation) Forwards() bool {
	if len(x.Own) > 0 {
		return true
	}
	if _, _, unknown := x.CannotTell(); unknown {
		return false
	}
	m := x.Choice.Match
	if !m.Found() || m.Refused || m.Contradiction != nil {
		return false
	}
	return m.Routes[0].Special == route.None || m.Routes[0].Special == route.Receive
}

// unreadCode tells a line of the table that was not read from one that tells of a change, or of another answer.
func unreadCode(u network.UnreadRow) Code {
	switch {
	case u.Answered:
		return AnsweredOtherwise
	case u.Changed:
		return ChangedSince
	}
	return RowUnread
}
