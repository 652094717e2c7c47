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
	recent []recent // by a few of their bytes; made for tables that differ from row to row
	differ int      // how often a row did
}

// A recent is attributes that a row had a while ago: a look at a few bytes and one comparison find them, where the map
// would have all of them hashed.
type recent struct {
	single
	id  route.AttrID
	set bool
}

// Of tables with so many rows that differ from the one before, so many attributes are kept at hand.
const (
	manyDiffer = 512
	mostRecent = 512 // a power of two
)

// single is the attributes of a route with at most one next hop.
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

// id numbers attributes so that equal ones are kept once. Nearly all rows of a table have those of the row before.
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
		s.single = map[single]route.AttrID{}
	} else if k == s.last {
		return s.lastID
	}
	if s.differ++; s.differ == manyDiffer {
		s.recent = make([]recent, mostRecent)
	}
	var slot *recent
	if s.recent != nil {
		if slot = &s.recent[k.place()]; slot.set && slot.single == k {
			return slot.id
		}
	}
	id, ok := s.single[k]
	if !ok {
		id = l.Share(kept(a))
		s.single[k] = id
	}
	if slot != nil {
		*slot = recent{k, id, true}
	} else {
		s.last, s.lastID = k, id
	}
	return id
}

// place is which of the recent ones these attributes may be.
func (k *single) place() int {
	b := k.address.As16()
	n := binary.LittleEndian.Uint64(b[8:]) ^ uint64(k.bgp.NeighbourAS)<<16 ^ k.bgp.LocalPreference.Value
	if len(k.ifname) > 0 {
		n += uint64(k.ifname[len(k.ifname)-1]) << 24
	}
	return int(n * 0x9e3779b97f4a7c15 >> 32 % mostRecent) // multiplicative hashing: the high bits depend on all
}

// kept copies attributes to where they stay.
func kept(a *route.Attributes) *route.Attributes {
	c := *a
	c.NextHops = slices.Clone(a.NextHops)
	return &c
}

// severalID numbers attributes with several next hops by all that they say.
func (s *sharer) severalID(l *route.List, a *route.Attributes) route.AttrID {
	key := append([]byte(a.Subtype), 0, byte(a.Protocol), byte(a.Special))
	key = strconv.AppendBool(key, a.Preference.Known)
	key = binary.AppendUvarint(key, a.Preference.Value)
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
		id = l.Share(kept(a))
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
