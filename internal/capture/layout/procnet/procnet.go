// Package procnet reads the files in which a Linux kernel shows its routes, /proc/net/route and /proc/net/ipv6_route,
// its neighbours, /proc/net/arp, and its addresses, /proc/net/if_inet6. It exists because small boxes and containers
// have no tool that prints them in another form.
//
// The file of IPv4 has addresses as the machine keeps them: which byte is first is told by the masks, which are
// contiguous in one order only. It shows the first next hop of a route alone.
package procnet

import (
	"bytes"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"net/netip"
	"strconv"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const name = "kernel route files"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "the files route, ipv6_route, arp and if_inet6 in /proc/net of a Linux kernel",
	Sample: "Iface\tDestination\tGateway \tFlags\tRefCnt\tUse\tMetric\tMask\t\tMTU\tWindow\tIRTT\n" +
		"line0\t00000000\t013D1CAC\t0003\t0\t0\t0\t00000000\t0\t0\t0\n" +
		"hall0\t00103D0A\t00000000\t0001\t0\t0\t0\t00FFFFFF\t0\t0\t0\n"}

// The flags of a route (linux/route.h, linux/ipv6_route.h).
const (
	up      = 0x1
	gateway = 0x2
	reject  = 0x200
	cached  = 0x01000000
	anycast = 0x00100000
	local   = 0x80000000
)

var (
	errOrder  = errors.New("no mask of the file tells which byte of its addresses is the first")
	errSource = errors.New("it is for packets from some sources alone")
)

// isNames tells the line above the rows of IPv4.
func isNames(line []byte) bool {
	w := bytes.Fields(line)
	return len(w) == 11 && string(w[0]) == "Iface" && string(w[1]) == "Destination" && string(w[7]) == "Mask" &&
		string(w[10]) == "IRTT"
}

// isSix tells a row of IPv6.
func isSix(w []string) bool {
	return len(w) == 10 && len(w[0]) == 32 && len(w[1]) == 2 && len(w[2]) == 32 && len(w[3]) == 2 && len(w[4]) == 32
}

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		switch line := text[lo:hi]; {
		case isNames(line):
			n += 40
		case isNeighbourNames(line):
			n += 40
		case len(line) > 140 && isSix(strings.Fields(string(line))):
			n += 4
		case len(line) > 40 && len(line) < 140 && isAddress(strings.Fields(string(line))):
			n += 4
		}
	}
	return n
}

// reader walks the text.
type reader struct {
	layout.Collector
	below bool             // the names of the columns stand above
	near  bool             // those of neighbours do
	order binary.ByteOrder // of the addresses; nil where no mask tells
	seen  map[string]bool  // interfaces of rows that have an end
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{order: orderOf(text), seen: map[string]bool{}}
	r.Layout, r.Plain = name, true
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		if isNames(line) {
			r.below, r.near = true, false
			r.Pass(lo, hi, layout.Names)
			continue
		}
		if isNeighbourNames(line) {
			r.below, r.near = false, true
			r.Pass(lo, hi, layout.Names)
			continue
		}
		err := layout.ErrNotARoute
		switch w := strings.Fields(string(line)); {
		case (isSix(w) || isAddress(w) || r.near && len(w) == 6) && hi == len(text) && !r.seen[w[len(w)-1]]:
			err = layout.ErrCut // the name of its interface may go on
		case isSix(w):
			err = r.six(w, lo, hi)
		case isAddress(w):
			err = r.address(w, lo, hi)
		case r.near && len(w) == 6:
			err = r.neighbour(w, lo, hi)
		case r.below && len(w) == 11:
			err = r.four(w, lo, hi)
		}
		if err != nil {
			if hi == len(text) && len(r.Facts.Tables) > 0 {
				r.CutLast()
			}
			r.LeaveUnread(lo, hi, err)
		}
	}
	r.PartKernelTables()
	return r.Reading
}

// orderOf finds the byte order in which all masks of a text are contiguous and some is not in the other.
func orderOf(text []byte) binary.ByteOrder {
	little, big := true, true
	below := false
	for lo, hi := range layout.Lines(text) {
		if isNames(text[lo:hi]) {
			below = true
			continue
		}
		w := bytes.Fields(text[lo:hi])
		if !below || len(w) != 11 || len(w[7]) != 8 {
			continue
		}
		mask, err := hex.DecodeString(string(w[7]))
		if err != nil {
			continue
		}
		_, ok := bits(binary.LittleEndian.Uint32(mask))
		little = little && ok
		_, ok = bits(binary.BigEndian.Uint32(mask))
		big = big && ok
	}
	switch {
	case little && !big:
		return binary.LittleEndian
	case big && !little:
		return binary.BigEndian
	}
	return nil
}

