package selection

import (
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
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

// A Wish is a route that was not added, with what would come of it.
type Wish struct {
	Configured
	Outcome Outcome
	Takes   Match         // what forwards its addresses now, where no route has its prefix
	Keeps   []route.Route // longer routes inside of it that would go on forwarding their own addresses
	More    int           // of those beyond the ones listed
	Already bool          // such a route is in the table
}

// maxKept is how many of the longer routes are listed.
const maxKept = 5

// WouldWin tells what would come of adding a static route to a table of d.
func WouldWin(d *network.Device, t *network.Table, s network.Static) Wish {
	c := fate(d, t, s, Match{})
	w := Wish{Configured: c, Already: c.Index >= 0}
	for g := range t.Covering(s.Prefix) {
		if m := installed(t, g); m.Found() && m.Prefix != s.Prefix {
			w.Takes = m
			break
		}
	}
	for g := range t.Inside(s.Prefix) {
		if m := installed(t, g); m.Found() {
			if len(w.Keeps) < maxKept {
				w.Keeps = append(w.Keeps, m.Routes[0])
			} else {
				w.More++
			}
		}
	}
	switch c.Fate {
	case Standby:
		w.Outcome = WouldWait
	case AgainstTheOrder:
		w.Outcome = WouldReplace
	case NotShown, InUse:
		w.Outcome = WouldBeAlone
		if c.Winner.Prefix.IsValid() {
			w.Outcome = WouldTie
		}
	}
	return w
}
