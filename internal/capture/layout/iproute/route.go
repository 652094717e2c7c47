package iproute

import (
	"bytes"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// tableName maps the kernel's names: main and local are the default table, of which local is looked up first.
func tableName(w word) string {
	switch w {
	case "", "main", "254", "local", "255":
		return "default"
	case "default":
		return "253"
	}
	return string(w)
}

var types = map[word]route.Special{
	"": route.None, "unicast": route.None, "local": route.Receive, "anycast": route.Receive,
	"broadcast": route.Broadcast,
	"multicast": route.Multicast, "blackhole": route.Blackhole, "unreachable": route.Unreachable,
	"prohibit": route.Prohibit, "throw": route.Throw,
}

// protocols maps the kernel's names and numbers of who installed a route (rtnetlink, RTPROT_*).
var protocols = map[word]route.Protocol{
	"kernel": route.Kernel, "2": route.Kernel, "boot": route.Static, "3": route.Static, "static": route.Static,
	"4":    route.Static,
	"ospf": route.OSPF, "188": route.OSPF, "rip": route.RIP, "189": route.RIP, "ripng": route.RIPng, "bgp": route.BGP,
	"186": route.BGP, "isis": route.ISIS, "187": route.ISIS, "eigrp": route.EIGRP, "192": route.EIGRP,
	"dhcp": route.DHCP,
	"16":   route.DHCP, "babel": route.Babel, "42": route.Babel,
}

// errSome: a packet is not known to be one of those that such a route is for, nor that it is none.
var errSome = errors.New("a route for some packets only, by their source or type of service")

// route makes a route of one object. Where neither the destination nor a next hop shows the family, the route waits for
// one that does.
func (r *reader) route(o *object) error {
	special, ok := types[o.Type]
	if !ok {
		return fmt.Errorf("%w: route type %q", layout.ErrNotARoute, o.Type)
	}
	a := &layout.Attributes{Attributes: route.Attributes{Special: special, Subtype: subtypeOf(o.Protocol)}}
	if o.Metric != nil {
		a.Metric = route.N(*o.Metric)
	}
	if err := r.nextHops(o, a); err != nil {
		return err
	}
	prefix, fam, err := r.destination(o, a)
	if err != nil {
		return err
	}
	if o.asked || o.UID != nil || o.Cache != nil {
		if !o.narrow() { // nothing is known of other sources by it
			r.answer(o, a, prefix)
		}
		return nil
	}
	if o.narrow() || o.serves() {
		return errSome
	}
	if fam == 0 {
		r.waiting = append(r.waiting, *o)
		return nil
	}
	r.family = fam
	r.settleWaiting()
	r.keep(o, a, prefix)
	return nil
}

// answer keeps what the kernel said of one address.
func (r *reader) answer(o *object, a *layout.Attributes, prefix netip.Prefix) {
	x := network.Answer{Table: tableName(o.Table), Address: prefix.Addr(), Special: a.Special,
		Mark: layout.Mark(o.lo, o.hi)}
	if len(a.NextHops) > 0 {
		x.NextHop = a.NextHops[0]
	}
	if prefix.IsSingleIP() {
		r.Facts.Answers = append(r.Facts.Answers, x)
	}
}

// byRule marks the tables beside the main one: nothing in a listing of routes tells that one is a VRF's.
func (r *reader) byRule() {
	for i := range r.Facts.Tables {
		r.Facts.Tables[i].ByRule = r.Facts.Tables[i].Name != "default"
	}
}

// keep adds a route to its table. The preferred source of an attached network is an own address.
func (r *reader) keep(o *object, a *layout.Attributes, prefix netip.Prefix) {
	fam := route.FamilyOf(prefix.Addr())
	a.Protocol = protocolOf(o, a, fam)
	state := route.State(0)
	if special := a.Special; special == route.None && allInactive(a.NextHops) {
		state = route.Unusable
	}
	r.printedAnew(o, a, prefix)
	room := r.Room(r.text[o.lo:])
	if room > 0 && r.text[o.lo] == '{' {
		room = bytes.Count(r.text[o.lo:], []byte(dst))
	}
	r.shared = r.Add(
		tableName(o.Table),
		network.ForwardingTable,
		a.Route(prefix, state, layout.Mark(o.lo, o.hi)),
		room,
	)
	r.plain = state == 0 && o.PrefSrc == "" && o.Dst != "default" &&
		(a.Special != route.None || !layout.Nowhere(a.NextHops))
	src, ok := layout.Addr([]byte(o.PrefSrc))
	if ok && o.Dev != "" && a.Protocol == route.Direct && prefix.Contains(src) && !src.IsLoopback() {
		r.Facts.Addresses = append(r.Facts.Addresses, network.Address{
			Prefix: netip.PrefixFrom(src, prefix.Bits()), Interface: o.Dev, Mark: layout.Mark(o.lo, o.hi)})
	}
}

// onlyOne names what a kernel has once in a table: of IPv4, a prefix with a metric and a type of service.
type onlyOne struct {
	table, tos string
	prefix     netip.Prefix
	metric     route.Number
}

// mostOnes bounds how many of them are remembered; a listing that begins anew repeats one early.
const mostOnes = 1 << 12

// printedAnew notes where a second listing begins, of another moment or even another kernel: the same prefix comes once
// more by another gateway, which one kernel would show as one route. Attached networks may stand there once an
// interface.
func (r *reader) printedAnew(o *object, a *layout.Attributes, prefix netip.Prefix) {
	if !prefix.Addr().Is4() || len(a.NextHops) == 0 || !a.NextHops[0].Address.IsValid() || len(r.ones) >= mostOnes {
		return
	}
	k, hop := onlyOne{tableName(o.Table), string(o.TOS), prefix, a.Metric}, a.NextHops[0]
	if was, ok := r.ones[k]; ok && (was.Address != hop.Address || was.Interface != hop.Interface) {
		r.Again()
		r.ones = nil
		r.seen.Forget()
	}
	if r.ones == nil {
		r.ones = map[onlyOne]route.NextHop{}
	}
	r.ones[k] = hop
}

// destination reads the prefix. The family 0 means a default route that shows no sign of its own.
func (r *reader) destination(o *object, a *layout.Attributes) (netip.Prefix, route.Family, error) {
	if o.Dst != "default" {
		p, err := layout.Prefix([]byte(o.Dst), true)
		return p, route.FamilyOf(p.Addr()), err
	}
	fam := route.Family(0)
	switch {
	case o.Pref != "":
		fam = route.IPv6
	case o.Via != nil, o.Scope != "":
		fam = route.IPv4 // RFC 5549 next hops belong to IPv4 routes; the kernel prints a scope for IPv4 only
	case len(a.NextHops) > 0 && a.NextHops[0].Address.IsValid():
		fam = route.FamilyOf(a.NextHops[0].Address)
	default:
		if src, ok := layout.Addr([]byte(o.PrefSrc)); ok {
			fam = route.FamilyOf(src)
		} else {
			fam = r.family
		}
	}
	return fam.Default(), fam, nil
}

// settleWaiting gives default routes without a sign of their family that of the route before or behind them.
func (r *reader) settleWaiting() {
	for i := range r.waiting {
		o := &r.waiting[i]
		if r.family == 0 {
			r.Span(o.lo, o.hi, layout.ErrFamily)
			continue
		}
		a := &layout.Attributes{Attributes: route.Attributes{Special: types[o.Type], Subtype: subtypeOf(o.Protocol)}}
		if o.Metric != nil {
			a.Metric = route.N(*o.Metric)
		}
		if r.nextHops(o, a) == nil {
			r.keep(o, a, r.family.Default())
		}
	}
	r.waiting = nil
}

// nextHops takes the ways of a route; flags of the whole route hold for each.
func (r *reader) nextHops(o *object, a *layout.Attributes) error {
	hops := o.NextHops
	if len(hops) == 0 && (o.Gateway != "" || o.Dev != "" || o.Via != nil) {
		hops = []hop{{Gateway: o.Gateway, Via: o.Via, Dev: o.Dev, Encap: o.Encap}}
	}
	for _, h := range hops {
		n := route.NextHop{Interface: h.Dev, Weight: h.Weight, Encapsulated: h.Encap != ""}
		gw := string(h.Gateway)
		if h.Via != nil {
			gw = h.Via.Host
		}
		if gw != "" {
			var ok bool
			if n.Address, ok = layout.Addr([]byte(gw)); !ok {
				return fmt.Errorf("%w: %q", layout.ErrAddress, gw)
			}
		}
		for _, f := range append(slices.Clone(h.Flags), o.Flags...) {
			switch f {
			case "rt_offload_failed", "unresolved":
				return layout.InDoubt(f)
			case "dead":
				n.Inactive = true
			case "linkdown":
				n.Down = true
			case "onlink":
				n.OnLink = true
			}
		}
		a.NextHops = append(a.NextHops, n)
	}
	if a.Special == route.Blackhole || a.Special == route.Unreachable || a.Special == route.Prohibit {
		a.NextHops = nil // IPv6 prints the loopback interface, which means nothing here
	}
	return nil
}

func allInactive(hops []route.NextHop) bool {
	return len(hops) > 0 && !slices.ContainsFunc(hops, func(h route.NextHop) bool { return !h.Inactive })
}

// protocolOf tells attached networks and own addresses from what else the kernel itself installs.
func protocolOf(o *object, a *layout.Attributes, fam route.Family) route.Protocol {
	p := protocols[o.Protocol]
	switch {
	case a.Special == route.Receive:
		return route.Local
	case p == route.Kernel && len(a.NextHops) == 1 && !a.NextHops[0].Address.IsValid() && a.Special == route.None:
		return route.Direct
	case p == route.RIP && fam == route.IPv6:
		return route.RIPng
	case o.Protocol == "" && len(a.NextHops) == 1 && !a.NextHops[0].Address.IsValid() && o.Scope == "link":
		return route.Static
	case o.Protocol == "":
		return route.Static // what an administrator adds without naming a protocol is shown without one
	}
	return p
}

// subtypeOf keeps the kernel's word where the protocol alone would hide it.
func subtypeOf(w word) string {
	switch w {
	case "ra", "9", "redirect", "1", "boot", "3", "zebra", "11", "bird", "12", "xorp", "keepalived", "18":
		return "kernel protocol " + strings.TrimSpace(string(w))
	}
	return ""
}