// bits returns the length of a mask; false for one that is not contiguous.
func bits(mask uint32) (n int, ok bool) {
	for ; n < 32 && mask&(1<<(31-n)) != 0; n++ {
	}
	return n, n == 32 || mask<<n == 0
}

// four reads a row of IPv4: interface, destination, gateway, flags, references, use, metric, mask and what follows.
func (r *reader) four(w []string, lo, hi int) error {
	if r.order == nil {
		return errOrder
	}
	var number [3]uint32
	for i, s := range []string{w[1], w[2], w[7]} {
		b, err := hex.DecodeString(s)
		if err != nil || len(b) != 4 {
			return fmt.Errorf("%w: %q", layout.ErrAddress, s)
		}
		number[i] = r.order.Uint32(b)
	}
	length, ok := bits(number[2])
	if !ok {
		return layout.ErrMaskGap
	}
	metric, ok := layout.Uint([]byte(w[6]))
	if !ok {
		return fmt.Errorf("%w: %q", layout.ErrNumber, w[6])
	}
	flags, err := strconv.ParseUint(w[3], 16, 32)
	p := netip.PrefixFrom(addr4(number[0]), length)
	if err != nil || flags&up == 0 || p.Masked() != p {
		return layout.ErrNotARoute
	}
	h := route.NextHop{Interface: w[0]}
	if number[1] != 0 {
		h.Address = addr4(number[1])
	}
	a := layout.Attributes{Attributes: route.Attributes{NextHops: []route.NextHop{h}}, Metric: route.N(metric)}
	switch {
	case flags&reject != 0:
		a.Special, a.NextHops = route.Unreachable, nil
	case w[0] == "*": // a route that discards has no flag of its own
		a.Special, a.NextHops = route.Blackhole, nil
	case (flags&gateway != 0) != h.Address.IsValid():
		return layout.ErrNotARoute
	case flags&gateway == 0:
		a.Protocol = route.Direct
	}
	return r.add(p, a, lo, hi)
}

func addr4(n uint32) netip.Addr {
	return netip.AddrFrom4([4]byte(binary.BigEndian.AppendUint32(nil, n)))
}

// six reads a row of IPv6: destination and its length, source and its length, next hop, metric, references, use, flags,
// interface.
func (r *reader) six(w []string, lo, hi int) error {
	if w[3] != "00" {
		return errSource
	}
	var addr [2]netip.Addr
	for i, s := range []string{w[0], w[4]} {
		b, err := hex.DecodeString(s)
		if err != nil {
			return fmt.Errorf("%w: %q", layout.ErrAddress, s)
		}
		addr[i] = netip.AddrFrom16([16]byte(b))
	}
	var number [3]uint64
	for i, s := range []string{w[1], w[5], w[8]} {
		n, err := strconv.ParseUint(s, 16, 32)
		if err != nil {
			return fmt.Errorf("%w: %q", layout.ErrNumber, s)
		}
		number[i] = n
	}
	p, flags := netip.PrefixFrom(addr[0], int(number[0])), number[2]
	switch {
	case !p.IsValid():
		return layout.ErrPrefixLength
	case flags&cached != 0: // what some packet used, which other rows tell
		r.Pass(lo, hi, layout.Other)
		return nil
	case flags&up == 0 && flags&reject == 0 || p.Masked() != p:
		return layout.ErrNotARoute
	}
	r.seen[w[9]] = true
	h := route.NextHop{Interface: w[9]}
	if !addr[1].IsUnspecified() {
		h.Address = addr[1]
	}
	a := layout.Attributes{Attributes: route.Attributes{NextHops: []route.NextHop{h}}, Metric: route.N(number[1])}
	switch {
	case flags&reject != 0:
		a.Special, a.NextHops = route.Unreachable, nil
	case flags&(local|anycast) != 0:
		a.Protocol, a.Special = route.Local, route.Receive
	case p.Addr().IsMulticast():
		a.Special = route.Multicast
	case (flags&gateway != 0) != h.Address.IsValid():
		return layout.ErrNotARoute
	case flags&gateway == 0:
		a.Protocol = route.Direct
	}
	return r.add(p, a, lo, hi)
}

func (r *reader) add(p netip.Prefix, a layout.Attributes, lo, hi int) error {
	r.Add("default", network.ForwardingTable, a.Route(p, 0, layout.Mark(lo, hi)), 0)
	r.Collector.Read++
	return nil
}
