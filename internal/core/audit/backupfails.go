package audit

import (
	"net/netip"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// BackupFails means that a route that waits for another one's failure leads, when it is needed, onto a path that fails on the way
// out or back.
const BackupFails Kind = "backup-fails"

// findBackupFails tries every candidate that would take over a prefix, and every equal next hop that a device does not
// use, as if it were in use.
func findBackupFails(s *scene) []Finding {
	var out []Finding
	for _, d := range s.net.Devices {
		for _, t := range d.Tables {
			if t.Undecided {
				continue
			}
			for p := range waiting(t, d) {
				for _, r := range takesOver(d, t, p) {
					if f, ok := s.tryOut(d, t, r); ok {
						out = append(out, f)
					}
				}
			}
		}
	}
	return out
}

// waiting yields the prefixes with more than one route, and those that a configured static could take over.
func waiting(t *network.Table, d *network.Device) func(func(netip.Prefix) bool) {
	return func(yield func(netip.Prefix) bool) {
		for i := 0; i < t.Routes.Len(); {
			g := t.Group(i)
			if g.Hi-g.Lo > 1 && !yield(t.Routes.Prefix(i)) {
				return
			}
			i = g.Hi
		}
		for _, st := range d.Statics {
			if (st.Table == t.Name || st.Table == "" && t.Name == "default") && familyOf(st.Prefix) == t.Family {
				if g, ok := t.Exact(st.Prefix); ok && g.Hi-g.Lo == 1 && !yield(st.Prefix) {
					return
				}
			}
		}
	}
}

// takesOver returns what would be used for just that prefix if what is used went. More than one candidate of a large
// table is not a backup but a choice among peers: only statics and what competes with them are tried there.
func takesOver(d *network.Device, t *network.Table, p netip.Prefix) []route.Route {
	c := selection.Explain(d, t, p)
	if !c.Match.Found() || c.Match.Prefix != p {
		return nil
	}
	w := c.Match.Routes[0]
	if next := c.TakesOver; next != nil && next.Route.Prefix == p && next.Route.Special == route.None && (w.Protocol == route.Static || next.Route.Protocol == route.Static) {
		return []route.Route{next.Route}
	}
	return nil
}

// tryOut follows packets by a route as if it were in use: each of its ways out to the network, then from every device on
// that way back to the networks of d. It reports the first that fails.
func (s *scene) tryOut(d *network.Device, t *network.Table, r route.Route) (Finding, bool) {
	var none Finding
	dst, ok := s.someone(r.Prefix)
	if !ok {
		return none, false
	}
	out := s.walker.By(d, t, r, dst)
	trial := Trial{Prefix: r.Prefix, Route: r, Verdict: out.Verdict}
	worst, ok := out.Worst()
	if !ok {
		return none, false
	}
	trial.Where, trial.Reason, trial.Hops = worst.Where, worst.Reason, worst.Hops
	if out.Verdict <= forward.Unknown {
		if trial, ok = s.tryBack(d, t.Family, out, trial); !ok {
			return none, false
		}
	}
	f := Finding{Kind: BackupFails, Severity: Risk, Device: d.Name, Table: t.Name, Family: t.Family, Route: r, Address: dst, Trial: &trial, Reason: trial.Reason,
		Verdict: trial.Verdict, Marks: marks(r.Mark)}
	if n := len(trial.Hops); n > 0 {
		f.Marks = append(f.Marks, trial.Hops[n-1].Evidence...)
	}
	f.identify(r.Prefix, hopsText(r))
	return f, true
}

// tryBack asks every device on the way out whether it knows the way back to the networks of d.
func (s *scene) tryBack(d *network.Device, fam route.Family, out forward.Direction, trial Trial) (Trial, bool) {
	for _, b := range out.Branches {
		for _, h := range b.Hops {
			far := s.net.Device(h.Device)
			if far == nil || far == d {
				continue
			}
			for _, at := range s.topo.Attachments() {
				if at.Device != d || at.Down || familyOf(at.Prefix) != fam || at.Prefix.IsSingleIP() || s.topo.LinkNetwork(at.Prefix) || at.Prefix.Addr().IsLinkLocalUnicast() {
					continue
				}
				host, ok := s.someone(at.Prefix)
				if !ok {
					continue
				}
				back := s.walker.Onward(far, host)
				if back.Verdict <= forward.Unknown {
					continue
				}
				worst, _ := back.Worst()
				trial.Verdict, trial.Where, trial.Back, trial.Source, trial.Reason, trial.Hops = back.Verdict, worst.Where, true, at.Prefix, worst.Reason, worst.Hops
				return trial, true
			}
		}
	}
	return trial, false
}

// someone returns an address in a prefix that somebody may have: of an attached network in it, else its second one.
func (s *scene) someone(p netip.Prefix) (netip.Addr, bool) {
	for _, a := range s.audits {
		if a.fam != familyOf(p) {
			continue
		}
		var any netip.Addr
		for _, g := range a.groups {
			if !p.Contains(g.rep) {
				continue
			}
			if g.owner == nil {
				return g.rep, true
			}
			if !any.IsValid() {
				any = g.rep
			}
		}
		if any.IsValid() {
			return any, true
		}
	}
	return netip.Addr{}, false
}
