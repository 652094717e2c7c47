package forward

import (
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// lookup finds the match for a packet. A Reason other than Nothing ends the walk: there is no route, or the captures
// cannot tell.
func (w *Walker) lookup(pkt *packet, at position) (selection.Match, Reason) {
	d, fam := at.device, route.FamilyOf(pkt.dst)
	rules := d.Rules()
	if !rules.Any(func(r network.Rule) bool { return r.Family == 0 || r.Family == fam }) ||
		at.table != "default" { // an interface that belongs to a table of its own asks no rules
		rules = network.Items[network.Rule]{}
	}
	asked := false
	for i := range max(rules.Len(), 1) {
		r := network.Rule{Table: at.table}
		if rules.Len() > 0 {
			r = rules.At(i)
		}
		applies, sure := ruleApplies(r, pkt, at, fam)
		if !applies {
			continue
		}
		switch r.Action {
		case network.RuleBlackhole:
			return selection.Match{}, sureReason(
				sure,
				Reason{Code: Blackholed, Special: route.Blackhole, Marks: []route.Mark{r.Mark}},
			)
		case network.RuleUnreachable, network.RuleProhibit:
			return selection.Match{}, sureReason(
				sure,
				Reason{Code: Rejected, Special: route.Prohibit, Marks: []route.Mark{r.Mark}},
			)
		case network.RuleJump:
			return selection.Match{}, Reason{Code: RuleNotDecided, Marks: []route.Mark{r.Mark}}
		}
		t := d.Table(r.Table, fam)
		if t == nil {
			if r.Action == network.RuleLookup && unshown(d, r.Table, fam) {
				return selection.Match{}, Reason{Code: TableMissing, Table: r.Table, Marks: []route.Mark{r.Mark}}
			}
			if r.Table == "default" {
				return selection.Match{}, Reason{Code: TableMissing, Marks: []route.Mark{r.Mark}}
			}
			asked = true // it is empty
			continue
		}
		asked = true
		if t.Weak && r.Mark.Known() {
			if other, ok := weakMix(d, fam); ok {
				return selection.Match{Table: t}, Reason{Code: TableMissing, Table: other, Marks: []route.Mark{r.Mark}}
			}
		}
		inScope := t.Filtered.Known() && t.Answers(pkt.dst)
		if t.Filtered.Known() && !inScope {
			return selection.Match{Table: t}, inPart(t)
		}
		if t.Undecided && !inScope {
			return selection.Match{Table: t}, Reason{Code: TableMissing}
		}
		if t.Incomplete(pkt.dst) {
			return selection.Match{Table: t}, Reason{Code: TableCut}
		}
		m, missing := w.onward(pkt, d, w.longest(pkt, t))
		if missing != "" {
			return m, Reason{Code: TableMissing, Table: missing, Marks: []route.Mark{m.Routes[0].Mark}}
		}
		if other, ok := w.elsewhere(pkt, d, t, m); ok {
			return m, Reason{Code: RulesMissing, Table: other.Name, Marks: []route.Mark{other.Routes[0].Mark}}
		}
		if supposedOpen(t, m) {
			return m, Reason{Code: TableMissing}
		}
		if inScope && !m.Found() {
			return m, inPart(t)
		}
		bits := -1
		if m.Found() {
			bits = m.Prefix.Bits()
		}
		if u, ok := t.UnreadRow(pkt.src, pkt.dst, bits); ok {
			return m, Reason{Code: unreadCode(u), Marks: []route.Mark{u.Mark}}
		}
		if !m.Found() || m.Routes[0].Special == route.Throw || m.Prefix.Bits() < r.Suppress {
			continue
		}
		if c := m.Contradiction; c != nil {
			return m, Reason{Code: CapturesContradict, Gone: c.Kind == network.GoneMoment,
				Marks: []route.Mark{c.Chosen, c.Installed}}
		}
		if m.Refused && m.Routes[0].Is(route.Untold) {
			return m, Reason{Code: NotPredicted, Marks: []route.Mark{m.Routes[0].Mark}}
		}
		if m.Refused {
			return m, Reason{Code: RouteRefused, Marks: []route.Mark{m.Routes[0].Mark}}
		}
		return m, sureReason(sure, Reason{Marks: []route.Mark{r.Mark}})
	}
	t := d.Table(at.table, fam)
	if t == nil && !(asked && d.Rules().Len() > 0) || t != nil && t.Routes().Len() == 0 {
		return selection.Match{Table: t}, Reason{Code: TableMissing}
	}
	why := Reason{Code: NoCoveringRoute}
	if t != nil {
		if c, ok := t.NotTaken(pkt.dst); ok {
			why.NotTaken, why.Marks = c.Prefix, []route.Mark{c.Chosen}
		}
	}
	return selection.Match{Table: t}, why
}

// supposedOpen reports whether a table that was not captured does not tell what its device does with a packet, as far as
// its configuration makes it.
func supposedOpen(t *network.Table, m selection.Match) bool {
	return t.Supposed && (!m.Found() || m.Refused)
}

// another is a match in another table.
type another struct {
	selection.Match
	Name string
}

// elsewhere returns what another table of the kernel does with the packet, where that is something else and the rules
// that may lead there were not captured.
func (w *Walker) elsewhere(pkt *packet, d *network.Device, main *network.Table, m selection.Match) (another, bool) {
	if main.Name != "default" || d.ListsRules(main.Family) {
		return another{}, false
	}
	for _, t := range d.Tables().All() {
		if !t.ByRule || t.Family != main.Family || w.topo.OfInterface(d, t.Name) {
			continue
		}
		if o := w.longest(pkt, t); o.Found() && !alike(m, o) {
			return another{o, t.Name}, true
		}
	}
	return another{}, false
}

// alike reports whether two matches send a packet the same way.
func alike(a, b selection.Match) bool {
	if !a.Found() || len(a.Routes) != len(b.Routes) {
		return false
	}
	for i := range a.Routes {
		x, y := a.Routes[i], b.Routes[i]
		if x.Special != y.Special || !slices.EqualFunc(x.NextHops, y.NextHops, func(p, q route.NextHop) bool {
			return p.Address == q.Address && p.Interface == q.Interface
		}) {
			return false
		}
	}
	return true
}

// onward goes on in another table where the match says no more than that; missing names one that was not captured.
func (w *Walker) onward(pkt *packet, d *network.Device, m selection.Match) (out selection.Match, missing string) {
	for range d.Tables().All() {
		if !m.Found() || len(m.Routes[0].NextHops) != 1 {
			return m, ""
		}
		h := m.Routes[0].NextHops[0]
		if h.Table == "" || h.Interface != "" || h.Address.IsValid() {
			return m, ""
		}
		t := d.Table(h.Table, route.FamilyOf(pkt.dst))
		if t == nil {
			return m, h.Table
		}
		m = w.longest(pkt, t)
	}
	return m, m.Routes[0].NextHops[0].Table // the tables point at each other
}

// sureReason keeps r unless the rule that led to it may not apply at all.
func sureReason(sure bool, r Reason) Reason {
	if sure {
		if r.Code == Nothing {
			return Reason{}
		}
		return r
	}
	return Reason{Code: RuleNotDecided, Marks: r.Marks}
}

// ruleApplies reports whether a rule concerns the packet, and whether that is certain.
func ruleApplies(r network.Rule, pkt *packet, at position, fam route.Family) (applies, sure bool) {
	if r.Family != 0 && r.Family != fam || r.From.IsValid() && pkt.find != nil || r.Own && !at.origin {
		return false, true
	}
	ingress := at.ingress
	if at.origin {
		ingress = "lo"
	}
	switch r.Fits(pkt.src, pkt.dst, pkt.flow, ingress, at.device.Unmarked(fam)) {
	case network.Yes:
		return true, true
	case network.Maybe:
		return true, false
	}
	return false, true
}

// ruledBefore returns the rule that may send elsewhere what is for one of the device's own addresses.
func (w *Walker) ruledBefore(pkt *packet, at position) (network.Rule, bool) {
	if !at.device.AsksRulesFirst() || at.table != "default" {
		return network.Rule{}, false
	}
	fam := route.FamilyOf(pkt.dst)
	for _, r := range at.device.Rules().All() {
		if !r.BeforeOwn {
			continue
		}
		if applies, _ := ruleApplies(r, pkt, at, fam); !applies {
			continue
		}
		if t := at.device.Table(r.Table, fam); r.Action == network.RuleLookup && t != nil {
			bits := -1
			if m := w.longest(pkt, t); m.Found() {
				bits = m.Prefix.Bits()
			}
			if _, hidden := t.Hides(pkt.dst, bits); !hidden && bits < r.Suppress {
				continue
			}
		}
		return r, true
	}
	return network.Rule{}, false
}

// ingressMatters reports whether a device's decision can depend on where a packet comes in.
func ingressMatters(d *network.Device) bool {
	for _, r := range d.Rules().All() {
		if r.Ingress != "" {
			return true
		}
	}
	return d.SwitchesApart() || d.Steers()
}

// unshown reports whether a table that a rule names may hold routes that no capture shows. The kernel's third own table
// is empty unless somebody fills it; one that a capture of all tables leaves out is empty too.
func unshown(d *network.Device, table string, fam route.Family) bool {
	if table == "default" || table == network.LastTable || table == "" {
		return false
	}
	t := d.Table("default", fam)
	return t == nil || !t.Whole
}

// weakMix names a table that rules of the family use and no capture shows by itself: a management walk mixes its routes
// with those of the main one.
func weakMix(d *network.Device, fam route.Family) (string, bool) {
	for _, r := range d.Rules().All() {
		if (r.Family == 0 || r.Family == fam) && r.Action == network.RuleLookup && r.Table != "default" &&
			r.Table != network.LastTable &&
			d.Table(r.Table, fam) == nil {
			return r.Table, true
		}
	}
	return "", false
}

// inPart says that a listing shows a part of a table only, and which line tells so.
func inPart(t *network.Table) Reason {
	code := TableFiltered
	if t.Lacks {
		code = TableLacks
	}
	return Reason{Code: code, Marks: []route.Mark{t.Filtered}}
}
