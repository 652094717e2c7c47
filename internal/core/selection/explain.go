package selection

import (
	"net/netip"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// Why says why a candidate was not used. The zero Why is that nothing is known.
type Why uint8

const (
	NotChosen     Why = iota // the device chose another; the capture does not show by which rule
	ShorterPrefix            // RFC 4632 section 5.1
	Preference               // RFC 8349 section 5: the lowest route preference wins
	PathType                 // OSPF path types come before the metric: RFC 2328 section 11
	Metric                   // compared within one protocol only
	Unusable                 // the device shows it as inactive, hidden or disabled
	NotInstalled             // chosen, but what forwards does not have it
	AgainstRules             // by preference it should have won
)

// A Lost is a candidate that is not used, with what decided.
type Lost struct {
	Route   route.Route
	Index   int
	Why     Why
	Against route.Route // the winner it was compared with
	Assumed bool        // a preference that the capture does not show was taken as the usual one
}

// A Choice is what a device does with a destination and why.
type Choice struct {
	Table       *network.Table
	Destination netip.Prefix
	Match       Match
	Lost        []Lost // the winner's own prefix first, then shorter prefixes, longest first
	Resolutions []Resolution
	TakesOver   *Lost // what would be used if the winner went
	Differences []network.Difference
}

// Explain finds what t does with a destination and why. For a prefix only routes that cover all of it count.
func Explain(t *network.Table, dst netip.Prefix) Choice {
	c := Choice{Table: t, Destination: dst}
	for g := range t.Covering(dst) {
		m := installed(t, g)
		switch {
		case c.Match.Found():
			c.lose(t, g, ShorterPrefix)
		case m.Found():
			c.Match = m
			c.Differences = t.DifferencesAt(m.Prefix)
			c.rivals(t, g)
		default:
			c.lose(t, g, NotChosen)
			c.Differences = append(c.Differences, t.DifferencesAt(t.Routes.Prefix(g.Lo))...)
		}
	}
	for _, r := range c.Match.Routes {
		if r.Special == route.None {
			c.Resolutions = append(c.Resolutions, Resolve(t, r)...)
		}
	}
	c.takesOver()
	return c
}

// rivals judges the other candidates for the winner's own prefix.
func (c *Choice) rivals(t *network.Table, g network.Group) {
	won := map[int]bool{}
	for _, i := range c.Match.Index {
		won[i] = true
	}
	for i, r := range t.Members(g) {
		if won[i] {
			continue
		}
		l := Lost{Route: r, Index: i, Against: c.Match.Routes[0]}
		l.Why, l.Assumed = judge(r, l.Against, t.HighestWins)
		c.Lost = append(c.Lost, l)
	}
}

// lose notes the routes of a prefix that was passed over.
func (c *Choice) lose(t *network.Table, g network.Group, why Why) {
	for i, r := range t.Members(g) {
		l := Lost{Route: r, Index: i, Why: why}
		if why == ShorterPrefix {
			l.Against = c.Match.Routes[0]
		}
		switch {
		case r.Is(route.Unusable):
			l.Why = Unusable
		case why == NotChosen && r.Is(route.Active):
			l.Why = NotInstalled
		}
		c.Lost = append(c.Lost, l)
	}
}

// judge says by which rule lost gave way to won, both of one prefix.
func judge(lost, won route.Route, highest bool) (why Why, assumed bool) {
	if lost.Is(route.Unusable) {
		return Unusable, false
	}
	if lost.Is(route.Active) {
		return NotInstalled, false
	}
	lp, la := preference(lost)
	wp, wa := preference(won)
	if highest {
		la, wa = false, false // there attached networks do show their preference
		lp, wp = won.Preference, lost.Preference
	}
	switch {
	case lp.Known && wp.Known && lp.Value > wp.Value:
		return Preference, la || wa
	case lp.Known && wp.Known && lp.Value < wp.Value:
		return AgainstRules, la || wa
	case lost.Protocol == won.Protocol && lost.Protocol == route.OSPF && ospfRank(lost.Subtype) > ospfRank(won.Subtype):
		return PathType, false
	case lost.Protocol == won.Protocol || !lost.Preference.Known && !won.Preference.Known:
		if won.Metric.Less(lost.Metric) || !won.Metric.Known && lost.Metric.Known {
			return Metric, false
		}
	}
	return NotChosen, false
}

// preference returns a route's preference as printed. Attached networks and own addresses are printed without one
// nearly everywhere; they are taken to have 0, which is assumed.
func preference(r route.Route) (n route.Number, assumed bool) {
	if !r.Preference.Known && (r.Protocol == route.Direct || r.Protocol == route.Local) {
		return route.N(0), true
	}
	return r.Preference, false
}

// ospfRank orders the path types of RFC 2328 section 11: intra-area, inter-area, external type 1, external type 2.
func ospfRank(subtype string) int {
	switch subtype {
	case "inter-area":
		return 1
	case "external-1", "nssa-external-1":
		return 2
	case "external-2", "nssa-external-2":
		return 3
	}
	return 0
}

// takesOver picks what would be used without the winner: the best other candidate for its prefix, else what forwards
// the next shorter prefix.
func (c *Choice) takesOver() {
	if !c.Match.Found() || c.Match.Routes[0].Special == route.Receive {
		return
	}
	best := -1
	for i := range c.Lost {
		l := &c.Lost[i]
		if l.Route.Prefix != c.Match.Prefix || l.Why == Unusable || l.Why == NotInstalled || sameExit(l.Route, c.Match.Routes[0]) {
			continue
		}
		if best < 0 || better(l.Route, c.Lost[best].Route, c.Table.HighestWins) {
			best = i
		}
	}
	for i := 0; best < 0 && i < len(c.Lost); i++ {
		if c.Lost[i].Route.Prefix != c.Match.Prefix && c.Lost[i].Route.Is(route.Installed) {
			best = i
		}
	}
	if best >= 0 {
		c.TakesOver = &c.Lost[best]
	}
}

// sameExit reports whether both leave directly by one interface, so that what takes the one away takes the other too.
func sameExit(a, b route.Route) bool {
	x, y := a.Forwarding(), b.Forwarding()
	return len(x) == 1 && len(y) == 1 && !x[0].Address.IsValid() && !y[0].Address.IsValid() && x[0].Interface == y[0].Interface
}

// better orders two candidates of one prefix: preference (the lowest, or the highest where the table says so), then within one protocol path type and metric.
func better(a, b route.Route, highest bool) bool {
	ap, _ := preference(a)
	bp, _ := preference(b)
	if highest {
		ap, bp = b.Preference, a.Preference
	}
	if ap != bp {
		return ap.Less(bp)
	}
	if a.Protocol == b.Protocol && a.Protocol == route.OSPF && ospfRank(a.Subtype) != ospfRank(b.Subtype) {
		return ospfRank(a.Subtype) < ospfRank(b.Subtype)
	}
	return a.Metric.Less(b.Metric)
}
