// Package snmp reads what an SNMP walk prints, numeric or by name: the IP forwarding tables (RFC 4292, RFC 2096,
// RFC 1213), addresses and neighbours (RFC 4293) and interfaces (RFC 2863).
//
// A walk is weaker evidence than a table: agents leave routes out and flatten their types. So its routes are marked as
// a walk's, and count only where nothing better was captured.
package snmp

import (
	"bytes"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const name = "SNMP walk"

// Reader is the family's registration.
var Reader = layout.Reader{Structured: true, Name: name, Recognise: recognise, Read: Read,
	About: "walks of the IP forwarding, IP and interface MIBs, numeric or by name",
	Sample: ".1.3.6.1.2.1.4.24.7.1.7.1.4.10.61.16.0.24.3.0.0.2.1.4.0.0.0.0 = INTEGER: 2\n" +
		".1.3.6.1.2.1.4.24.7.1.8.1.4.10.61.16.0.24.3.0.0.2.1.4.0.0.0.0 = INTEGER: 3\n" +
		"IF-MIB::ifName.2 = STRING: hall0\n"}

var (
	errIndex = errors.New("an index that does not fit its table")
	errValue = errors.New("a value that does not fit its column")
	errBroke = errors.New("the walk did not come to its end")

	stringValue, noValue = []byte("STRING: "), []byte("= ")
)

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<14)]) {
		if _, _, _, ok := parseLine(text[lo:hi]); ok {
			n++
		}
	}
	return n
}

type reader struct {
	layout.Collector
	column
	rows
	ways     map[way]layout.Shared
	links    map[uint64]*network.Interface
	linkIDs  []uint64
	states   map[uint64][2]uint64 // administrative and operational
	addrs    map[netip.Addr]*addrRow
	addrList []netip.Addr
	neigh    map[string]*network.Neighbour
	neighs   []*network.Neighbour
	hexOpen  bool // the last line's value may go on
	stop
}

type addrRow struct {
	bits    int
	ifIndex uint64
	kind    uint64
	lo, hi  int
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{ways: map[way]layout.Shared{}, links: map[uint64]*network.Interface{}, states: map[uint64][2]uint64{},
		addrs: map[netip.Addr]*addrRow{}, neigh: map[string]*network.Neighbour{}}
	r.Layout = name
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		if r.goesDown(line) || r.goesOn(line, lo, hi) {
			continue
		}
		if !byName(line) && broke.Match(line) {
			r.stops(lo, hi)
			r.LeaveUnread(lo, hi, errBroke)
			continue
		}
		oid, value, other, ok := parseLine(line)
		switch {
		case ok && other:
			r.inRoutes = false
			r.Pass(lo, hi, layout.Other)
		case ok:
			r.at = nil
			used, err := r.binding(oid, value, lo, hi)
			r.enter(line, oid)
			switch {
			case err != nil:
				r.LeaveUnread(lo, hi, err)
			case used:
				r.Collector.Read++
			default:
				r.Pass(lo, hi, layout.Other)
			}
		case r.hexOpen:
			r.Pass(lo, hi, layout.Other) // a long value goes on
			continue
		case bytes.HasPrefix(line, []byte("Created directory: ")): // what the walking tool says of itself, once
			r.Pass(lo, hi, layout.Other)
		default:
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
		}
		r.hexOpen = ok && (bytes.Contains(line, stringValue) || bytes.HasSuffix(line, noValue))
	}
	r.finish()
	return r.Reading
}

// byName reports whether a line begins with a variable by name, as nearly all do where a tool knows the names.
func byName(line []byte) bool {
	return bytes.Contains(line[:min(len(line), longestModule)], []byte("-MIB::"))
}

// longestModule is how far inside a line the name of a module may end.
const longestModule = 40

func starts(oid []uint32, prefix ...uint32) bool {
	return len(oid) > len(prefix) && slices.Equal(oid[:len(prefix)], prefix)
}

