package lists

import (
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const nestedName = "nested interface details"

// Nested is the registration of the form with a paragraph for each physical interface and below it one for each logical
// one.
var Nested = layout.Reader{Name: nestedName, Recognise: recogniseNested, Read: ReadNested,
	About: "a paragraph for each physical interface, below it one for each logical interface with its addresses",
	Sample: "Physical interface: hall16, Enabled, Physical link is Up\n" +
		"  Logical interface hall16.0 (Index 7)\n" +
		"    Protocol inet, MTU: 1500\n"}

var (
	physicalLine = lazyregexp.New(`^Physical interface: (\S+?), (Enabled|Disabled` +
		`|Administratively down), Physical link is (Up|Down)\b`)
	logicalLine  = lazyregexp.New(`^\s{1,8}Logical interface (\S+?)(?: \(.*)?$`)
	unitFlags    = lazyregexp.New(`^\s+Flags: (.+)$`)
	protocolOf   = lazyregexp.New(`^\s+Protocol ([a-z0-9-]+)(?:,|$)`)
	localAddress = lazyregexp.New(`^\s+(?:Destination: ([0-9A-Fa-f.:]+(?:/\d+)?` +
		`|Unspecified), )?Local: ([0-9A-Fa-f.:]+)(?:,|\s*$)`)
	// inet  10.61.16.1/24, and below it further addresses alone
	familyAddress = lazyregexp.New(`^\s{4,}inet6?\s+([0-9A-Fa-f.:]+/\d+)\s*$`)
	moreAddresses = lazyregexp.New(`^\s{8,}([0-9A-Fa-f.:]+/\d+)\s*$`)
	filtersOf     = lazyregexp.New(`^\s+(Input|Output) Filters?: (.+?)\s*$`)
	sourceFlag    = lazyregexp.New(`\buRPF(-loose)?\b`)
)

func recogniseNested(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if line := text[lo:min(hi, lo+300)]; physicalLine.Match(line) || logicalLine.Match(line) {
			n += 4
		}
	}
	return n
}

// nested walks the text.
type nested struct {
	layout.Collector
	inside bool   // a paragraph
	down   bool   // the physical interface is
	unit   string // the logical interface of the lines below; "": none is known
	family route.Family
	begins bool // the unit's own flags are still to come
	short  bool // the line above tells an address in the short form
}

// ReadNested reads a text of this form. The other lines of a paragraph say nothing about where packets go.
func ReadNested(text []byte) layout.Reading {
	var r nested
	r.Layout = nestedName
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		if layout.Blank(line) {
			r.unit = ""
			continue
		}
		if err := r.line(string(line[:min(len(line), 400)]), lo, hi); err != nil {
			r.LeaveUnread(lo, hi, err)
		}
	}
	return r.Reading
}

// line reads a paragraph's line: a port, a unit of it, a family, or an address below that. A unit of a port that is
// down is down.
func (r *nested) line(s string, lo, hi int) error {
	m := layout.Mark(lo, hi)
	switch {
	case physicalLine.MatchString(s):
		f := physicalLine.FindStringSubmatch(s)
		r.inside, r.unit = true, ""
		i := network.Interface{Name: f[1], State: network.LinkUp, Mark: m}
		if r.down = f[2] != "Enabled" || f[3] == "Down"; r.down {
			i.State = network.LinkDown
		}
		r.Facts.Interfaces = append(r.Facts.Interfaces, i)
		r.Read++
		return nil
	case logicalLine.MatchString(s):
		r.inside, r.begins, r.family = true, true, 0
		r.unit = logicalLine.FindStringSubmatch(s)[1]
		i := network.Interface{Name: r.unit, Mark: m}
		if r.down {
			i.State = network.LinkDown
		}
		r.Facts.Interfaces = append(r.Facts.Interfaces, i)
		r.Read++
		return nil
	case !r.inside || s[0] != ' ':
		r.inside, r.unit = false, ""
		return layout.ErrNotARoute
	}
	short := r.short
	r.short = false
	if f := localAddress.FindStringSubmatch(s); f != nil {
		return r.address(f[1], f[2], m)
	}
	f := familyAddress.FindStringSubmatch(s)
	if f == nil && short {
		f = moreAddresses.FindStringSubmatch(s)
	}
	if f != nil {
		r.short = true
		own, _, _ := strings.Cut(f[1], "/")
		return r.address(f[1], own, m)
	}
	if r.unit == "" {
		if n := len(r.Facts.Interfaces); n > 0 && r.Facts.Interfaces[n-1].MAC == "" {
			if f := hardwareOf.FindStringSubmatch(strings.Replace(s, "Current address: ", "address is ", 1)); f != nil {
				r.Facts.Interfaces[n-1].MAC, _ = layout.Hardware(f[1])
				r.Pass(lo, hi, layout.Part)
				return nil
			}
		}
		// of which unit it is stood on a line that is missing
		if filtersOf.MatchString(s) || protocolOf.MatchString(s) {
			return layout.ErrNoRoute
		}
		r.Pass(lo, hi, layout.Other)
		return nil
	}
	return r.ofUnit(s, lo, hi)
}

