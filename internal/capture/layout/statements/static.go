package statements

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

func isStatic(w []string) bool {
	return len(w) > 3 && (w[0] == "ip" || w[0] == "ipv6") && (w[1] == "route" || w[1] == "route-static") &&
		(layout.LooksLikeAddress([]byte(w[2])) || isInstance(w[2]) && len(w) > 5)
}

// ofLink rewrites "route INTERFACE PREFIX MASK NEXT-HOP …" and "ipv6 route INTERFACE PREFIX NEXT-HOP …", in which the
// interface stands first, as static reads them; nil for other statements.
func ofLink(w []string) []string {
	rest := w
	switch {
	case len(w) > 3 && w[0] == "route":
		rest = w[1:]
	case len(w) > 4 && w[0] == "ipv6" && w[1] == "route" && strings.Contains(w[3], "/"):
		rest = w[2:]
	default:
		return nil
	}
	link, n := rest[0], 2
	if isInstance(link) || verbs[link] || layout.LooksLikeAddress([]byte(link)) || isNumber(link) {
		return nil
	}
	to := slices.Clone(rest[1:])
	for i := range to[:2] {
		if to[i] == "0" {
			to[i] = "0.0.0.0"
		}
	}
	if w[0] == "ipv6" {
		n = 1
	}
	if slices.ContainsFunc(to[:n], func(x string) bool { return !layout.LooksLikeAddress([]byte(x)) }) {
		return nil
	}
	out := append([]string{"ip", "route"}, to[:n]...)
	if len(to) == n || layout.Discards(link) {
		return append(out, link)
	}
	return append(append(out, to[n], link), to[n+1:]...)
}

// verbs stand behind the word in commands that change a table.
var verbs = layout.WordSet("add del delete change replace set get flush print show")

func isInstance(word string) bool { return word == "vrf" || word == "vpn-instance" }

func isNumber(s string) bool {
	_, ok := layout.Uint([]byte(s))
	return ok
}

// staticLine reads a line of a block of nothing but static routes: the table, the family, or a route.
func (r *reader) staticLine(w []string, s string, lo, hi int) (used bool, err error) {
	switch {
	case w[0] == "vrf" && len(w) == 2:
		r.table = w[1]
	case w[0] == "address-family":
		if len(s)-len(strings.TrimLeft(s, " ")) < 2 {
			r.table = "" // of the main table
		}
	case layout.LooksLikeAddress([]byte(w[0])) && len(w) > 1:
		block := r.block
		r.block = "vrf " + r.table
		if r.table == "" {
			r.block = ""
		}
		err = r.static(append([]string{"ip", "route"}, w...), lo, hi)
		r.block = block
		return true, err
	default:
		return false, nil
	}
	r.part = true
	return false, nil
}

// inFlatBlock reports whether a line that is not indented goes on with the interface above it.
func inFlatBlock(w []string) bool {
	return len(w) > 2 && (w[0] == "ip" || w[0] == "ipv6") && w[1] == "address" || len(w) == 1 && w[0] == "shutdown"
}

// vlanLine reads a line of the block of a VLAN: with an address it is an interface, called as the VLAN is.
func (r *reader) vlanLine(w []string) bool {
	switch {
	case len(w) == 2 && w[0] == "name" && r.link == 0:
		r.vlan = strings.Trim(w[1], `"`)
	case len(w) > 2 && w[0] == "ip" && w[1] == "address" && layout.LooksLikeAddress([]byte(w[2])) && r.link == 0:
		r.Facts.Interfaces = append(r.Facts.Interfaces,
			network.Interface{Name: r.vlan, Configured: true, Mark: r.vlanAt})
		r.link, r.first = len(r.Facts.Interfaces), len(r.Facts.Addresses)
		r.vlan = ""
	}
	return false
}

// allOnes is what some devices have for a next hop of a route that discards.
var allOnes = netip.AddrFrom4([4]byte{255, 255, 255, 255})

// static reads "ip route [vrf NAME] PREFIX [MASK] [NEXT-HOP] [INTERFACE] [PREFERENCE] [words]".
func (r *reader) static(w []string, lo, hi int) error {
	s := network.Static{Mark: layout.Mark(lo, hi)}
	if vrf, ok := strings.CutPrefix(r.block, "vrf "); ok && vrf != "default" {
		s.Table = vrf
	}
	w = w[2:]
	if isInstance(w[0]) {
		s.Table, w = w[1], w[2:]
	}
	dst := w[0]
	w = w[1:]
	if !strings.Contains(dst, "/") && len(w) > 0 {
		dst += "/" + w[0]
		w = w[1:]
	}
	p, err := layout.Prefix([]byte(dst), false)
	if err != nil {
		return err
	}
	s.Prefix = p.Masked()
	for i := 0; i < len(w); i++ {
		x := w[i]
		a, isAddr := layout.Addr([]byte(x))
		n, isNumber := layout.Uint([]byte(x))
		switch low := strings.ToLower(x); {
		case isAddr && a == allOnes:
			s.Special = route.Blackhole
		case isAddr && !s.NextHop.Address.IsValid():
			s.NextHop.Address = a
			if z := a.Zone(); z != "" {
				s.NextHop.Address, s.NextHop.Interface = a.WithZone(""), z
			}
		case layout.LooksLikeAddress([]byte(x)):
			return fmt.Errorf("%w: %q", layout.ErrAddress, x)
		case isNumber && i > 0:
			s.Preference = route.N(n)
		case layout.Discards(x):
			s.Special = route.Blackhole
			if i+1 < len(w) && w[i+1] == "0" {
				i++
			}
		case (low == "preference" || low == "distance" || low == "metric" || low == "weight") && i+1 < len(w):
			i++
			switch n, ok := layout.Uint([]byte(w[i])); {
			case !ok:
				return fmt.Errorf("%w: %q", layout.ErrNumber, w[i])
			case low == "metric":
				s.Metric = route.N(n)
			case low != "weight":
				s.Preference = route.N(n)
			}
		case low == "description": // to the end of the line
			i = len(w)
		case low == "public" || low == "global":
			s.NextHop.Table = "default"
		case low == "dhcp" && i == 0:
			return fmt.Errorf("%w: its next hop is what DHCP gives", layout.ErrNotARoute)
		case low == "tunneled":
			return fmt.Errorf("%w: it is for what comes out of a tunnel alone", layout.ErrNotARoute)
		case low == "interface" || low == "inherit-cost" || low == "no-advertise":
		case low == "reject":
			s.Special = route.Unreachable
		case low == "track" || low == "bfd":
			tie, n := tieOf(w[i:])
			if s.Tie.Session = s.Tie.Session || tie.Session; tie.Object != "" {
				s.Tie.Object = tie.Object
			}
			i += n - 1
		case low == "tag" || low == "name" || low == "label" || isInstance(low) ||
			low == "nexthop-vrf" || low == "table":
			if (isInstance(low) || low == "nexthop-vrf") && i+1 < len(w) {
				s.NextHop.Table = w[i+1]
			}
			i++
		case low == "onlink":
			s.NextHop.OnLink = true
		case low == "permanent" || low == "multicast" || low == "color":
		case s.NextHop.Interface == "" && i < 2:
			s.NextHop.Interface = x
		}
	}
	if s.Special == route.None && s.NextHop == (route.NextHop{}) {
		return layout.ErrNotARoute
	}
	if s.NextHop.Address.IsUnspecified() {
		s.NextHop.Address = netip.Addr{}
	}
	r.Facts.Statics = append(r.Facts.Statics, s)
	return nil
}
