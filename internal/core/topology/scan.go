package topology

import (
	"maps"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// scan is what the topology needs of one device, so that an overlay does not read a large table again.
type scan struct {
	device *network.Device
	tables map[*network.Table]*tableScan // by captured table
	direct []Attachment                  // without device; in the order of tables and rows
	hops   []hop                         // next hops in use, each once
	named  map[string]bool               // interfaces that routes of some table name
}

// tableScan is the same of one captured table. Uses counts how many installed routes name a next hop, so that a route
// which an overlay takes away takes its next hop along only where it was the last one.
type tableScan struct {
	direct []direct
	uses   map[hop]int
	named  map[string]bool // interfaces that routes name, also those of which an overlay takes all away
}

type direct struct {
	prefix netip.Prefix
	ifname string
	mark   route.Mark
}

type hop struct {
	ifname  string
	address netip.Addr
}

// scanDevice looks a device up and down; was is what was found of the device in the snapshot below, nil for nothing.
func scanDevice(d *network.Device, was *scan) *scan {
	s := &scan{device: d, tables: map[*network.Table]*tableScan{}, named: map[string]bool{}}
	seen := map[hop]bool{}
	for _, t := range d.Tables().All() {
		below := t.Captured()
		one := (*tableScan)(nil)
		if was != nil {
			one = was.tables[below]
		}
		if one == nil {
			one = scanTable(below)
		}
		s.tables[below] = one
		one = one.patched(t)
		for _, x := range one.direct {
			s.direct = append(s.direct, Attachment{Table: t.Name, Interface: x.ifname, Prefix: x.prefix, Mark: x.mark,
				Down: d.Interface(x.ifname).State == network.LinkDown})
		}
		maps.Copy(s.named, one.named)
		for h, n := range one.uses {
			if n > 0 && !seen[h] {
				seen[h] = true
				s.hops = append(s.hops, h)
			}
		}
	}
	slices.SortFunc(s.hops, compareHops)
	return s
}

// scanTable finds what a table says of links: attached networks, and which next hops its routes use, counted.
func scanTable(t *network.Table) *tableScan {
	s := &tableScan{uses: map[hop]int{}, named: map[string]bool{}}
	rows := t.Routes()
	for id := range rows.Shared() {
		s.name(rows.Attributes(route.AttrID(id)))
	}
	census := rows.Census()
	for _, i := range census.Own {
		if r := rows.At(int(i)); r.Is(route.Installed) && attaches(r.Attributes) {
			s.addDirect(r)
		}
	}
	for id, n := range census.Installed {
		if a := rows.Attributes(route.AttrID(id)); n > 0 && !attaches(a) {
			s.use(a, int(n))
		}
	}
	return s
}

// attaches reports whether routes with these attributes are attached networks.
func attaches(a *route.Attributes) bool { return a.Special == route.None && a.Protocol == route.Direct }

// namesMore reports whether attributes name an interface that was not named yet.
func (s *tableScan) namesMore(a *route.Attributes) bool {
	return slices.ContainsFunc(a.NextHops, func(h route.NextHop) bool { return !s.named[h.Interface] })
}

func (s *tableScan) name(a *route.Attributes) {
	for _, h := range a.NextHops {
		if !s.named[h.Interface] {
			s.named[h.Interface] = true
		}
	}
}

func (s *tableScan) addDirect(r route.Route) {
	for _, h := range r.NextHops {
		if h.Interface != "" && !r.Prefix.IsSingleIP() && !private(r.Prefix.Addr()) {
			s.direct = append(s.direct, direct{r.Prefix, h.Interface, r.Mark})
		}
	}
}

// use counts n more routes, or fewer, with these attributes.
func (s *tableScan) use(a *route.Attributes, n int) {
	if a.Special != route.None {
		return
	}
	for i, h := range a.NextHops {
		again := slices.ContainsFunc(
			a.NextHops[:i],
			func(o route.NextHop) bool { return o.Address == h.Address && o.Interface == h.Interface },
		)
		if h.Address.IsValid() && !again {
			s.uses[hop{h.Interface, h.Address}] += n
		}
	}
}

// patched is the scan of a table whose captured table has been scanned.
func (s *tableScan) patched(t *network.Table) *tableScan {
	if t.Captured() == t {
		return s
	}
	out := &tableScan{direct: s.direct, uses: s.uses, named: s.named}
	copied, moved, renamed := false, false, false
	for was, is := range t.Replaced() {
		for _, r := range is {
			if !out.namesMore(r.Attributes) {
				continue
			}
			if !renamed {
				out.named, renamed = maps.Clone(s.named), true
			}
			out.name(r.Attributes)
		}
		for k, routes := range [][]route.Route{was, is} {
			for _, r := range routes {
				switch {
				case !r.Is(route.Installed) || r.Special != route.None:
				case r.Protocol == route.Direct:
					if !moved {
						out.direct, moved = slices.Clone(s.direct), true
					}
					if k == 1 {
						out.addDirect(r)
						break
					}
					out.direct = slices.DeleteFunc(out.direct, func(x direct) bool { return x.prefix == r.Prefix })
				default:
					if !copied {
						out.uses, copied = maps.Clone(s.uses), true
					}
					out.use(r.Attributes, 2*k-1)
				}
			}
		}
	}
	if moved {
		slices.SortStableFunc(out.direct, func(a, b direct) int { return a.prefix.Compare(b.prefix) })
	}
	return out
}

// attachesLike reports whether nothing that the layout is made of differs between two scans of one device.
func (s *scan) attachesLike(o *scan) bool {
	return slices.Equal(s.hops, o.hops) && s.attachesLikeButHops(o)
}

// attachesLikeButHops is attachesLike, whatever next hops are in use.
func (s *scan) attachesLikeButHops(o *scan) bool {
	a, b := s.device, o.device
	return a.Addresses().Same(b.Addresses()) && a.Interfaces().Same(b.Interfaces()) &&
		a.Virtuals().Same(b.Virtuals()) && slices.Equal(s.direct, o.direct) && maps.Equal(s.named, o.named) &&
		sameTables(a, b)
}
