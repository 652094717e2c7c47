package notes

import (
	"errors"
	"fmt"
	"net/netip"
	"strconv"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// words takes the words of a line one after another.
type words struct {
	list []string
	at   int
}

func split(s string) *words { return &words{list: strings.Fields(s)} }

func (w *words) peek() string {
	if w.at < len(w.list) {
		return w.list[w.at]
	}
	return ""
}

func (w *words) next() string {
	s := w.peek()
	w.at++
	return s
}

func (w *words) done() bool { return w.at >= len(w.list) }

// protocols that a flow may name. Others are given by number (RFC 790's successor registry).
var protocols = map[string]bool{
	"tcp":    true,
	"udp":    true,
	"icmp":   true,
	"icmpv6": true,
	"esp":    true,
	"gre":    true,
	"sctp":   true,
}

func isProtocol(s string) bool {
	if protocols[s] {
		return true
	}
	n, err := strconv.Atoi(s)
	return err == nil && n >= 0 && n < 256
}

// prefixWord reads a prefix, an address, or "any".
func (w *words) prefixWord(behind string) (netip.Prefix, error) {
	s := w.next()
	if s == "any" {
		return netip.Prefix{}, nil
	}
	if p, err := netip.ParsePrefix(s); err == nil {
		return p.Masked(), nil
	}
	a, err := netip.ParseAddr(s)
	if err != nil {
		return netip.Prefix{}, fmt.Errorf("%q behind %s is no prefix or address", s, behind)
	}
	return netip.PrefixFrom(a, a.BitLen()), nil
}

// ports reads N or N-M.
func (w *words) ports() (network.Ports, error) {
	s := w.next()
	lo, hi, ranged := strings.Cut(s, "-")
	a, err := strconv.ParseUint(lo, 10, 16)
	b := a
	if err == nil && ranged {
		b, err = strconv.ParseUint(hi, 10, 16)
	}
	if err != nil || a == 0 || b < a {
		return network.Ports{}, fmt.Errorf("%q is no port or range of ports", s)
	}
	return network.Ports{Lo: uint16(a), Hi: uint16(b)}, nil
}

// parseFlow reads "permit|deny|refuse [PROTOCOL] [from P [port N]] [to P [port N]] [in IF] [out IF]".
func parseFlow(s string) (network.FlowRule, error) {
	w := split(s)
	var f network.FlowRule
	switch w.next() {
	case "permit":
		f.Permit = true
	case "deny":
	case "refuse":
		f.Refuse = true
	default:
		return f, fmt.Errorf("a flow begins with permit, deny or refuse, not %q", w.list[:min(1, len(w.list))])
	}
	if isProtocol(w.peek()) {
		f.Protocol = w.next()
	} else if w.peek() == "any" {
		w.next()
	}
	last := &f.ToPorts
	for !w.done() {
		var err error
		switch k := w.next(); k {
		case "from":
			f.From, err = w.prefixWord(k)
			last = &f.FromPorts
		case "to":
			f.To, err = w.prefixWord(k)
			last = &f.ToPorts
		case "port":
			*last, err = w.ports()
			if f.Protocol == "" && err == nil {
				err = errors.New("a port needs a protocol, such as tcp")
			}
		case "in":
			f.In = w.next()
		case "out":
			f.Out = w.next()
		default:
			err = fmt.Errorf("%q is not understood in a flow; it takes from, to, port, in and out", k)
		}
		if err != nil {
			return f, err
		}
	}
	return f, nil
}

// parseTranslation reads "source [PROTOCOL] [from P] [to P] [in IF] [out IF] becomes ADDRESS|interface" or
// "destination [PROTOCOL] to P [port N] [in IF] becomes ADDRESS [port N]".
func parseTranslation(s string) (network.Translation, error) {
	w := split(s)
	var t network.Translation
	switch w.next() {
	case "source":
	case "destination":
		t.Destination = true
	default:
		return t, errors.New("a translation begins with source or destination")
	}
	if isProtocol(w.peek()) {
		t.Protocol = w.next()
	}
	become := false
	for !w.done() {
		var err error
		switch k := w.next(); k {
		case "from":
			t.From, err = w.prefixWord(k)
		case "to":
			t.To, err = w.prefixWord(k)
		case "in":
			t.In = w.next()
		case "out":
			t.Out = w.next()
		case "port":
			var p network.Ports
			if p, err = w.ports(); become {
				t.BecomesPort = p.Lo
			} else {
				t.ToPorts = p
			}
			if t.Protocol == "" && err == nil {
				err = errors.New("a port needs a protocol, such as tcp")
			}
		case "becomes":
			become = true
			if s := w.next(); s != "interface" {
				if t.Becomes, err = netip.ParseAddr(s); err != nil {
					err = fmt.Errorf(
						"%q behind becomes is no address; write an address, or interface for the address of the one "+
							"it leaves by",
						s,
					)
				}
			}
		default:
			err = fmt.Errorf("%q is not understood in a translation; it takes from, to, port, in, out and becomes", k)
		}
		if err != nil {
			return t, err
		}
	}
	switch {
	case !become:
		return t, errors.New("a translation needs becomes ADDRESS")
	case t.Destination && !t.Becomes.IsValid():
		return t, errors.New("a destination becomes an address, not an interface's")
	}
	return t, nil
}

// ParseFlow reads PROTOCOL[:SOURCE-PORT[:DESTINATION-PORT]], such as tcp:40000:443.
func ParseFlow(s string) (network.Flow, error) {
	parts := strings.Split(s, ":")
	f := network.Flow{Protocol: parts[0]}
	if len(parts) > 3 || !isProtocol(parts[0]) {
		return f, fmt.Errorf("a flow is PROTOCOL:SOURCE-PORT:DESTINATION-PORT, such as tcp:40000:443, not %q", s)
	}
	for i, to := range []*uint16{&f.SourcePort, &f.DestinationPort} {
		if len(parts) > i+1 && parts[i+1] != "" {
			n, err := strconv.ParseUint(parts[i+1], 10, 16)
			if err != nil {
				return f, fmt.Errorf("%q is no port", parts[i+1])
			}
			*to = uint16(n)
		}
	}
	return f, nil
}

// ParseRoute reads a route as a user writes it: PREFIX [via ADDRESS] [dev INTERFACE] [preference N] [metric N], or with
// "discard" or "refuse" in place of a next hop.
func ParseRoute(text string) (network.Static, error) {
	w := split(text)
	var s network.Static
	if w.done() {
		return s, errors.New("the route is empty; write PREFIX via ADDRESS")
	}
	p, err := netip.ParsePrefix(w.peek())
	if err != nil {
		return s, fmt.Errorf("%q is no prefix; write ADDRESS/LENGTH first", w.peek())
	}
	w.next()
	s.Prefix = p.Masked()
	for !w.done() {
		switch k := w.next(); k {
		case "discard":
			s.Special = route.Blackhole
		case "refuse":
			s.Special = route.Unreachable
		case "via":
			value := w.next()
			if s.NextHop.Address, err = netip.ParseAddr(value); err != nil {
				return s, fmt.Errorf("%q behind via is no address", value)
			}
		case "dev":
			s.NextHop.Interface = w.next()
		case "preference", "metric":
			value := w.next()
			n, err := strconv.ParseUint(value, 10, 32)
			if err != nil {
				return s, fmt.Errorf("%q behind %s is no number", value, k)
			}
			if k == "metric" {
				s.Metric = route.N(n)
			} else {
				s.Preference = route.N(n)
			}
		default:
			return s, fmt.Errorf(
				"%q is not understood; a route is PREFIX via ADDRESS, dev INTERFACE or discard, then preference N",
				k,
			)
		}
	}
	if s.Special == route.None && !s.NextHop.Address.IsValid() && s.NextHop.Interface == "" {
		return s, fmt.Errorf("%q leads nowhere; add via ADDRESS, dev INTERFACE or discard", text)
	}
	if a := s.NextHop.Address; a.IsValid() && a.Is4() != p.Addr().Is4() {
		return s, fmt.Errorf("%s and %s are of two families", p, a)
	}
	return s, nil
}
