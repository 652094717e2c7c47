package snmp

import "zarvek/internal/lazyregexp"

// A walk that stops before its end tells of it in words of its own, or not at all: the agent did not answer any more,
// or answered what is no next variable. What a table of routes would have told beyond is not known then.

// broke matches what walking tools print where a walk stops.
var broke = lazyregexp.New(`^(?:\w+: )?(?:Timeout\b|No [Rr]esponse\b|Error in packet\b|Error: OID not increasing` +
	`|Reason: \((?:genErr|tooBig|noSuchName|noAccess|authorizationError))`)

// stop is where a walk stopped within a table of routes.
type stop struct {
	inRoutes       bool // the last line told of a route
	stopped        bool
	stopLo, stopHi int // of the line that shows it
}

// stops notes that the walk stops at a line; outside of tables of routes that costs none.
func (s *stop) stops(lo, hi int) {
	if s.inRoutes && !s.stopped {
		s.stoppedAt(lo, hi)
	}
}

func (s *stop) stoppedAt(lo, hi int) { s.stopped, s.stopLo, s.stopHi = true, lo, hi }