// binding takes one variable in; used tells whether it says anything about routes.
func (r *reader) binding(oid []uint32, value string, lo, hi int) (used bool, err error) {
	switch {
	case starts(oid, 4, 24, 7, 1):
		return r.cidrRoute(oid[4], oid[5:], value, lo, hi)
	case starts(oid, 4, 24, 4, 1):
		return r.oldCIDR(oid[4], oid[5:], value, lo, hi)
	case starts(oid, 4, 21, 1):
		return r.oldRoute(oid[3], oid[4:], value, lo, hi)
	case starts(oid, 4, 20, 1):
		return r.oldAddress(oid[3], oid[4:], value, lo, hi)
	case starts(oid, 4, 34, 1):
		return r.address(oid[3], oid[4:], value, lo, hi)
	case starts(oid, 4, 22, 1, 2):
		return r.neighbour(oid[4:], false, value, lo, hi)
	case starts(oid, 4, 35, 1, 4):
		return r.neighbour(oid[4:], true, value, lo, hi)
	case starts(oid, 4, 35, 1, 7):
		return r.neighbourState(oid[4:], value)
	case starts(oid, 4, 1), starts(oid, 4, 25):
		return r.forwarding(oid[1] == 25, value, lo, hi)
	case starts(oid, 2, 2, 1), starts(oid, 31, 1, 1, 1, 1):
		return r.link(oid, value, lo, hi)
	}
	return false, nil
}

// cidrRoute reads a column of inetCidrRouteTable: destination, length, policy (an identifier of any length), next hop.
func (r *reader) cidrRoute(column uint32, index []uint32, value string, lo, hi int) (bool, error) {
	if (column < 7 || column > 12 || column == 10 || column == 11) && column != 17 {
		return false, nil
	}
	dst, rest, ok := takeAddress(index)
	if !ok || !dst.IsValid() || len(rest) < 2 || int(rest[0]) > dst.BitLen() || int(rest[1]) > len(rest)-2 {
		return false, errIndex
	}
	hop, _, ok := takeAddress(rest[2+rest[1]:])
	if !ok {
		return false, errIndex
	}
	row, fresh := r.rowOf(7, index, lo, hi)
	if fresh {
		row.prefix, row.nextHop = netip.PrefixFrom(dst, int(rest[0])).Masked(), hop
	}
	return true, row.column(column-7, value)
}

// oldColumns are the columns of ipCidrRouteTable, as routeRow counts them.
var oldColumns = map[uint32]uint32{5: 0, 6: 1, 7: 2, 11: 5, 16: 10}

// oldCIDR reads a column of ipCidrRouteTable: destination, mask, service, next hop.
func (r *reader) oldCIDR(column uint32, index []uint32, value string, lo, hi int) (bool, error) {
	n, wanted := oldColumns[column]
	if !wanted {
		return false, nil
	}
	dst, rest, ok1 := takeIPv4(index)
	mask, rest, ok2 := takeIPv4(rest)
	if !ok1 || !ok2 || len(rest) < 5 {
		return false, errIndex
	}
	hop, _, ok := takeIPv4(rest[1:])
	bits, err := layout.MaskLength(mask)
	if !ok || err != nil {
		return false, cmpErr(err)
	}
	row, fresh := r.rowOf(4, index, lo, hi)
	if fresh {
		row.prefix, row.nextHop = netip.PrefixFrom(dst, bits).Masked(), hop
	}
	return true, row.column(n, value)
}

func cmpErr(err error) error {
	if err == nil {
		return errIndex
	}
	return err
}

// oldRoute reads a column of the ipRouteTable of RFC 1213, which has one route for a destination.
func (r *reader) oldRoute(column uint32, index []uint32, value string, lo, hi int) (bool, error) {
	at := map[uint32]uint32{2: 0, 8: 1, 9: 2, 3: 5, 7: 100, 11: 101}
	n, wanted := at[column]
	if !wanted {
		return false, nil
	}
	dst, _, ok := takeIPv4(index)
	if !ok {
		return false, errIndex
	}
	row, fresh := r.rowOf(1, index, lo, hi)
	if fresh {
		row.old, row.prefix = true, netip.PrefixFrom(dst, 0)
	}
	switch n {
	case 100, 101:
		a, err := netip.ParseAddr(value)
		if err != nil || !a.Is4() {
			return false, fmt.Errorf("%w: %q", errValue, value)
		}
		if n == 100 {
			row.nextHop = a
			return true, nil
		}
		bits, err := layout.MaskLength(a)
		if err != nil {
			return false, err
		}
		row.prefix = netip.PrefixFrom(dst, bits).Masked()
		return true, nil
	}
	return true, row.column(n, value)
}

