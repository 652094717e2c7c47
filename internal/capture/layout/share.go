package layout

import (
	"encoding/binary"
	"fmt"
	"net/netip"
	"slices"
	"strconv"

	"zarvek/internal/core/route"
)

// sharer gives the routes of one table with equal attributes one copy of them, and those that differ by their metric
// alone one copy of the rest: in many tables each route has a metric of its own.
type sharer struct {
	single   map[single]uint32 // the numbers of what was seen
	metrics  map[measured]route.AttrID
	many     map[string]route.AttrID
	hops     [][]route.NextHop // by number
	last     single
	lastNo   uint32
	blocks   []route.Attributes // room for the next ones
	lastTold measured
	lastID   route.AttrID
}

// single is the attributes of a route with at most one next hop, but for the metric.
type single struct {
	protocol      route.Protocol
	special       route.Special
	flags         uint8
	some          bool // there is a next hop
	weight        uint32
	subtype       string
	preference    route.Number
	address       netip.Addr
	ifname, table string
	bgp           route.BGPPath
}

// measured is the whole of them.
type measured struct {
	single uint32
	metric route.Number
}

// blockSize is for how many attributes room is made at once.
const blockSize = 256

// id numbers attributes so that equal ones are kept once. Nearly all rows of a table differ from the one before by
// nothing or by the metric alone, which is asked first.
func (s *sharer) id(l *route.List, a *route.Attributes) route.AttrID {
	if len(a.NextHops) > 1 {
		return s.severalID(l, a)
	}
	k := single{protocol: a.Protocol, special: a.Special, subtype: a.Subtype, preference: a.Preference, bgp: a.BGP}
	if len(a.NextHops) > 0 {
		h := &a.NextHops[0]
		k.some, k.address, k.ifname, k.table = true, h.Address, h.Interface, h.Table
		k.weight, k.flags = h.Weight, flags(h)
	}
	if s.single == nil {
		s.single, s.metrics = map[single]uint32{}, map[measured]route.AttrID{}
	}
	if len(s.hops) == 0 || k != s.last {
		no, ok := s.single[k]
		if !ok {
			no = uint32(len(s.hops))
			s.single[k], s.hops = no, append(s.hops, slices.Clone(a.NextHops))
		}
		s.last, s.lastNo = k, no
	} else if s.lastTold == (measured{s.lastNo, a.Metric}) {
		return s.lastID
	}
	m := measured{s.lastNo, a.Metric}
	id, ok := s.metrics[m]
	if !ok {
		id = l.Share(s.keep(a, s.hops[s.lastNo]))
		s.metrics[m] = id
	}
	s.lastTold, s.lastID = m, id
	return id
}

// keep copies attributes to where they stay.
func (s *sharer) keep(a *route.Attributes, hops []route.NextHop) *route.Attributes {
	if len(s.blocks) == cap(s.blocks) {
		s.blocks = make([]route.Attributes, 0, min(max(2*cap(s.blocks), 4), blockSize))
	}
	s.blocks = append(s.blocks, *a)
	c := &s.blocks[len(s.blocks)-1]
	c.NextHops = hops
	return c
}

// severalID numbers attributes with several next hops by all that they say.
func (s *sharer) severalID(l *route.List, a *route.Attributes) route.AttrID {
	key := append([]byte(a.Subtype), 0, byte(a.Protocol), byte(a.Special))
	for _, n := range [...]route.Number{a.Preference, a.Metric} {
		key = strconv.AppendBool(key, n.Known)
		key = binary.AppendUvarint(key, n.Value)
	}
	if a.BGP != (route.BGPPath{}) {
		key = fmt.Appendf(key, "%v", a.BGP)
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
		id = l.Share(s.keep(a, slices.Clone(a.NextHops)))
		s.many[string(key)] = id
	}
	return id
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
