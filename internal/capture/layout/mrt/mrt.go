// Package mrt reads routing table dumps of type TABLE_DUMP_V2 (RFC 6396 section 4.3), IPv4 and IPv6 unicast.
//
// A dump holds what each peer announced, not what a device chose: its routes are candidates and nothing else. The
// records are binary, so its "lines" are records, counted from 1.
package mrt

import (
	"encoding/binary"
	"errors"
	"fmt"
	"net/netip"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// Name and About tell what the layout is, for people.
const (
	Name  = "MRT table dump"
	About = "RFC 6396 TABLE_DUMP_V2, also compressed; candidates only"
)

const (
	headerLength = 12
	tableDumpV2  = 13

	peerIndexTable = 1
	ribIPv4Unicast = 2
	ribIPv6Unicast = 4
	addPathOffset  = 6 // RFC 8050: the same subtypes with a path identifier, 8 and 10
)

var (
	errShort  = errors.New("a record that is shorter than it says")
	errPrefix = errors.New("a prefix that does not fit its family")
	errPeer   = errors.New("a peer that the index table does not have")
)

// Is reports whether b begins as such a dump does.
func Is(b []byte) bool {
	return len(b) >= headerLength && binary.BigEndian.Uint16(b[4:]) == tableDumpV2 &&
		binary.BigEndian.Uint16(b[6:]) >= 1 &&
		binary.BigEndian.Uint16(b[6:]) <= 12 &&
		binary.BigEndian.Uint32(b[8:]) < 1<<26
}

// Records returns where each record begins.
func Records(b []byte) []uint32 {
	var out []uint32
	for at := 0; at < len(b); {
		out = append(out, uint32(at))
		if len(b)-at < headerLength {
			break
		}
		n := int64(headerLength) + int64(binary.BigEndian.Uint32(b[at+8:]))
		if n > int64(len(b)-at) {
			break
		}
		at += int(n)
	}
	return out
}

type reader struct {
	layout.Collector
	peers []netip.Addr
}

// Read reads a dump; its records are accounted for as lines are elsewhere.
func Read(b []byte) layout.Reading {
	r := reader{}
	r.Layout = Name
	starts := Records(b)
	for i, lo := range starts {
		hi := len(b)
		if i+1 < len(starts) {
			hi = int(starts[i+1])
		}
		used, err := r.record(b[lo:hi], int(lo), hi)
		switch {
		case err != nil:
			r.LeaveUnread(int(lo), hi, err)
			if i == len(starts)-1 {
				r.CutLast()
			}
		case used:
			r.Collector.Read++
		default:
			r.Pass(int(lo), hi, layout.Other)
		}
	}
	return r.Reading
}

// record reads one record (RFC 6396 section 2); used tells that it is one with routes.
func (r *reader) record(b []byte, lo, hi int) (used bool, err error) {
	if len(b) < headerLength || int64(binary.BigEndian.Uint32(b[8:])) != int64(len(b)-headerLength) {
		return false, fmt.Errorf("%w: %w", layout.ErrCut, errShort)
	}
	if binary.BigEndian.Uint16(b[4:]) != tableDumpV2 {
		return false, nil
	}
	sub := binary.BigEndian.Uint16(b[6:])
	body := cursor{b: b[headerLength:]}
	addPath := sub > addPathOffset
	if addPath {
		sub -= addPathOffset
	}
	switch sub {
	case peerIndexTable:
		return false, r.index(&body)
	case ribIPv4Unicast:
		return true, r.rib(&body, 4, addPath, lo, hi)
	case ribIPv6Unicast:
		return true, r.rib(&body, 16, addPath, lo, hi)
	}
	return false, nil
}

// cursor reads big-endian fields; after the first one that is missing everything is zero and bad is set.
type cursor struct {
	b   []byte
	bad bool
}

func (c *cursor) take(n int) []byte {
	if n < 0 || n > len(c.b) {
		c.bad, c.b = true, nil
		return make([]byte, max(min(n, 64), 0))
	}
	out := c.b[:n]
	c.b = c.b[n:]
	return out
}

func (c *cursor) u8() int { return int(c.take(1)[0]) }

func (c *cursor) u16() int { return int(binary.BigEndian.Uint16(c.take(2))) }

// index reads the peers (RFC 6396 section 4.3.1).
func (r *reader) index(c *cursor) error {
	c.take(4)
	c.take(c.u16())
	n := c.u16()
	r.peers = nil
	for range n {
		kind := c.u8()
		c.take(4)
		size, as := 4, 2
		if kind&1 != 0 {
			size = 16
		}
		if kind&2 != 0 {
			as = 4
		}
		a, _ := netip.AddrFromSlice(c.take(size))
		c.take(as)
		if c.bad {
			return errShort
		}
		r.peers = append(r.peers, a)
	}
	return nil
}

// rib reads the entries of one prefix (RFC 6396 section 4.3.2).
func (r *reader) rib(c *cursor, size int, addPath bool, lo, hi int) error {
	c.take(4)
	bits := c.u8()
	if bits > size*8 {
		return errPrefix
	}
	var full [16]byte
	copy(full[:], c.take((bits+7)/8))
	a, _ := netip.AddrFromSlice(full[:size])
	p := netip.PrefixFrom(a, bits).Masked()
	n := c.u16()
	for range n {
		peer := c.u16()
		c.take(4)
		if addPath {
			c.take(4)
		}
		attrs := cursor{b: c.take(c.u16())}
		if c.bad {
			return errShort
		}
		if peer >= len(r.peers) {
			return errPeer
		}
		at := layout.Attributes{Attributes: route.Attributes{Protocol: route.BGP}}
		hop, err := attributes(&attrs, &at)
		if err != nil {
			return err
		}
		if !hop.IsValid() {
			hop = r.peers[peer]
		}
		at.NextHops = []route.NextHop{{Address: hop}}
		r.Add("default", network.Database, at.Route(p, 0, layout.Mark(lo, hi)), 0)
	}
	if c.bad {
		return errShort
	}
	return nil
}

// Path attributes (RFC 4271 section 4.3, RFC 4760 section 3).
const (
	attrOrigin      = 1
	attrASPath      = 2
	attrNextHop     = 3
	attrMultiExit   = 4
	attrLocalPref   = 5
	attrMPReach     = 14
	extendedLength  = 0x10
	shortReachHop   = 16 // RFC 6396 section 4.3.4: only the next hop is kept of the attribute
	fullReachHeader = 4
)

// attributes reads the attributes of a path (RFC 4271 section 4.3) as far as they decide between paths, and the next
// hop.
func attributes(c *cursor, a *layout.Attributes) (hop netip.Addr, err error) {
	for len(c.b) > 0 {
		flags, kind := c.u8(), c.u8()
		n := 0
		if flags&extendedLength != 0 {
			n = c.u16()
		} else {
			n = c.u8()
		}
		v := c.take(n)
		if c.bad {
			return hop, errShort
		}
		switch {
		case kind == attrNextHop && n == 4:
			hop, _ = netip.AddrFromSlice(v)
		case kind == attrMultiExit && n == 4:
			a.Metric = route.N(uint64(binary.BigEndian.Uint32(v)))
			a.BGP.ByMetric = true
		case kind == attrLocalPref && n == 4:
			a.BGP.LocalPreference = route.N(uint64(binary.BigEndian.Uint32(v)))
		case kind == attrOrigin && n == 1 && v[0] <= 2:
			a.BGP.Origin = route.OriginIGP + route.Origin(v[0])
		case kind == attrASPath:
			asPath(v, &a.BGP)
		case kind == attrMPReach && n > shortReachHop && int(v[0]) >= 16 && int(v[0]) < n:
			hop, _ = netip.AddrFromSlice(v[1:17])
		case kind == attrMPReach && n > fullReachHeader+16 && v[3] >= 16: // some writers keep all of it
			hop, _ = netip.AddrFromSlice(v[4:20])
		}
	}
	return hop, nil
}

// asPath reads the segments of an AS path, of four-byte numbers in this format (RFC 6396 section 4.3.4): a set counts
// as one, the segments of a confederation as none.
func asPath(v []byte, p *route.BGPPath) {
	const set, sequence = 1, 2
	n := uint64(0)
	for len(v) >= 2 {
		kind, count := v[0], int(v[1])
		if len(v) < 2+4*count {
			return
		}
		switch {
		case kind == set && count > 0:
			n++
		case kind == sequence:
			if n == 0 && count > 0 {
				p.NeighbourAS = binary.BigEndian.Uint32(v[2:])
			}
			n += uint64(count)
		}
		v = v[2+4*count:]
	}
	p.Length = route.N(n)
}
