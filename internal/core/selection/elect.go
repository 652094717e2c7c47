package selection

import (
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// Judge says what would become of a static route of d if it were configured.
func Judge(d *network.Device, t *network.Table, s network.Static) Configured {
	return fate(d, t, s)
}

// Elect returns the candidates of one prefix with the best of them chosen and in use, by the rules: what a device
// does when what it used is gone. Equal ones of one protocol are used together. Where the captures do not show what
// decides between two, or where its next hop lies, the best is marked as not taken by the forwarding table, so that
// nobody reads a choice out of it. Nil where none can be used.
func Elect(d *network.Device, t *network.Table, rows []route.Route) []route.Route {
	out := slices.Clone(rows)
	best := -1
	usable := func(r route.Route) bool { return MayBeUsable(d, t, r) }
	for i, r := range out {
		if usable(r) && (best < 0 || before(r, out[best], t.HighestWins)) {
			best = i
		}
	}
	if best < 0 {
		return nil
	}
	won := out[best]
	open := !Usable(d, t, won)
	for i := range out {
		out[i].State &^= route.Active | route.Installed | route.Rejected | route.Untold
		if i == best || !usable(out[i]) {
			continue
		}
		if order, _, _ := compare(won, out[i], t.HighestWins); order == 0 {
			if out[i].Protocol == won.Protocol && won.Protocol != route.BGP {
				out[i].State |= route.Active | route.Installed
			} else {
				open = true
			}
		}
	}
	out[best].State |= route.Active | route.Installed
	if open {
		for i := range out {
			if out[i].Is(route.Active) {
				out[i].State = out[i].State&^route.Installed | route.Rejected | route.Untold
			}
		}
	}
	return out
}

// ElectAmongUntold decides among routes of which some cannot be told: one that is sure and comes before all of those by the
// rules is used; else nobody knows.
func ElectAmongUntold(d *network.Device, t *network.Table, rows []route.Route) []route.Route {
	var sure, open []route.Route
	for _, x := range rows {
		if x.Is(route.Untold) {
			open = append(open, x)
		} else {
			sure = append(sure, x)
		}
	}
	won := Elect(d, t, sure)
	best := slices.IndexFunc(won, func(x route.Route) bool { return x.Is(route.Installed) })
	if best >= 0 && !slices.ContainsFunc(open, func(x route.Route) bool {
		return !Before(won[best], x, t.HighestWins)
	}) {
		for i := range open {
			open[i].State = 0
		}
		return append(won, open...)
	}
	out := slices.Clone(rows)
	for i := range out {
		out[i].State &^= route.Active | route.Installed | route.Rejected
		if out[i].Is(route.Untold) {
			out[i].State |= route.Active | route.Rejected
		}
	}
	return out
}

// Usable reports whether a device could forward by a route: its next hop is resolved and leaves by an interface that is
// not known to be down.
func Usable(d *network.Device, t *network.Table, r route.Route) bool {
	return !r.Is(route.Unusable) && failure(t, r) == Resolved && !onDeadInterface(d, r)
}

// MayBeUsable reports whether a device could forward by a route, or the captures do not tell where its next hop lies.
func MayBeUsable(d *network.Device, t *network.Table, r route.Route) bool {
	if r.Is(route.Unusable) || onDeadInterface(d, r) {
		return false
	}
	f := failure(t, r)
	return f == Resolved || f == Untold
}

// Before reports whether a comes before b by the rules; neither does where the captures do not show what decides.
func Before(a, b route.Route, highestWins bool) bool { return before(a, b, highestWins) }

// onDeadInterface reports whether all a route's ways leave by interfaces that are down.
func onDeadInterface(d *network.Device, r route.Route) bool {
	hops := r.Forwarding()
	return len(hops) > 0 && !slices.ContainsFunc(hops, func(h route.NextHop) bool {
		return h.Interface == "" || d.Interface(h.Interface).State != network.LinkDown
	})
}
