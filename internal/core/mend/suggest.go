package mend

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/network"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/route"
)

// suggestions are changes for a finding that no trip shows: what its kind is about is changed itself.
func (s *search) suggestions() [][]rehearse.Order {
	f := s.result.Wrong.Finding
	if f == nil {
		return nil
	}
	var out [][]rehearse.Order
	switch f.Kind {
	case audit.Swallowed:
		if f.Pairs == 0 {
			for _, p := range f.Missing {
				out = append(out, []rehearse.Order{removal(f.Device, f.Table, p, netip.Addr{})})
			}
			if len(out) > 1 {
				out = [][]rehearse.Order{slices.Concat(out...)}
			}
		}
	case audit.Loop, audit.DefaultLoop:
		if f.Pairs == 0 {
			out = s.outOfLoop(f)
		}
	case audit.StaticUnusable:
		if x, ok := f.Detail.(audit.StaticDetail); ok && !x.Absent() {
			out = s.otherHops(f, x.Route, "")
		}
	case audit.InterfaceOnly:
		x, _ := f.Detail.(audit.InterfaceOnlyDetail)
		out = s.namedHops(f, x.Interface)
	case audit.PreferenceTooGood, audit.BackupCannotFloat:
		out = s.preferences(f)
	}
	return out
}

// outOfLoop discards at one of the devices what goes round unused, or takes the route out that leads round.
func (s *search) outOfLoop(f *audit.Finding) [][]rehearse.Order {
	var out [][]rehearse.Order
	discard := func(device, table string, p netip.Prefix) rehearse.Order {
		return rehearse.Order{Verb: rehearse.Add, Device: device, Table: named(table),
			Static: network.Static{Table: named(table), Prefix: p, Special: route.Blackhole}}
	}
	for _, h := range f.Loop {
		if h.Prefix.IsValid() && h.Prefix.Bits() > 0 && byHand(h.Route) {
			out = append(out, []rehearse.Order{removal(h.Device, h.Table, h.Prefix, netip.Addr{})})
		}
	}
	for i, h := range f.Loop {
		if !h.Prefix.IsValid() || h.Prefix.Bits() == 0 {
			continue
		}
		next := f.Loop[(i+1)%len(f.Loop)]
		if next.Prefix == h.Prefix && byHand(next.Route) {
			out = append(out, written([]rehearse.Order{removal(next.Device, next.Table, h.Prefix, netip.Addr{}),
				discard(next.Device, next.Table, h.Prefix)}))
		} else if next.Prefix != h.Prefix {
			out = append(out, written([]rehearse.Order{discard(next.Device, next.Table, h.Prefix)}))
		}
	}
	return out
}

// otherHops gives a static route each neighbour for its next hop that leads its addresses on; ifname "" allows any
// interface.
func (s *search) otherHops(f *audit.Finding, r route.Route, ifname string) [][]rehearse.Order {
	d := s.walker.Topology().Network.Device(f.Device)
	dst := r.Prefix.Addr()
	if !r.Prefix.IsSingleIP() {
		dst = dst.Next()
	}
	var out [][]rehearse.Order
	for _, l := range s.neighbours(s.walker, d, f.Table, dst) {
		if ifname != "" && l.ifname != ifname || !leadsOn(s.walker, l.to, dst, d.Name) {
			continue
		}
		add := rehearse.Order{Verb: rehearse.Add, Device: d.Name, Table: named(f.Table), Static: network.Static{
			Table: named(f.Table), Prefix: r.Prefix, NextHop: route.NextHop{Address: l.hop}, Preference: r.Preference,
			Metric: r.Metric}}
		hop := netip.Addr{}
		if len(r.NextHops) == 1 {
			hop = r.NextHops[0].Address
		}
		out = append(out, written([]rehearse.Order{removal(d.Name, f.Table, r.Prefix, hop), add}))
	}
	return out
}

// namedHops gives routes that name an interface alone a next hop there: one device for all of them.
func (s *search) namedHops(f *audit.Finding, ifname string) [][]rehearse.Order {
	t := s.walker.Topology().Network.Device(f.Device).Table(f.Table, f.Family)
	var all []rehearse.Order
	for _, p := range f.Missing {
		i := slices.IndexFunc(t.RoutesTo(p), func(r route.Route) bool { return byHand(r) && r.Is(route.Installed) })
		if i < 0 {
			return nil
		}
		some := s.otherHops(f, t.RoutesTo(p)[i], ifname)
		if len(some) == 0 {
			return nil
		}
		all = append(all, some[0]...)
	}
	return [][]rehearse.Order{all}
}

// preferences makes a route wait behind the one that it should not replace.
func (s *search) preferences(f *audit.Finding) [][]rehearse.Order {
	x, ok := f.Detail.(audit.BackupDetail)
	if !ok || x.Route.Attributes == nil || !byHand(x.Route) || len(f.Repair) == 0 {
		return nil
	}
	t := s.walker.Topology().Network.Device(f.Device).Table(f.Table, f.Family)
	r := f.Repair[0]
	n := uint64(0)
	switch {
	case t == nil || t.HighestWins:
		return nil
	case r.Kind == audit.RaisePreference:
		if n = (r.Preference/10 + 1) * 10; n >= 255 {
			return nil
		}
	case r.Kind == audit.LowerPreference:
		n = r.Preference - 5
	default:
		return nil
	}
	var out []rehearse.Order
	hop := netip.Addr{}
	if len(x.Route.NextHops) == 1 {
		hop = x.Route.NextHops[0].Address
	}
	out = append(out, rehearse.Order{Verb: rehearse.Remove, Device: f.Device, Table: named(f.Table),
		Prefix: x.Route.Prefix, NextHop: hop})
	for _, h := range x.Route.NextHops {
		to := route.NextHop{Address: h.Address}
		if !h.Address.IsValid() {
			to.Interface = h.Interface
		}
		out = append(out, rehearse.Order{Verb: rehearse.Add, Device: f.Device, Table: named(f.Table),
			Static: network.Static{
				Table: named(f.Table), Prefix: x.Route.Prefix, NextHop: to, Preference: route.N(n),
				Metric: x.Route.Metric}})
	}
	return [][]rehearse.Order{written(out)}
}
