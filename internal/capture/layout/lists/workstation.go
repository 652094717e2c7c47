package lists

import (
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

const workstationName = "workstation settings"

// Workstation is the registration of what a workstation prints of its adapters: a paragraph each, names with rows of
// dots.
var Workstation = layout.Reader{Name: workstationName, Recognise: recogniseWorkstation, Read: ReadWorkstation,
	About: "a workstation's adapters: a paragraph each, with dots between names and values",
	Sample: "Ethernet adapter Hall:\n" +
		"   IPv4 Address. . . . . . . . . . . : 10.61.16.20(Preferred)\n" +
		"   Subnet Mask . . . . . . . . . . . : 255.255.255.0\n"}

var (
	adapter = lazyregexp.New(`^[A-Z][\w -]* adapter ([^:]+):\s*$`)
	dotted  = lazyregexp.New(`^\s+([A-Z][\w -]*?)[ .]*: (.*?)\s*$`)
)

func recogniseWorkstation(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if adapter.Match(text[lo:min(hi, lo+300)]) {
			n += 4
		}
	}
	return n
}

// ReadWorkstation reads a text of this form. Its routes name an interface by the address that it has, and so does this.
func ReadWorkstation(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = workstationName
	own, begin := netip.Addr{}, 0 // an address whose mask stands on the next line, and where it stands
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:min(hi, lo+300)])
		if strings.TrimSpace(line) == "" {
			continue
		}
		m := layout.Mark(lo, hi)
		if f := adapter.FindStringSubmatch(line); f != nil {
			c.Facts.Interfaces = append(c.Facts.Interfaces, network.Interface{Name: f[1], Mark: m})
			own = netip.Addr{}
			c.Read++
			continue
		}
		f := dotted.FindStringSubmatch(line)
		n := len(c.Facts.Interfaces)
		if f == nil || n == 0 {
			if tells(line) {
				c.LeaveUnread(lo, hi, layout.ErrNotARoute)
			} else {
				c.Pass(lo, hi, layout.Other)
			}
			continue
		}
		value, _, _ := strings.Cut(f[2], "(")
		switch f[1] {
		case "IPv4 Address", "IP Address", "IPv6 Address", "Link-local IPv6 Address", "Temporary IPv6 Address":
			a, ok := layout.Addr([]byte(strings.TrimSpace(value)))
			if !ok {
				c.LeaveUnread(lo, hi, layout.ErrAddress)
				continue
			}
			a = a.WithZone("")
			if own = a; a.Is4() { // its mask is on the next line
				begin = lo
				c.Read++
				c.Facts.Addresses = append(c.Facts.Addresses,
					network.Address{Prefix: netip.PrefixFrom(a, 32), Interface: a.String(), Mark: m})
				continue
			}
			c.Facts.Addresses = append(c.Facts.Addresses,
				network.Address{Prefix: netip.PrefixFrom(a, 128), Interface: c.Facts.Interfaces[n-1].Name, Mark: m})
			c.Read++
		case "Subnet Mask":
			p, err := layout.Prefix([]byte(own.String()+"/"+strings.TrimSpace(value)), true)
			if !own.Is4() || err != nil {
				c.LeaveUnread(lo, hi, layout.ErrNotARoute)
				continue
			}
			last := &c.Facts.Addresses[len(c.Facts.Addresses)-1]
			last.Prefix, last.Mark = p, layout.Mark(begin, hi)
			c.Pass(lo, hi, layout.Part)
		case "Media State":
			if strings.Contains(value, "disconnected") {
				c.Facts.Interfaces[n-1].State = network.LinkDown
			}
			c.Pass(lo, hi, layout.Part)
		default: // names, leases and servers, of which the gateway is in the routing table
			c.Pass(lo, hi, layout.Other)
		}
	}
	return c.Reading
}
