// Package selection answers what one device does with a destination by its own table, and why: longest prefix,
// preference, metric, equal cost, and how a next hop is resolved to an interface.
//
// What the device marks as chosen or installed is what counts; the rules are applied beside it, and a Choice says
// where the two differ. No I/O and no clock: the same table gives the same answer.
package selection

import (
	"net/netip"
	"slices"
	"sync"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A Match is the group of routes that forwards a destination. The zero Match is none.
type Match struct {
	Table  *network.Table
	Prefix netip.Prefix
	Routes []route.Route // more than one where equal routes of one prefix forward together
	Index  []int         // of Routes in Table.Routes
	// Refused is set where the longest match was chosen but the forwarding table did not take it, so that what
	// packets follow cannot be read from the captures.
	Refused bool
	// Contradiction is set where captures of different moments lead the prefix to different next hops.
	Contradiction *network.Difference
	// Barred is the prefix that would have matched, had the device not looked up classfully.
	Barred netip.Prefix

	prepared *prepared // nil where the match was not kept for later
}

// prepared is what follows from a match whatever the packet.
type prepared struct {
	resolutions [][]Resolution
	evidence    [][]route.Mark
}

// Resolve resolves route i of the match. Do not change the result.
func (m Match) Resolve(i int) []Resolution {
	if m.prepared != nil {
		return m.prepared.resolutions[i]
	}
	return Resolve(m.Table, m.Routes[i])
}

// Evidence returns the lines that show route i of the match. Do not change the result.
func (m Match) Evidence(i int) []route.Mark {
	if m.prepared != nil {
		return m.prepared.evidence[i]
	}
	return m.Table.Evidence(m.Index[i])
}

// A Lookup answers Longest for many packets: what follows from a table's row alone is found once. It is safe for
// concurrent use.
type Lookup struct {
	known sync.Map // rowKey: Match
}

type rowKey struct {
	table *network.Table
	lo    int
}

// Longest is the same as the function of that name.
func (l *Lookup) Longest(t *network.Table, a netip.Addr) Match {
	g, ok := t.LongestGroup(a)
	if !ok || t.Classful {
		return Longest(t, a)
	}
	k := rowKey{t, g.Lo}
	if m, ok := l.known.Load(k); ok {
		return m.(Match)
	}
	m := installed(t, g)
	if !m.Found() {
		return Longest(t, a) // a shorter prefix forwards
	}
	m.prepared = &prepared{}
	for i, r := range m.Routes {
		m.prepared.resolutions = append(m.prepared.resolutions, Resolve(t, r))
		m.prepared.evidence = append(m.prepared.evidence, slices.Clip(t.Evidence(m.Index[i])))
	}
	l.known.Store(k, m)
	return m
}

// Sent is the match of a packet that is sent whatever its destination: by one route of no prefix, which is not the
// table's. It is not Found.
func Sent(t *network.Table, r route.Route) Match {
	return Match{Table: t, Routes: []route.Route{r}, prepared: &prepared{
		resolutions: [][]Resolution{Resolve(t, r)},
		evidence:    [][]route.Mark{{r.Mark}},
	}}
}

// Found reports whether anything matched.
func (m Match) Found() bool { return m.Prefix.IsValid() }

// Longest returns what forwards a: the installed routes of the longest prefix that has any (RFC 4632 section 5.1).
func Longest(t *network.Table, a netip.Addr) Match {
	for g := range t.Covering(netip.PrefixFrom(a, a.BitLen())) {
		if m := installed(t, g); m.Found() {
			if t.Barred(m.Prefix, a) {
				return Match{Table: t, Barred: m.Prefix}
			}
			return m
		}
	}
	return Match{}
}

// At returns what forwards by one group of a table's routes; nothing is found where none of them does.
func At(t *network.Table, g network.Group) Match { return installed(t, g) }

// installed is what a group of rows forwards by: all its installed routes, or the chosen one that was not taken into
// the forwarding table. A local address goes before all else of its prefix.
func installed(t *network.Table, g network.Group) Match {
	m := Match{Table: t}
	for i, r := range t.Members(g) {
		switch {
		case r.Is(route.Installed):
			if r.Special == route.Receive && len(m.Routes) > 0 && m.Routes[0].Special != route.Receive {
				m.Routes, m.Index = nil, nil // local addresses are looked up before all else
			}
			if len(m.Routes) > 0 && m.Routes[0].Special == route.Receive && r.Special != route.Receive {
				continue
			}
			m.Prefix, m.Routes, m.Index = r.Prefix, append(m.Routes, r), append(m.Index, i)
		case r.Is(route.Active | route.Rejected):
			if len(m.Routes) == 0 {
				m.Prefix, m.Refused = r.Prefix, true
				m.Routes, m.Index = append(m.Routes, r), append(m.Index, i)
			}
		}
	}
	if m.Found() {
		m.Contradiction = t.Contradiction(m.Prefix)
	}
	if m.Refused && len(m.Routes) > 1 {
		m.Routes, m.Index, m.Refused = m.Routes[1:], m.Index[1:], false
	}
	return m
}

// Forwarding returns what forwards all of p: the installed routes of the longest prefix that contains it and has any.
func Forwarding(t *network.Table, p netip.Prefix) Match {
	for g := range t.Covering(p) {
		if m := installed(t, g); m.Found() {
			return m
		}
	}
	return Match{}
}
