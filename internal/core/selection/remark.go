package selection

import (
	"slices"

	"zarvek/internal/core/route"
)

// RemarkKind is a trap in how a route competes. The zero RemarkKind is none.
type RemarkKind uint8

const (
	// ReplacesLearned: a static route is used although a routing protocol knows the prefix. As a backup its preference
	// must be worse than Number.
	ReplacesLearned RemarkKind = 1 + iota
	// LongerThanLearned: the static route used has a preference worse than that of a shorter learned one, which is of
	// no effect between prefixes of different length.
	LongerThanLearned
	// BackupInUse: the static route used has the preference of a backup, and nothing better is there for its prefix.
	BackupInUse
	// BackupUseless: a backup for the prefix in use could not take over: Failure says why.
	BackupUseless
	// Swallows: the destination is discarded though a shorter route would send it on.
	Swallows
	// OneHopShown: the captured table shows one next hop of each route alone, so that others may be in use beside it.
	OneHopShown
)

// backupFrom is from where on a static route's preference is taken as a backup's: no maker's static routes have it
// unless somebody asked for it.
const backupFrom = 100

// A Remark is one trap that concerns a choice.
type Remark struct {
	Kind    RemarkKind
	Route   route.Route // the route it is about
	Against route.Route // the other one
	Number  uint64
	Failure Failure
}

// remark looks for the traps.
func (c *Choice) remark() {
	if !c.Match.Found() {
		return
	}
	w := c.Match.Routes[0]
	if w.Protocol == route.Static && !c.Table.HighestWins {
		c.remarkStatic(w)
	}
	if c.Table.FirstHops && slices.ContainsFunc(w.NextHops, func(h route.NextHop) bool { return h.Address.IsValid() }) {
		c.Remarks = append(c.Remarks, Remark{Kind: OneHopShown, Route: w})
	}
	for _, l := range c.Lost {
		if l.Route.Prefix == w.Prefix && l.Route.Protocol == route.Static && l.Failure != Resolved &&
			l.Failure != Untold && l.Why == Preference {
			c.Remarks = append(c.Remarks, Remark{Kind: BackupUseless, Route: l.Route, Against: w, Failure: l.Failure})
		}
	}
	if w.Special == route.Blackhole || w.Special == route.Unreachable || w.Special == route.Prohibit {
		for _, l := range c.Lost {
			if l.Why == ShorterPrefix && l.Route.Is(route.Installed) && l.Route.Special == route.None {
				c.Remarks = append(c.Remarks, Remark{Kind: Swallows, Route: w, Against: l.Route})
				return
			}
		}
	}
}

// remarkStatic remarks what a static route that won does to routes that were learned: it may have been meant as
// a backup.
func (c *Choice) remarkStatic(w route.Route) {
	alone := true
	for _, l := range c.Lost {
		if l.Route.Prefix != w.Prefix {
			continue
		}
		alone = false
		if l.Route.Protocol.Dynamic() && (l.Why == Preference || l.Why == NotChosen) && l.Route.Preference.Known {
			c.Remarks = append(
				c.Remarks,
				Remark{Kind: ReplacesLearned, Route: w, Against: l.Route, Number: l.Route.Preference.Value},
			)
			return
		}
	}
	if !w.Preference.Known {
		return
	}
	for _, l := range c.Lost {
		if l.Route.Prefix != w.Prefix && l.Route.Protocol.Dynamic() && l.Route.Is(route.Active) &&
			l.Route.Preference.Known &&
			l.Route.Preference.Value < w.Preference.Value {
			c.Remarks = append(c.Remarks, Remark{Kind: LongerThanLearned, Route: w, Against: l.Route})
			return
		}
	}
	if alone && w.Preference.Value >= backupFrom {
		c.Remarks = append(c.Remarks, Remark{Kind: BackupInUse, Route: w})
	}
}
