package audit

import (
	"strconv"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// Actions that every table has.
const (
	noAction  int32 = iota // no route
	cutAction              // the capture ended before
	firstAction
)

// actions numbers what one table can do with a destination. Routes that forward alike have one number, however many
// prefixes have them, so that each is followed only once.
type actions struct {
	table        *network.Table
	byAttr       []int32          // of a group of one route, by its shared attributes; 0: not numbered yet
	byHop        map[oneHop]int32 // of routes by one next hop
	byText       map[string]int32 // by all that forwarding depends on
	addressFacts []bool           // by number: it depends on who is at the destination itself
	plain        bool             // no prefix has captures that contradict each other
}

func newActions(t *network.Table) *actions {
	return &actions{
		table:        t,
		byAttr:       make([]int32, t.Routes().Shared()),
		byHop:        map[oneHop]int32{},
		byText:       map[string]int32{},
		addressFacts: make([]bool, firstAction),
		plain:        !t.Contradictory(),
	}
}

// of numbers a group; false where none of its routes forwards.
func (a *actions) of(g network.Group) (int32, bool) {
	one, at, open := chosen(a.table, g)
	if one == 0 && !open {
		return 0, false
	}
	if one == 1 && a.plain {
		id, _ := a.table.Routes().Used(at)
		if n := a.byAttr[id]; n != 0 {
			return n, true
		}
		if attr := a.table.Routes().Attributes(id); attr.Special == route.None {
			a.byAttr[id] = a.plainRoute(attr)
			return a.byAttr[id], true
		}
	}
	return a.slow(g)
}

// chosen counts the routes of a group that forward, with the last of them. Open tells that one was chosen and refused.
func chosen(t *network.Table, g network.Group) (count, last int, open bool) {
	last = -1
	for i := g.Lo; i < g.Hi; i++ {
		switch _, s := t.Routes().Used(i); {
		case s&route.Installed != 0:
			count, last = count+1, i
		case s&(route.Active|route.Rejected) == route.Active|route.Rejected:
			open = true
		}
	}
	return count, last, open
}

// seen returns the number that a group of another table of the device would have, as far as it was numbered. It changes
// nothing. Forwards is false where none of the group's routes does.
func (a *actions) seen(t *network.Table, g network.Group) (id int32, forwards, known bool) {
	one, at, open := chosen(t, g)
	if one == 0 && !open {
		return 0, false, true
	}
	if one != 1 || !a.plain || t.Contradictory() {
		return 0, true, false
	}
	i, _ := t.Routes().Used(at)
	attr := t.Routes().Attributes(i)
	switch {
	case attr.Special != route.None:
	case len(attr.NextHops) == 1 && !attr.NextHops[0].Inactive && !attr.NextHops[0].Backup:
		id, known = a.byHop[oneHop{attr.Protocol, attr.NextHops[0]}]
	default:
		id, known = a.byText[forwardingText(attr)]
	}
	return id, true, known
}

// oneHop is all that forwarding by one next hop depends on.
type oneHop struct {
	protocol route.Protocol
	hop      route.NextHop
}

func (a *actions) plainRoute(attr *route.Attributes) int32 {
	if len(attr.NextHops) != 1 || attr.NextHops[0].Inactive || attr.NextHops[0].Backup {
		return a.number(forwardingText(attr), onGround(attr))
	}
	k := oneHop{attr.Protocol, attr.NextHops[0]}
	n, ok := a.byHop[k]
	if !ok {
		n = a.number(forwardingText(attr), onGround(attr))
		a.byHop[k] = n
	}
	return n
}

// slow numbers what is not one plain route. What ends at the device is a decision of its own for each prefix.
func (a *actions) slow(g network.Group) (int32, bool) {
	m := selection.At(a.table, g)
	if !m.Found() {
		return 0, false
	}
	text, own, addressFacts := "", m.Refused || m.Contradiction != nil, false
	for _, r := range m.Routes {
		text += forwardingText(r.Attributes) + "|"
		addressFacts = addressFacts || onGround(r.Attributes) || r.Special == route.Receive
		own = own || r.Special != route.None
	}
	if own {
		text += m.Prefix.String()
	}
	return a.number(text, addressFacts), true
}

func (a *actions) number(text string, addressFacts bool) int32 {
	n, ok := a.byText[text]
	if !ok {
		n = int32(len(a.addressFacts))
		a.byText[text] = n
		a.addressFacts = append(a.addressFacts, addressFacts)
	}
	return n
}

// onGround reports whether a next hop is the destination itself.
func onGround(a *route.Attributes) bool {
	for _, h := range a.Forwarding() {
		if !h.Address.IsValid() {
			return true
		}
	}
	return a.Protocol == route.Direct
}

// forwardingText is all of a route's attributes that forwarding depends on.
func forwardingText(a *route.Attributes) string {
	b := strconv.AppendInt(nil, int64(a.Protocol), 10)
	b = append(b, ' ')
	b = strconv.AppendInt(b, int64(a.Special), 10)
	for _, h := range a.Forwarding() {
		b = append(b, ' ')
		if h.Address.IsValid() {
			b = h.Address.AppendTo(b)
		}
		b = append(b, '%')
		b = append(b, h.Interface...)
		b = append(b, '/')
		b = append(b, h.Table...)
		for _, flag := range []bool{h.OnLink, h.Down, h.Resolves, h.Encapsulated} {
			b = strconv.AppendBool(b, flag)
		}
	}
	return string(b)
}
