package selection

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// Why says why a candidate was not used. The zero Why is that nothing is known.
type Why uint8

const (
	NotChosen       Why = iota // the device chose another; the capture does not show by which rule
	ShorterPrefix              // RFC 4632 section 5.1
	Preference                 // RFC 8349 section 5: the lowest route preference wins
	PathType                   // OSPF path types come before the metric: RFC 2328 section 11
	Level                      // IS-IS levels come before the metric: RFC 5302 section 3.2
	Weight                     // of a BGP path, which some systems compare first
	LocalPreference            // RFC 4271 section 9.1.1
	PathLength                 // RFC 4271 section 9.1.2.2 (a)
	Origin                     // (b)
	MultiExit                  // (c)
	ExternalFirst              // (d)
	Metric                     // compared within one protocol only
	Unusable                   // the device shows it as inactive, hidden or disabled
	NotInstalled               // chosen, but what forwards does not have it
	AgainstRules               // by the rules it should have won
	ClassBarred                // the device looks up classfully
	OnlyConfigured             // it stands in the configuration and not in the table
)

// A Lost is a candidate that is not used, with what decided.
type Lost struct {
	Route   route.Route
	Index   int // of Route in the table; -1 where it stands in a configuration only
	Why     Why
	Against route.Route // the winner it was compared with
	Rule    Why         // AgainstRules: the rule by which it should have won
	Assumed bool        // a preference that the capture does not show was taken as the usual one
	Failure Failure     // why its next hop leads nowhere
}

// A Choice is what a device does with a destination and why.
type Choice struct {
	Table       *network.Table
	Destination netip.Prefix
	Match       Match
	Lost        []Lost // the winner's own prefix first, then shorter prefixes, longest first
	Resolutions []Resolution
	// of next hops that the capture shows as recursive, by the rules; it shows their outcome too
	Recursive []Resolution
	Statics   []Configured // configured statics that cover the destination
	Remarks   []Remark
	TakesOver *Lost // what would be used if the winner went
	// Neighbours are the next hops of the winner that what takes over needs too; WithoutThem is what would be used if
	// they died.
	Neighbours  []netip.Addr
	WithoutThem *Lost
	Differences []network.Difference
}

// Explain finds what t, a table of d, does with a destination and why. For a prefix only routes that cover all of it
// count.
func Explain(d *network.Device, t *network.Table, dst netip.Prefix) Choice {
	c := Choice{Table: t, Destination: dst}
	for g := range t.Covering(dst) {
		m := installed(t, g)
		switch {
		case c.Match.Found():
			c.lose(t, g, ShorterPrefix)
		case m.Found() && t.Barred(m.Prefix, dst.Addr()):
			c.Match.Barred = longer(c.Match.Barred, m.Prefix)
			c.lose(t, g, ClassBarred)
		case m.Found():
			c.Match = m
			c.Differences = t.DifferencesAt(m.Prefix)
			c.rivals(t, g)
		default:
			c.lose(t, g, NotChosen)
			c.Differences = append(c.Differences, t.DifferencesAt(t.Routes().Prefix(g.Lo))...)
		}
	}
	for _, r := range c.Match.Routes {
		if r.Special == route.None {
			c.Resolutions = append(c.Resolutions, Resolve(t, r)...)
			c.Recursive = append(c.Recursive, recursive(t, r)...)
		}
	}
	c.Statics = configured(d, t, dst)
	c.takesOver()
	c.remark()
	return c
}

func longer(a, b netip.Prefix) netip.Prefix {
	if a.IsValid() && a.Bits() >= b.Bits() {
		return a
	}
	return b
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
		if l.Why == AgainstRules {
			_, l.Rule, _ = compare(r, l.Against, t.HighestWins)
		}
		l.Failure = failure(t, r)
		c.Lost = append(c.Lost, l)
	}
}

