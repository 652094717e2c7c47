package audit

import (
	"iter"
	"net/netip"
	"slices"

	"zarvek/internal/core/change"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// BackupFails means that a route that waits for another one's failure leads, when it is needed, onto a path that
// fails on the way out or back.
const BackupFails Kind = "backup-fails"

// findBackupFails tries every candidate that would take over a prefix, and every equal next hop that a device does not
// use, as if it were in use.
func findBackupFails(s *caseView) []Finding {
	var out []Finding
	type key struct {
		device, table, where string
		verdict              forward.Verdict
		back                 bool
		source               netip.Prefix
	}
	at := map[key]int{} // those that fail alike are one finding
	for _, d := range s.net.Devices().All() {
		for _, t := range d.Tables().All() {
			if t.Undecided {
				continue
			}
			for p := range waiting(t, d) {
				for _, r := range standbys(d, t, p) {
					f, ok := s.tryOut(d, t, r)
					if !ok {
						continue
					}
					tried := f.Detail.(TrialDetail).Trial
					k := key{d.Name, t.Name, tried.Where, f.Verdict, tried.Back, tried.Source}
					if i, ok := at[k]; ok {
						out[i].Missing = append(out[i].Missing, p)
						out[i].Marks = append(out[i].Marks, r.Mark)
						continue
					}
					at[k] = len(out)
					f.Missing = []netip.Prefix{p}
					f.identify(k.where, k.verdict, k.back, k.source)
					out = append(out, f)
				}
			}
		}
	}
	return out
}

// waiting yields the prefixes for which something may stand by: routes of several protocols, a route with next hops
// that it does not use, or a configured static beside another route. Several paths of one protocol are no backups but
// a choice among peers, and in a full table there is one for each prefix.
func waiting(t *network.Table, d *network.Device) iter.Seq[netip.Prefix] {
	return func(yield func(netip.Prefix) bool) {
		spare := make([]bool, t.Routes().Shared())
		for id := range spare {
			spare[id] = len(unused(t.Routes().Attributes(route.AttrID(id)))) > 0
		}
		for i := 0; i < t.Routes().Len(); {
			g := t.Group(i)
			first, _ := t.Routes().Used(i)
			wanted := false
			for k := g.Lo; k < g.Hi; k++ {
				id, state := t.Routes().Used(k)
				wanted = wanted || spare[id] && state&route.Installed != 0 ||
					t.Routes().Attributes(id).Protocol != t.Routes().Attributes(first).Protocol
			}
			if wanted && !yield(t.Routes().Prefix(i)) {
				return
			}
			i = g.Hi
		}
		for _, st := range d.Statics().All() {
			if (st.Table == t.Name || st.Table == "" && t.Name == "default") && familyOf(st.Prefix) == t.Family {
				if g, ok := t.Exact(st.Prefix); ok && g.Hi-g.Lo == 1 && !yield(st.Prefix) {
					return
				}
			}
		}
	}
}

// unused are the equal next hops of a route that a device does not forward by, though nothing says that they are dead.
func unused(a *route.Attributes) []route.NextHop {
	var out []route.NextHop
	if a.Special != route.None || len(a.NextHops) < 2 {
		return nil
	}
	used := a.Forwarding()
	for _, h := range a.NextHops {
		if !h.Inactive && !h.Recursive && !h.Resolves && !h.Down && !slices.Contains(used, h) {
			out = append(out, h)
		}
	}
	return out
}

// standbys returns what would be used for just that prefix if what is used went.
func standbys(d *network.Device, t *network.Table, p netip.Prefix) []route.Route {
	c := selection.Explain(d, t, p)
	if !c.Match.Found() || c.Match.Prefix != p {
		return nil
	}
	var out []route.Route
	if next := c.TakesOver; next != nil && next.Route.Prefix == p && next.Route.Special == route.None &&
		next.Route.Protocol != c.Match.Routes[0].Protocol {
		out = append(out, next.Route)
	}
	for _, r := range c.Match.Routes {
		for _, h := range unused(r.Attributes) {
			one := *r.Attributes
			one.NextHops = []route.NextHop{h}
			r.Attributes = &one
			out = append(out, r)
		}
	}
	return out
}

// tryOut follows packets by a route as if it were in use: each of its ways out to the network, then from every device
// on that way back to the networks of d. It reports the first that fails.
func (s *caseView) tryOut(d *network.Device, t *network.Table, r route.Route) (Finding, bool) {
	var none Finding
	dst, ok := s.someone(r.Prefix)
	if !ok {
		return none, false
	}
	after, err := change.Change{change.Use{Device: d.Name, Table: t.Name, Route: r}}.On(s.net)
	if err != nil {
		return none, false
	}
	over := s.walker.On(after)
	if m := selection.Longest(after.Device(d.Name).Table(t.Name, t.Family), dst); m.Prefix != r.Prefix {
		return none, false // a longer route carries what goes there
	}
	out := over.OnwardIn(after.Device(d.Name), t.Name, dst)
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
	f := Finding{
		Kind:     BackupFails,
		Severity: Risk,
		Device:   d.Name,
		Table:    t.Name,
		Family:   t.Family,
		Detail:   TrialDetail{trial, dst},
		Reason:   trial.Reason,
		Verdict:  trial.Verdict,
		Marks:    marks(r.Mark),
	}
	if n := len(trial.Hops); n > 0 {
		f.Marks = append(f.Marks, trial.Hops[n-1].Evidence...)
	}
	return f, true
}

// tryBack asks every device on the way out whether it knows the way back to the networks of d.
func (s *caseView) tryBack(d *network.Device, fam route.Family, out forward.Direction, trial Trial) (Trial, bool) {
	for _, b := range out.Branches {
		for _, h := range b.Hops {
			far := s.net.Device(h.Device)
			if far == nil || far == d {
				continue
			}
			for _, net := range s.hostNetworks(d, fam) {
				back, ok := s.wayBack(far, net)
				if !ok || back.Verdict <= forward.Unknown {
					continue
				}
				worst, _ := back.Worst()
				trial.Verdict, trial.Where, trial.Back, trial.Source, trial.Reason, trial.Hops = back.Verdict,
					worst.Where, true, net, worst.Reason, worst.Hops
				return trial, true
			}
		}
	}
	return trial, false
}

// trials keeps what trials of many routes ask again and again.
type trials struct {
	hosts map[netip.Prefix]netip.Addr // somebody in a prefix; invalid: nobody
	nets  map[*network.Device][]netip.Prefix
	back  map[wayKey]forward.Direction
}

type wayKey struct {
	device *network.Device
	net    netip.Prefix
}

// hostNetworks are the networks of a device in which hosts may be.
func (s *caseView) hostNetworks(d *network.Device, fam route.Family) []netip.Prefix {
	if s.trials.nets == nil {
		s.trials.nets = map[*network.Device][]netip.Prefix{}
		for _, at := range s.topo.Attachments() {
			if !at.Down && at.Prefix.IsValid() && !at.Prefix.IsSingleIP() && !at.Prefix.Addr().IsLinkLocalUnicast() &&
				!s.topo.Transit(at.Prefix) &&
				!slices.Contains(s.trials.nets[at.Device], at.Prefix) {
				s.trials.nets[at.Device] = append(s.trials.nets[at.Device], at.Prefix)
			}
		}
	}
	var out []netip.Prefix
	for _, p := range s.trials.nets[d] {
		if familyOf(p) == fam {
			out = append(out, p)
		}
	}
	return out
}

// wayBack follows a packet from a device to a network; false where nobody can be there.
func (s *caseView) wayBack(from *network.Device, net netip.Prefix) (forward.Direction, bool) {
	host, ok := s.someone(net)
	if !ok {
		return forward.Direction{}, false
	}
	k := wayKey{from, net}
	d, ok := s.trials.back[k]
	if !ok {
		if s.trials.back == nil {
			s.trials.back = map[wayKey]forward.Direction{}
		}
		d = s.walker.Onward(from, host)
		s.trials.back[k] = d
	}
	return d, true
}

// someone returns an address in a prefix that somebody may have: a host's, else a device's.
func (s *caseView) someone(p netip.Prefix) (netip.Addr, bool) {
	x, ok := s.trials.hosts[p]
	if !ok {
		if s.trials.hosts == nil {
			s.trials.hosts = map[netip.Prefix]netip.Addr{}
		}
		x = s.findSomeone(p)
		s.trials.hosts[p] = x
	}
	return x, x.IsValid()
}

// findSomeone returns an address of a network at which a packet can start: a host's rather than a router's own. The
// zero address where nobody is known there.
func (s *caseView) findSomeone(p netip.Prefix) netip.Addr {
	var own netip.Addr
	for _, a := range s.audits {
		if a.fam != familyOf(p) {
			continue
		}
		for _, g := range a.groups {
			switch {
			case !p.Contains(g.rep):
			case g.owner == nil && g.start >= 0 && !a.silent(g):
				return g.rep
			case !own.IsValid() && g.start >= 0:
				own = g.rep
			}
		}
	}
	return own
}
