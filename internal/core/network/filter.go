package network

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// A Filter says which routes of a device are asked for. All conditions must hold; the zero Filter asks for every route
// that is used and says where packets go.
type Filter struct {
	Family    route.Family     // 0: both
	Table     string           // "": every table
	Protocols []route.Protocol // none: all
	Within    netip.Prefix     // the route lies in it; invalid: anywhere
	Covering  netip.Prefix     // the route contains all of it; invalid: any
	NextHop   netip.Addr       // one of its next hops; invalid: any
	Interface string           // one of its interfaces; "": any
	Special   bool             // only routes that discard or refuse
	Kept      bool             // also the device's own housekeeping
	All       bool             // that, and what is not used
}

// Narrow reports whether the filter leaves out anything beyond what is not used.
func (f Filter) Narrow() bool {
	return f.Table != "" || len(f.Protocols) > 0 || f.Within.IsValid() || f.Covering.IsValid() || f.NextHop.IsValid() ||
		f.Interface != "" ||
		f.Special
}

// Tables returns the tables of d that the filter asks for.
func (f Filter) Tables(d *Device) []*Table {
	var out []*Table
	for _, t := range d.tables {
		if (f.Family == 0 || t.Family == f.Family) && (f.Table == "" || t.Name == f.Table) {
			out = append(out, t)
		}
	}
	return out
}

// Shows reports whether the filter asks for a route.
func (f Filter) Shows(r route.Route) bool {
	if !f.All && (!Used(r) || !f.Kept && Housekeeping(r)) {
		return false
	}
	switch {
	case len(f.Protocols) > 0 && !slices.Contains(f.Protocols, r.Protocol),
		f.Within.IsValid() && !(f.Within.Bits() <= r.Prefix.Bits() && f.Within.Contains(r.Prefix.Addr())),
		f.Covering.IsValid() && !(r.Prefix.Bits() <= f.Covering.Bits() && r.Prefix.Contains(f.Covering.Addr())),
		f.Special && r.Special != route.Blackhole && r.Special != route.Unreachable && r.Special != route.Prohibit:
		return false
	}
	if !f.NextHop.IsValid() && f.Interface == "" {
		return true
	}
	return slices.ContainsFunc(r.NextHops, func(h route.NextHop) bool {
		return (!f.NextHop.IsValid() || h.Address == f.NextHop) && (f.Interface == "" || h.Interface == f.Interface)
	})
}

// Used reports whether a route was chosen or forwards.
func Used(r route.Route) bool { return r.State&(route.Active|route.Installed) != 0 }

// Housekeeping tells the routes that every device keeps for links and itself: they say nothing about where packets go.
func Housekeeping(r route.Route) bool {
	a := r.Prefix.Addr()
	return r.Special == route.Broadcast || r.Special == route.Multicast || a.IsLoopback() || a.IsMulticast() ||
		a.IsLinkLocalUnicast()
}

// A Summary is what a table amounts to, of the routes that are used.
type Summary struct {
	Attached     int // networks
	Learned      [route.Aggregate + 1]int
	EqualCost    int         // routes with more than one way
	Discards     int         // routes that discard or refuse
	Default      route.Route // invalid prefix: none
	Short, Long  int         // lengths of the shortest prefix beside the default, and of the longest; -1 without routes
	Unused, Kept int         // candidates that are not used; housekeeping
}

// Used returns how many routes the summary counts.
func (s Summary) Used() int {
	n := s.Attached
	for _, c := range s.Learned {
		n += c
	}
	return n
}

// Summarise counts a table.
func Summarise(t *Table) Summary {
	s := Summary{Short: -1, Long: -1}
	for i := range t.rows.Len() {
		r := t.rows.At(i)
		switch {
		case !Used(r):
			s.Unused++
			continue
		case Housekeeping(r):
			s.Kept++
			continue
		case r.Protocol == route.Direct && !r.Prefix.IsSingleIP():
			s.Attached++
		default:
			s.Learned[r.Protocol]++
		}
		switch {
		case r.Prefix.Bits() == 0:
			s.Default = r
		case s.Short < 0 || r.Prefix.Bits() < s.Short:
			s.Short = r.Prefix.Bits()
		}
		s.Long = max(s.Long, r.Prefix.Bits())
		switch r.Special {
		case route.Blackhole, route.Unreachable, route.Prohibit:
			s.Discards++
		case route.None:
			if len(r.NextHops) > 1 && len(r.Forwarding()) > 1 {
				s.EqualCost++
			}
		}
	}
	return s
}