// failure says why no next hop of a candidate leads anywhere; Resolved where one does or none is needed.
func failure(t *network.Table, r route.Route) Failure {
	if r.Special != route.None {
		return Resolved
	}
	f := NoNextHop
	for _, res := range Resolve(t, r) {
		if res.Failure == Resolved {
			return Resolved
		}
		f = res.Failure
	}
	return f
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
		l.Failure = failure(t, r)
		c.Lost = append(c.Lost, l)
	}
}

// takesOver picks what would be used without the winner, and where that leads by a neighbour of the winner's, without
// those too.
func (c *Choice) takesOver() {
	if !c.Match.Found() || c.Match.Routes[0].Special == route.Receive {
		return
	}
	c.TakesOver = c.successor(c.sharesFate)
	if c.TakesOver == nil {
		return
	}
	used := neighbours(c.Resolutions)
	for _, a := range neighbours(Resolve(c.Table, c.TakesOver.Route)) {
		if slices.Contains(used, a) {
			c.Neighbours = append(c.Neighbours, a)
		}
	}
	if len(c.Neighbours) > 0 {
		dead := func(a netip.Addr) bool { return slices.Contains(used, a) }
		c.WithoutThem = c.successor(func(r route.Route) bool {
			return c.sharesFate(r) || r.Special == route.None && slices.ContainsFunc(neighbours(Resolve(c.Table, r)),
				dead)
		})
	}
}

// neighbours are the addresses that packets are handed to.
func neighbours(all []Resolution) (out []netip.Addr) {
	for _, r := range all {
		for _, e := range r.Exits {
			if e.Address.IsValid() && !slices.Contains(out, e.Address) {
				out = append(out, e.Address)
			}
		}
	}
	return out
}

// successor picks the best other candidate for the winner's prefix, in the table or configured, else what forwards the
// next shorter prefix; never one that goes too.
func (c *Choice) successor(goes func(route.Route) bool) *Lost {
	var best *Lost
	consider := func(l Lost) {
		if l.Failure == Resolved && !goes(l.Route) &&
			(best == nil || before(l.Route, best.Route, c.Table.HighestWins)) {
			best = &l
		}
	}
	for _, l := range c.Lost {
		if l.Route.Prefix == c.Match.Prefix && l.Why != Unusable && l.Why != NotInstalled {
			consider(l)
		}
	}
	for _, s := range c.Statics {
		if s.Static.Prefix == c.Match.Prefix && s.Fate == Standby && s.Index < 0 {
			consider(
				Lost{Route: s.Route, Index: -1, Why: OnlyConfigured, Against: c.Match.Routes[0], Assumed: s.Assumed},
			)
		}
	}
	for i := 0; best == nil && i < len(c.Lost); i++ {
		if l := c.Lost[i]; l.Route.Prefix != c.Match.Prefix && l.Route.Is(route.Installed) && l.Why != ClassBarred &&
			!goes(l.Route) {
			best = &l
		}
	}
	return best
}

// before reports whether a is preferred to b, both of one prefix.
func before(a, b route.Route, highest bool) bool {
	order, _, _ := compare(a, b, highest)
	return order < 0
}

// sharesFate reports whether what takes the winner away takes r too: both leave directly by one interface, or r's next
// hop is found through the winner.
func (c *Choice) sharesFate(r route.Route) bool {
	w := c.Match.Routes[0]
	x, y := r.Forwarding(), w.Forwarding()
	if len(x) == 1 && len(y) == 1 && !x[0].Address.IsValid() && !y[0].Address.IsValid() &&
		x[0].Interface == y[0].Interface {
		return true
	}
	if r.Special != route.None || len(x) == 0 {
		return false
	}
	for _, res := range Resolve(c.Table, r) {
		through := len(res.Exits) > 0
		for _, e := range res.Exits {
			uses := false
			for _, via := range e.Via {
				uses = uses || via.Prefix == w.Prefix
			}
			through = through && uses
		}
		if !through {
			return false
		}
	}
	return true
}
