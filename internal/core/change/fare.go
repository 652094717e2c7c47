package change

import (
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// Outcome is how a route that somebody thinks of adding would fare. The zero Outcome is that it could not be used.
type Outcome uint8

const (
	CouldNotBeUsed Outcome = iota // its next hop leads nowhere: Configured.Fate says why
	WouldBeAlone                  // no other source has its prefix: it would be used
	WouldReplace                  // it would replace what is used for its prefix
	WouldWait                     // it would stand by as a backup
	WouldTie                      // the rules do not part them: both, or the device's own tie break
)

// A Fare is a route that was not added, with what would come of it.
type Fare struct {
	selection.Configured
	Outcome Outcome
	Takes   selection.Match // what forwards its addresses now, where no route has its prefix
	Keeps   []route.Route   // longer routes inside of it that would go on forwarding their own addresses
	More    int             // of those beyond the ones listed
	Already bool            // such a route is in the table
}

// maxKept is how many of the longer routes are listed.
const maxKept = 5

// Try adds a route to an overlay of n and tells what came of it.
func Try(n *network.Snapshot, e AddRoute) (Fare, error) {
	d, t, err := place(n, e.Device, e.Static.Table, e.Static.Prefix)
	if err != nil {
		return Fare{}, err
	}
	after, err := e.on(n)
	if err != nil {
		return Fare{}, err
	}
	f := Fare{Configured: selection.Judge(d, t, e.Static)}
	f.Already = f.Index >= 0
	for g := range t.Covering(e.Static.Prefix) {
		if m := selection.At(t, g); m.Found() && m.Prefix != e.Static.Prefix {
			f.Takes = m
			break
		}
	}
	now := after.Device(e.Device).Table(t.Name, t.Family)
	for g := range now.Inside(e.Static.Prefix) {
		if m := selection.At(now, g); m.Found() {
			if len(f.Keeps) < maxKept {
				f.Keeps = append(f.Keeps, m.Routes[0])
			} else {
				f.More++
			}
		}
	}
	f.Outcome = outcome(f.Configured, t, now)
	return f, nil
}

// outcome compares what a prefix had with what it has with the route.
func outcome(c selection.Configured, was, now *network.Table) Outcome {
	mine, others, before := route.Route{}, false, false
	for _, r := range was.RoutesTo(c.Static.Prefix) {
		before = before || r.Is(route.Active) || r.Is(route.Installed)
	}
	for i, r := range now.RoutesTo(c.Static.Prefix) {
		switch g, _ := now.Exact(c.Static.Prefix); {
		case c.Index >= 0 && g.Lo+i == c.Index, c.Index < 0 && r.Attributes == lastOf(now, g).Attributes:
			mine = r
		default:
			others = others || r.Is(route.Active) || r.Is(route.Installed)
		}
	}
	there := len(now.RoutesTo(c.Static.Prefix)) > len(was.RoutesTo(c.Static.Prefix)) || c.Index >= 0
	switch {
	case !there || c.Fate == selection.Deactivated || c.Fate == selection.RefusedToUse:
		return CouldNotBeUsed
	case !mine.Is(route.Installed):
		return WouldWait
	case others:
		return WouldTie
	case before && c.Index < 0:
		return WouldReplace
	}
	return WouldBeAlone
}

// lastOf is the row that joined last.
func lastOf(t *network.Table, g network.Group) route.Route { return t.Routes().At(g.Hi - 1) }
