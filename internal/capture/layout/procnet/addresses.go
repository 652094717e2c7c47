package procnet

import (
	"bytes"
	"encoding/hex"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// The kernel shows neighbours of IPv4 in /proc/net/arp, and its own addresses of IPv6 in /proc/net/if_inet6.

// The flags of a neighbour (linux/if_arp.h) and of an address (linux/if_addr.h).
const (
	complete  = 0x2
	permanent = 0x4 // written by hand
	published = 0x8 // answered for, not asked
	dadFailed = 0x8 // another device has it: RFC 4862 section 5.4.5
)

// isNeighbourNames tells the line above the neighbours.
func isNeighbourNames(line []byte) bool {
	return bytes.HasPrefix(line, []byte("IP address")) && strings.Join(strings.Fields(string(line)), " ") == "IP address HW type Flags HW address Mask Device"
}

// isAddress tells a row of an own address.
func isAddress(w []string) bool {
	return len(w) == 6 && len(w[0]) == 32 && len(w[1]) >= 2 && len(w[1]) <= 8 && len(w[2]) == 2 && len(w[3]) == 2 &&
		len(w[4]) == 2 && !slices.ContainsFunc(w[:5], func(s string) bool { return strings.Trim(s, "0123456789abcdef") != "" })
}

// neighbour reads address, hardware type, flags, link-layer address, mask and interface.
func (r *reader) neighbour(w []string, lo, hi int) error {
	a, ok := layout.IPv4([]byte(w[0]))
	if !ok {
		return fmt.Errorf("%w: %q", layout.ErrAddress, w[0])
	}
	flags, err := strconv.ParseUint(w[2], 0, 32)
	if err != nil {
		return fmt.Errorf("%w: %q", layout.ErrNumber, w[2])
	}
	r.seen[w[5]] = true
	n := network.Neighbour{Address: a, Interface: w[5], Mark: layout.Mark(lo, hi)}
	switch {
	case flags&published != 0:
		r.Pass(lo, hi, layout.Other)
		return nil
	case flags&complete != 0:
		n.State, n.MAC, n.Written = network.NeighbourAlive, strings.ToLower(w[3]), flags&permanent != 0
	default:
		n.State = network.NeighbourPending
	}
	r.Facts.Neighbours = append(r.Facts.Neighbours, n)
	r.Collector.Read++
	return nil
}

// address reads address, number of the interface, length, scope, flags and name of the interface.
func (r *reader) address(w []string, lo, hi int) error {
	b, err := hex.DecodeString(w[0])
	if err != nil {
		return fmt.Errorf("%w: %q", layout.ErrAddress, w[0])
	}
	length, err := strconv.ParseUint(w[2], 16, 8)
	p := netip.PrefixFrom(netip.AddrFrom16([16]byte(b)), int(length))
	if err != nil || !p.IsValid() {
		return fmt.Errorf("%w: %q", layout.ErrPrefixLength, w[2])
	}
	flags, err := strconv.ParseUint(w[4], 16, 8)
	if err != nil {
		return fmt.Errorf("%w: %q", layout.ErrNumber, w[4])
	}
	r.seen[w[5]] = true
	if flags&dadFailed != 0 {
		r.Pass(lo, hi, layout.Other)
		return nil
	}
	r.Facts.Addresses = append(r.Facts.Addresses, network.Address{Prefix: p, Interface: w[5], Mark: layout.Mark(lo, hi)})
	r.Collector.Read++
	return nil
}
