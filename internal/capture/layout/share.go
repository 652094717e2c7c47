package layout

import (
	"encoding/binary"
	"fmt"
	"net/netip"
	"slices"
	"strconv"

	"zarvek/internal/core/route"
)

// sharer gives the routes of one table with equal attributes one copy of them.
type sharer struct {
	single map[single]route.AttrID
	many   map[string]route.AttrID
	last   single
	lastID route.AttrID
}

// single is the whole of the attributes of a route with at most one next hop.
type single struct {
	protocol           route.Protocol
	special            route.Special
	subtype            string
	preference, metric route.Number
	address            netip.Addr
	ifname, table      string
	weight             uint32
	flags              uint8
	bgp                route.BGPPath
}

func (s *sharer) id(l *route.List, a *route.Attributes) route.AttrID {
	k := single{
		protocol:   a.Protocol,
		special:    a.Special,
		subtype:    a.Subtype,
		preference: a.Preference,
		metric:     a.Metric,
		bgp:        a.BGP,
	}
	if len(a.NextHops) > 0 {
		h := &a.NextHops[0]
		k.address, k.ifname, k.table, k.weight, k.flags = h.Address, h.Interface, h.Table, h.Weight, flags(h)
	}
	if len(a.NextHops) > 1 {
		return s.severalID(l, a, k)
	}
	if s.single == nil {
		s.single = map[single]route.AttrID{}
	} else if k == s.last {
		return s.lastID
	}
	id, ok := s.single[k]
	if !ok {
		id = l.Share(clone(a))
		s.single[k] = id
	}
	s.last, s.lastID = k, id
	return id
}

func (s *sharer) severalID(l *route.List, a *route.Attributes, k single) route.AttrID {
	key := append([]byte(k.subtype), 0, byte(k.protocol), byte(k.special))
	for _, n := range [...]route.Number{k.preference, k.metric} {
		key = strconv.AppendBool(key, n.Known)
		key = binary.AppendUvarint(key, n.Value)
	}
	if k.bgp != (route.BGPPath{}) {
		key = fmt.Appendf(key, "%v", k.bgp)
	}
	for i := range a.NextHops {
		h := &a.NextHops[i]
		key = append(append(h.Address.AppendTo(append(key, 0)), 0), h.Interface...)
		key = append(append(append(key, 0), h.Table...), 0, flags(h))
		key = binary.AppendUvarint(key, uint64(h.Weight))
	}
	id, ok := s.many[string(key)]
	if !ok {
		if s.many == nil {
			s.many = map[string]route.AttrID{}
		}
		id = l.Share(clone(a))
		s.many[string(key)] = id
	}
	return id
}

func clone(a *route.Attributes) *route.Attributes {
	c := *a
	c.NextHops = slices.Clone(a.NextHops)
	return &c
}

func flags(h *route.NextHop) uint8 {
	f := uint8(0)
	for i, on := range [...]bool{h.Recursive, h.Resolves, h.Inactive, h.Backup, h.OnLink, h.Installed, h.Down,
		h.Encapsulated} {
		if on {
			f |= 1 << i
		}
	}
	return f
}