// ofUnit reads a line about a logical interface: its state, the protocols on it, what is applied to it.
func (r *nested) ofUnit(s string, lo, hi int) error {
	m := layout.Mark(lo, hi)
	if f := protocolOf.FindStringSubmatch(s); f != nil {
		r.family, r.begins = 0, false
		switch f[1] {
		case "inet":
			r.family = route.IPv4
		case "inet6":
			r.family = route.IPv6
		}
		r.Pass(lo, hi, layout.Part)
		return nil
	}
	if f := filtersOf.FindStringSubmatch(s); f != nil {
		for name := range strings.SplitSeq(f[2], ",") {
			name, _, _ = strings.Cut(strings.TrimSpace(name), "-"+r.unit+"-")
			rule := network.FlowRule{Family: r.family, Hook: network.ComingIn, In: r.unit, Stateless: true, Mark: m}
			if f[1] == "Output" {
				rule.Hook, rule.In, rule.Out = network.GoingOut, "", r.unit
			}
			r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: name, Rule: rule})
		}
		r.Read++
		return nil
	}
	f := unitFlags.FindStringSubmatch(s)
	if f == nil {
		r.Pass(lo, hi, layout.Other)
		return nil
	}
	if r.begins {
		r.begins = false
		i := &r.Facts.Interfaces[len(r.Facts.Interfaces)-1]
		switch words := strings.Fields(f[1]); {
		case strings.Contains(f[1], "Down"):
			i.State = network.LinkDown
		case len(words) > 0 && words[0] == "Up" && i.State == network.LinkUnknown:
			i.State = network.LinkUp
		}
		r.Pass(lo, hi, layout.Part)
		return nil
	}
	if u := sourceFlag.FindStringSubmatch(f[1]); u != nil && r.family != 0 {
		check := network.SourceCheck{Family: r.family, Interface: r.unit, Mode: network.CheckStrict, Mark: m}
		if u[1] != "" {
			check.Mode = network.CheckLoose
		}
		r.Facts.Checks = append(r.Facts.Checks, check)
		r.Read++
		return nil
	}
	r.Pass(lo, hi, layout.Other)
	return nil
}

// address reads an address with the network that it is in, "10.61/16" among them; without one it stands alone.
func (r *nested) address(destination, local string, m mark) error {
	if r.unit == "" {
		return layout.ErrNoRoute
	}
	a, ok := layout.Addr([]byte(local))
	if !ok {
		return layout.ErrAddress
	}
	bits := a.BitLen()
	if addr, length, ok := strings.Cut(destination, "/"); ok {
		for a.Is4() && strings.Count(addr, ".") < 3 {
			addr += ".0"
		}
		p, err := layout.Prefix([]byte(addr+"/"+length), false)
		if err != nil {
			return err
		}
		if !p.Contains(a) {
			return layout.ErrAddress
		}
		bits = p.Bits()
	}
	r.Facts.Addresses = append(r.Facts.Addresses, network.Address{Prefix: netip.PrefixFrom(a, bits), Interface: r.unit,
		Mark: m})
	r.Read++
	return nil
}