// finish turns the rows into facts.
func (r *reader) finish() {
	typed, untyped := 0, 0
	for _, w := range r.order {
		if w.kind == 0 {
			untyped++
		} else {
			typed++
		}
		r.addRoute(w)
	}
	if n := len(r.order); !r.stopped && typed > 0 && untyped > 0 { // it ends within the column of types
		r.stoppedAt(r.order[n-1].lo, r.order[n-1].hi)
	}
	r.Partial("default", r.stopped, r.stopLo, r.stopHi)
	for _, id := range r.linkIDs {
		l := r.links[id]
		switch s := r.states[id]; {
		case s[0] == 2, s[1] != 0 && s[1] != 1 && s[1] != 5 && s[1] != 4: // RFC 2863: dormant and unknown are not down
			l.State = network.LinkDown
		case s[1] == 1:
			l.State = network.LinkUp
		}
		if l.Name != "" {
			r.Facts.Interfaces = append(r.Facts.Interfaces, *l)
			r.Facts.Indexes = append(r.Facts.Indexes, network.IfIndex{Index: id, Name: l.Name, Mark: l.Mark})
		} else {
			l.Name = network.IndexName(id)
			r.Facts.Interfaces = append(r.Facts.Interfaces, *l)
		}
	}
	for _, a := range r.addrList {
		row := r.addrs[a]
		if row.kind > 1 { // anycast and broadcast
			continue
		}
		ifname := ""
		if row.ifIndex > 0 {
			ifname = network.IndexName(row.ifIndex)
		}
		r.Facts.Addresses = append(
			r.Facts.Addresses,
			network.Address{
				Prefix:    netip.PrefixFrom(a, row.bits),
				Interface: ifname,
				Mark:      layout.Mark(row.lo, row.hi),
			},
		)
	}
	for _, n := range r.neighs {
		r.Facts.Neighbours = append(r.Facts.Neighbours, *n)
	}
}

// protocols are those of IANA-RTPROTO-MIB.
var protocols = map[uint64]route.Protocol{
	3:  route.Static,
	8:  route.RIP,
	9:  route.ISIS,
	13: route.OSPF,
	14: route.BGP,
	16: route.EIGRP,
	19: route.DHCP,
}

// addRoute makes a route of the cells of one row (RFC 4292, RFC 4293, RFC 1213). What agents are seen to fill in
// against the text of these is said at its place.
func (r *reader) addRoute(w *routeRow) {
	a := layout.Attributes{Attributes: route.Attributes{Protocol: protocols[w.proto]}, Metric: w.metric}
	full, unspecified := w.prefix.IsSingleIP(), !w.nextHop.IsValid() || w.nextHop.IsUnspecified()
	local, reject, blackhole := w.kind == 3, w.kind == 2, w.kind == 5 && !w.old
	if w.old && w.kind == 2 {
		return // RFC 1213: an invalid route
	}
	k, through := w.way()
	if s, ok := r.ways[k]; ok && through {
		r.AddShared(w.prefix, s.With(w.metric), w.state(), layout.Mark(w.lo, w.hi))
		return
	}
	ifname := ""
	if w.ifIndex > 0 {
		ifname = network.IndexName(w.ifIndex)
	}
	switch {
	case reject:
		a.Special = route.Unreachable
	case blackhole, local && unspecified && w.ifIndex == 0:
		a.Special = route.Blackhole // agents show a discarding route as local without an interface
	case w.prefix.Addr().IsMulticast():
		a.Special = route.Multicast
	case local && unspecified && full:
		a.Protocol, a.Special = route.Local, route.Receive
		a.NextHops = []route.NextHop{{Interface: ifname}}
	case unspecified:
		if local {
			a.Protocol = route.Direct
		}
		a.NextHops = []route.NextHop{{Interface: ifname}}
	default:
		a.NextHops = []route.NextHop{{Interface: ifname, Address: w.nextHop}}
	}
	s := r.Add("default", network.Walk, a.Route(w.prefix, w.state(), layout.Mark(w.lo, w.hi)), len(r.order))
	if through {
		r.ways[k] = s
	}
}

// oldAddress reads a column of ipAddrTable.
func (r *reader) oldAddress(column uint32, index []uint32, value string, lo, hi int) (bool, error) {
	if column < 1 || column > 3 {
		return false, nil
	}
	a, _, ok := takeIPv4(index)
	if !ok {
		return false, errIndex
	}
	row := r.addrRow(a, lo, hi)
	switch column {
	case 2:
		v, ok := integer(value)
		if !ok {
			return false, fmt.Errorf("%w: %q", errValue, value)
		}
		row.ifIndex = v
	case 3:
		m, err := netip.ParseAddr(value)
		if err != nil || !m.Is4() {
			return false, fmt.Errorf("%w: %q", errValue, value)
		}
		if row.bits, err = layout.MaskLength(m); err != nil {
			row.bits = 32
			return false, err
		}
	}
	return true, nil
}

