package starred

import (
	"errors"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// nextHopTypes are the forwarding table's kinds of next hop.
var nextHopTypes = map[string]route.Special{
	"ucst": route.None,
	"hold": route.None, // until the neighbour answers, if it does
	"ulst": route.None,
	"indr": route.None,
	"rslv": route.None,
	"locl": route.Receive,
	"recv": route.Receive,
	"bcst": route.Broadcast,
	"mcst": route.Multicast,
	"mdsc": route.Multicast,
	"dscd": route.Blackhole,
	"rjct": route.Unreachable,
}

// A waiting row is one whose next hops stand on the lines below it.
type waiting struct {
	prefix  netip.Prefix
	attr    layout.Attributes
	lines   []layout.Span // the row and what was read below it
	partial bool          // a line below it could not be read
}

var errNoWays = errors.New("the lines below it that tell its next hops are missing, or one of them could not be read")

// forwardingRow reads "Destination Type RtRef Next-hop Type Index NhRef Netif", the next hop and the interface of
// which may be empty. Below a row of kind indr or ulst each next hop has a line of its own.
func (r *reader) forwardingRow(line []byte, lo, hi int) error {
	w := strings.Fields(string(line))
	if x := r.waiting; x != nil && (line[0] == ' ' || line[0] == '\t') {
		err := x.takeHop(w)
		if x.partial = err != nil; err == nil {
			x.lines = append(x.lines, layout.Span{Lo: lo, Hi: hi})
		}
		return err
	}
	r.flush()
	if len(w) < 4 {
		return layout.ErrNotARoute
	}
	p := netip.Prefix{}
	var err error
	if w[0] == "default" {
		if r.family == 0 {
			return layout.ErrFamily
		}
		p = r.family.Default()
	} else if p, err = layout.Prefix([]byte(w[0]), true); err != nil {
		return err
	}
	kind := kindAt(w, 2)
	if kind < 0 || kind > 5 {
		return layout.ErrNotARoute
	}
	if w[kind] == "hold" {
		return layout.InDoubt("hold")
	}
	a := layout.Attributes{Attributes: route.Attributes{Special: nextHopTypes[w[kind]]}, Metric: route.N(0)}
	if w[1] == "perm" { // built in: used where nothing else has the prefix
		a.Metric = route.N(1)
	}
	h := route.NextHop{}
	if kind == 4 {
		if addr, ok := layout.Addr([]byte(w[3])); ok {
			h.Address = addr
		}
	}
	if last := w[len(w)-1]; len(w) > kind+2 && !isNumber(last) {
		h.Interface = last
	}
	switch {
	case a.Special == route.Receive:
		a.Protocol = route.Local
		a.NextHops = []route.NextHop{{Interface: h.Interface}}
	case w[kind] == "rslv":
		a.Protocol = route.Direct
		a.NextHops = []route.NextHop{{Interface: h.Interface}}
	case a.Special == route.None && h == (route.NextHop{}):
		r.waiting = &waiting{prefix: p, attr: a, lines: []layout.Span{{Lo: lo, Hi: hi}}}
		return nil
	case a.Special == route.None:
		a.NextHops = []route.NextHop{h}
	}
	r.Add(r.table, network.ForwardingTable, a.Route(p, 0, layout.Mark(lo, hi)), 0)
	r.Collector.Read++
	return nil
}

// kindAt finds the kind of a next hop among the words of a line, -1 where it has none.
func kindAt(w []string, from int) int {
	for i := from; i < len(w); i++ {
		if _, ok := nextHopTypes[w[i]]; ok {
			return i
		}
	}
	return -1
}

// takeHop reads a line below a row: "A ucst Index NhRef Netif", or "ulst Index NhRef", below which the next hops stand.
// Words between an address and its kind are labels.
func (x *waiting) takeHop(w []string) error {
	kind := kindAt(w, 0)
	switch {
	case kind == 0 && (w[0] == "ulst" || w[0] == "indr"):
		return nil
	case kind < 1 || nextHopTypes[w[kind]] != route.None || isNumber(w[len(w)-1]):
		return layout.ErrNotARoute
	case w[kind] == "hold":
		return layout.InDoubt("hold")
	}
	addr, ok := layout.Addr([]byte(w[0]))
	if !ok {
		return layout.ErrNotARoute
	}
	x.attr.NextHops = append(x.attr.NextHops,
		route.NextHop{Address: addr, Interface: w[len(w)-1], Encapsulated: kind > 1})
	return nil
}

// settle adds the row whose next hops stood below it, once the next line is none of them.
func (r *reader) settle() {
	x := r.waiting
	if x == nil {
		return
	}
	r.waiting = nil
	if x.partial || len(x.attr.NextHops) == 0 {
		for _, l := range x.lines {
			r.LeaveUnread(l.Lo, l.Hi, errNoWays)
		}
		return
	}
	m := layout.Mark(x.lines[0].Lo, x.lines[len(x.lines)-1].Hi)
	r.Add(r.table, network.ForwardingTable, x.attr.Route(x.prefix, 0, m), 0)
	r.Collector.Read += len(x.lines)
}
