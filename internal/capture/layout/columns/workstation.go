package columns

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"go4.org/netipx"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// workstation reads the interface column, which holds the host's own address there.
func (r *reader) workstation(row *rowCells, p netip.Prefix, a *layout.Attributes, h *route.NextHop, onLink bool) {
	own, ok := layout.Addr([]byte(row.cell[ifname]))
	if ok && !r.addrSeen[own] && !own.IsLoopback() {
		r.addrSeen[own] = true
		r.Facts.Addresses = append(
			r.Facts.Addresses,
			network.Address{
				Prefix:    netip.PrefixFrom(own, own.BitLen()),
				Interface: row.cell[ifname],
				Mark:      layout.Mark(row.lo, row.hi),
			},
		)
	}
	if !onLink {
		a.Protocol = route.Static
		return
	}
	if own.IsLoopback() {
		h.Interface = "loopback"
	}
	a.Protocol = route.Direct
	switch {
	case p.Addr().IsMulticast():
		a.Special = route.Multicast
	case p.IsSingleIP() && (p.Addr() == own || p.Addr().IsLoopback() || p.Addr().Is6()):
		a.Protocol, a.Special = route.Local, route.Receive
	case p.IsSingleIP():
		a.Protocol, a.Subtype, a.Special = route.Other, "", route.Broadcast
	}
}

// storeNames match the heading of the stored form.
var storeNames = lazyregexp.New(`(?i)^\s*(?:ifIndex|InterfaceAlias` +
	`|InterfaceIndex)\s.*\bDestinationPrefix\s+NextHop\b.*\bRouteMetric\b`)

// storedBelow sets or ends the stored form at a heading.
func (r *reader) storedBelow(s string) {
	switch {
	case storeNames.MatchString(s):
		r.section, r.numbers = stored, true
	case r.section == stored:
		r.section = device
	}
}

// isConfigured reports whether a store keeps what is configured, and not what is in use.
func isConfigured(s string) bool { return s == "PersistentStore" }

// fromStore reads a row of the stored form. A route's metric counts with that of its interface.
func (r *reader) fromStore(row *rowCells, p netip.Prefix, a *layout.Attributes, onLink bool) error {
	if _, n, ok := strings.Cut(row.cell[destination], "/"); !ok || !isNumber(n) || row.cell[gateway] == "" ||
		!a.Metric.Known || p.Masked() != p {
		return errRow // no cell of it is ever empty
	}
	more, err := numberCell(row.cell[added])
	if err != nil {
		return err
	}
	if !more.Known && !isConfigured(row.cell[store]) &&
		slices.ContainsFunc(r.cols, func(c column) bool { return c.kind == added }) {
		return errRow
	}
	if more.Known && a.Metric.Known {
		a.Metric.Value += more.Value
	}
	if row.cell[store] != "" && !isConfigured(row.cell[store]) && row.cell[store] != "ActiveStore" {
		return fmt.Errorf("%w: %q", layout.ErrNotARoute, row.cell[store])
	}
	a.Protocol = route.Static
	if onLink {
		a.Protocol = route.Direct
		if !p.IsSingleIP() && p.Addr().Is4() {
			r.attached = append(r.attached, p.Masked())
		}
	}
	if p.Addr().IsMulticast() {
		a.Special = route.Multicast
	}
	if p.Addr().IsLoopback() && p.IsSingleIP() {
		a.Protocol, a.Special = route.Local, route.Receive
	}
	return nil
}

var errWhose = errors.New("its own address or that of broadcasts: the network that it is in is not shown")

// addSingles adds the addresses alone of the stored form, which does not say which of them are the host's own: those
// that are not the last one of an attached network.
func (r *reader) addSingles() {
	for _, s := range r.singles {
		s.attr.Protocol, s.attr.Special = route.Local, route.Receive
		bits := s.prefix.Bits()
		inside := false
		last := s.prefix.Addr() == netip.AddrFrom4([4]byte{255, 255, 255, 255})
		for _, n := range r.attached {
			if n.Contains(s.prefix.Addr()) {
				inside, bits = true, n.Bits()
				last = last || s.prefix.Addr() == netipx.PrefixLastIP(n) && n.Bits() < 31
			}
		}
		if b := s.prefix.Addr().AsSlice(); !last && !inside && b[len(b)-1]&3 == 3 { // as that of every broadcast
			r.Collector.Read--
			r.LeaveUnread(s.lo, s.hi, errWhose)
			continue
		}
		if last {
			s.attr.Protocol, s.attr.Special = route.Other, route.Broadcast
		} else if dev := s.attr.NextHops; len(dev) > 0 && !r.addrSeen[s.prefix.Addr()] {
			r.addrSeen[s.prefix.Addr()] = true
			r.Facts.Addresses = append(r.Facts.Addresses,
				network.Address{Prefix: netip.PrefixFrom(s.prefix.Addr(), bits),
					Interface: dev[0].Interface, Mark: layout.Mark(s.lo, s.hi)})
		}
		r.hold(s, false)
	}
	r.singles = nil
}