func (r *reader) addrRow(a netip.Addr, lo, hi int) *addrRow {
	row := r.addrs[a]
	if row == nil {
		row = &addrRow{bits: a.BitLen(), lo: lo, hi: hi}
		r.addrs[a] = row
		r.addrList = append(r.addrList, a)
	}
	return row
}

// address reads a column of ipAddressTable. The prefix column points into the prefix table, whose index ends in the
// length.
func (r *reader) address(column uint32, index []uint32, value string, lo, hi int) (bool, error) {
	if column < 3 || column > 5 {
		return false, nil
	}
	a, _, ok := takeAddress(index)
	if !ok || !a.IsValid() {
		return false, errIndex
	}
	row := r.addrRow(a, lo, hi)
	if column == 5 {
		n, err := strconv.Atoi(value[strings.LastIndexByte(value, '.')+1:])
		if err == nil && n >= 0 && n <= a.BitLen() {
			row.bits = n
		}
		return true, nil
	}
	v, ok := integer(value)
	if !ok {
		return false, fmt.Errorf("%w: %q", errValue, value)
	}
	if column == 3 {
		row.ifIndex = v
	} else {
		row.kind = v
	}
	return true, nil
}

// neighbour reads the link-layer address of a neighbour; the index is the interface and the address.
func (r *reader) neighbour(index []uint32, typed bool, value string, lo, hi int) (bool, error) {
	if len(index) < 5 {
		return false, errIndex
	}
	a, _, ok := takeIPv4(index[1:])
	if typed {
		a, _, ok = takeAddress(index[1:])
	}
	if !ok || !a.IsValid() {
		return false, errIndex
	}
	n := &network.Neighbour{
		Address:   a,
		Interface: network.IndexName(uint64(index[0])),
		MAC:       mac(value),
		Mark:      layout.Mark(lo, hi),
	}
	if n.MAC != "" {
		n.State = network.NeighbourAlive
	}
	r.neigh[string(appendKey(nil, 0, index))] = n
	r.neighs = append(r.neighs, n)
	return true, nil
}

func (r *reader) neighbourState(index []uint32, value string) (bool, error) {
	v, ok := integer(value)
	if !ok {
		return false, fmt.Errorf("%w: %q", errValue, value)
	}
	if n := r.neigh[string(appendKey(nil, 0, index))]; n != nil && (v == 5 || v == 7) { // invalid, incomplete
		n.State = network.NeighbourPending
	}
	return true, nil
}

func (r *reader) forwarding(six bool, value string, lo, hi int) (bool, error) {
	v, ok := integer(value)
	if !ok || v != 1 && v != 2 {
		return false, fmt.Errorf("%w: %q", errValue, value)
	}
	s := network.Switch{Family: route.IPv4, On: v == 1, Mark: layout.Mark(lo, hi)}
	if six {
		s.Family = route.IPv6
	}
	r.Facts.Forwarding = append(r.Facts.Forwarding, s)
	return true, nil
}

// link reads a column of ifTable, or the short name of ifXTable, which wins over the description.
func (r *reader) link(oid []uint32, value string, lo, hi int) (bool, error) {
	short := oid[0] == 31
	column := oid[3]
	if !short && column != 2 && column != 6 && column != 7 && column != 8 {
		return false, nil
	}
	id := uint64(oid[len(oid)-1])
	l := r.links[id]
	if l == nil {
		l = &network.Interface{Mark: layout.Mark(lo, hi)}
		r.links[id] = l
		r.linkIDs = append(r.linkIDs, id)
	}
	text := strings.Trim(value, `"`)
	switch {
	case short && text != "":
		l.Name = text
	case column == 2 && !short && l.Name == "":
		l.Name = text
	case column == 6 && !short:
		l.MAC = mac(value)
	case column == 7 || column == 8:
		v, ok := integer(value)
		if !ok {
			return false, fmt.Errorf("%w: %q", errValue, value)
		}
		s := r.states[id]
		s[column-7] = v
		r.states[id] = s
	}
	return true, nil
}
