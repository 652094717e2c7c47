package frr

import (
	"bytes"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const textName = "FRR interfaces"

// Text is the registration of the short texts: interfaces with their addresses, and the forwarding switches.
var Text = layout.Reader{Name: textName, Recognise: recogniseText, Read: ReadText,
	About: "the routing daemons' brief list of interfaces, and whether forwarding is on",
	Sample: "Interface       Status  VRF             Addresses\n" +
		"hall0           up      default         10.61.16.1/24\n" +
		"IP forwarding is on\n"}

var heading = []string{"Interface", "Status", "VRF", "Addresses"}

func isHeading(w []string) bool {
	return len(w) == len(heading) && w[0] == heading[0] && w[1] == heading[1] && w[2] == heading[2]
}

// forwarding reads "IP forwarding is on" and its IPv6 counterpart.
func forwarding(w []string) (s network.Switch, ok bool) {
	if len(w) != 4 || !strings.EqualFold(w[1], "forwarding") || w[2] != "is" || w[3] != "on" && w[3] != "off" {
		return s, false
	}
	switch strings.ToLower(w[0]) {
	case "ip", "ipv4":
		s.Family = route.IPv4
	case "ipv6":
		s.Family = route.IPv6
	default:
		return s, false
	}
	s.On = w[3] == "on"
	return s, true
}

// recogniseText looks for the heading of the list of interfaces, and for what the daemon says of forwarding.
func recogniseText(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if hi-lo > 400 {
			continue
		}
		w := strings.Fields(string(text[lo:hi]))
		if _, ok := forwarding(w); ok || isHeading(w) {
			n += 3
		}
	}
	return n
}

// ReadText reads a text of this family.
func ReadText(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = textName
	inList, current := false, ""
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		w := strings.Fields(string(line))
		switch s, ok := forwarding(w); {
		case ok:
			s.Mark = layout.Mark(lo, hi)
			c.Facts.Forwarding = append(c.Facts.Forwarding, s)
			c.Read++
		case isHeading(w):
			inList, current = true, ""
			c.Pass(lo, hi, layout.Names)
		case inList && len(bytes.Trim(line, "- \t")) == 0:
			c.Pass(lo, hi, layout.Ruler)
		case inList && line[0] != ' ' && line[0] != '\t' && len(w) >= 3 && (w[1] == "up" || w[1] == "down"):
			current = w[0]
			state := network.LinkUp
			if w[1] == "down" {
				state = network.LinkDown
			}
			c.Facts.Interfaces = append(
				c.Facts.Interfaces,
				network.Interface{Name: current, State: state, Mark: layout.Mark(lo, hi)},
			)
			addAddresses(&c, w[3:], current, lo, hi)
		case inList && current != "" && (line[0] == ' ' || line[0] == '\t'):
			addAddresses(&c, w, current, lo, hi)
		default:
			c.LeaveUnread(lo, hi, layout.ErrNotARoute)
		}
	}
	return c.Reading
}

// addAddresses reads the addresses of one line and accounts for it.
func addAddresses(c *layout.Collector, w []string, ifname string, lo, hi int) {
	var found []network.Address
	for _, s := range w {
		if s == "+" {
			continue
		}
		p, err := layout.Prefix([]byte(s), false)
		if err != nil {
			c.LeaveUnread(lo, hi, err)
			return
		}
		found = append(found, network.Address{Prefix: p, Interface: ifname, Mark: layout.Mark(lo, hi)})
	}
	c.Facts.Addresses = append(c.Facts.Addresses, found...)
	c.Read++
}
