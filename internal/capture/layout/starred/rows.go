package starred

import (
	"bytes"
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

var protocols = map[string]route.Protocol{
	"direct":    route.Direct,
	"local":     route.Local,
	"static":    route.Static,
	"rip":       route.RIP,
	"ripng":     route.RIPng,
	"ospf":      route.OSPF,
	"ospf2":     route.OSPF,
	"ospf3":     route.OSPF,
	"is-is":     route.ISIS,
	"isis":      route.ISIS,
	"bgp":       route.BGP,
	"aggregate": route.Aggregate,
	"kernel":    route.Kernel,
	"dhcp":      route.DHCP,
	"access":    route.DHCP,
}

// row is what "[Protocol/preference]" says.
type row struct {
	protocol   route.Protocol
	subtype    string
	preference route.Number
	end        int // behind the bracket
}

// rowOf is what a protocol with its preference says.
func rowOf(name string, preference route.Number) row {
	x := row{preference: preference}
	x.protocol, x.subtype = protocolOf(name)
	return x
}

// parseProtocol reads the bracket at the start of s. Hidden routes may lack the preference.
func parseProtocol(s []byte) (row, bool) {
	end := bytes.IndexByte(s, ']')
	if end < 2 || s[0] != '[' || end > 40 {
		return row{}, false
	}
	name, pref, slash := strings.Cut(string(s[1:end]), "/")
	name = strings.TrimSpace(name)
	if name == "" || name[0] < 'A' || name[0] > 'Z' {
		return row{}, false
	}
	x := rowOf(name, route.Number{})
	x.end = end + 1
	if slash {
		n, ok := layout.Uint([]byte(strings.TrimLeft(strings.TrimSpace(pref), "-")))
		if !ok {
			return row{}, false
		}
		x.preference = route.N(n)
	}
	return x, true
}

// fullLine reads a line of the full form.
func (r *reader) fullLine(line []byte, lo, hi int) error {
	lead, wordEnd := layout.Field(line, 0)
	if lead == 0 { // a prefix, with its first route behind it or on the next line
		r.flush()
		p, err := firstPrefix(line[:wordEnd])
		if err != nil {
			r.prefix = netip.Prefix{}
			return err
		}
		r.startsPrefix(p)
		lead, _ = layout.Field(line, wordEnd)
		if lead == len(line) {
			r.Pass(lo, hi, layout.PrefixHeading) // the route is on the next line
			return nil
		}
	}
	return r.routeLine(line[lead:], lo, hi)
}

// startsPrefix begins the routes of another prefix.
func (r *reader) startsPrefix(p netip.Prefix) {
	r.flush()
	r.prefix, r.under = p, 0
}

// routeLine reads what stands behind a prefix, or behind the blanks of a line below one.
func (r *reader) routeLine(rest []byte, lo, hi int) error {
	if rest[0] == '*' || rest[0] == '+' || rest[0] == '-' || rest[0] == '[' {
		mark, behind := rest[0], rest
		if mark != '[' {
			behind = rest[1:]
		}
		if x, ok := r.protocol(behind); ok {
			if err := r.begin(x, mark, behind[x.end:], lo, hi); err != nil {
				return err
			}
			r.under++
			r.lines = append(r.lines[:0], layout.Mark(lo, hi))
			return nil
		}
		rest = behind
	}
	if !r.pending {
		return layout.ErrNoRoute
	}
	if r.attr.Protocol != route.BGP && r.attr.Protocol != route.Aggregate && bytes.HasPrefix(rest, []byte("AS path:")) {
		r.flush() // it belongs to a route whose first line is gone, and so does what follows
		r.prefix = netip.Prefix{}
		return layout.ErrNoRoute
	}
	if err := r.below(rest); err != nil {
		return err
	}
	r.hi = hi
	r.Collector.Read++
	r.lines = append(r.lines, layout.Mark(lo, hi))
	return nil
}

// protocol is parseProtocol, which most rows ask the same.
func (r *reader) protocol(s []byte) (row, bool) {
	if len(r.bracket) > 0 && bytes.HasPrefix(s, r.bracket) {
		return r.bracked, true
	}
	x, ok := parseProtocol(s)
	if ok {
		r.bracket, r.bracked = append(r.bracket[:0], s[:x.end]...), x
	}
	return x, ok
}

// firstPrefix reads the prefix that a line begins with.
func firstPrefix(word []byte) (netip.Prefix, error) {
	if !layout.LooksLikeAddress(word) {
		return netip.Prefix{}, layout.ErrNotARoute
	}
	return layout.Prefix(word, false)
}

// usual reads a line that is one of the most frequent ones of the full form, at a look: a prefix with its first route,
// or a way that is in use, or a path, below one. Lead is where the route or the way begins.
func usual(line []byte) (p netip.Prefix, lead int, ok bool) {
	end := 0
	if line[0] != ' ' {
		if p, end, ok = layout.QuickPrefix(line, 0); !ok {
			return p, 0, false
		}
	}
	for lead = end; lead < len(line) && (line[lead] == ' ' || line[lead] == '\t'); {
		lead++
	}
	if lead == len(line) {
		return p, lead, false
	}
	if c := line[lead]; end > 0 {
		return p, lead, c == '*' || c == '+' || c == '-' || c == '['
	}
	return p, lead, line[lead] == '>' || bytes.HasPrefix(line[lead:], []byte("AS path: "))
}

// begin starts a route: what stands behind the bracket are age, metric and the like.
func (r *reader) begin(x row, mark byte, rest []byte, lo, hi int) error {
	r.flush()
	if !r.prefix.IsValid() {
		return layout.ErrNoRoute
	}
	r.attr = layout.Attributes{Attributes: route.Attributes{Preference: x.preference, NextHops: r.attr.NextHops[:0]}}
	r.attr.Protocol, r.attr.Subtype = x.protocol, x.subtype
	if r.attr.Protocol == route.Local {
		r.attr.Special = route.Receive
	}
	for part := rest; len(rest) > 0; part = rest {
		if i := bytes.IndexByte(rest, ','); i >= 0 {
			part, rest = rest[:i], rest[i+1:]
		} else {
			rest = nil
		}
		if err := r.tells(bytes.TrimSpace(part)); err != nil {
			return err
		}
	}
	r.state = 0
	switch {
	case mark == '*' || mark == '+':
		r.state = route.Active | route.Installed
	case !x.preference.Known:
		r.state = route.Unusable // hidden
		r.shown++
	}
	r.pending, r.lo, r.hi = true, lo, hi
	r.counted++
	r.Collector.Read++
	return nil
}

// tells takes what stands between two commas behind the bracket.
func (r *reader) tells(part []byte) error {
	if len(part) == 0 || part[0] != 'm' && part[0] != 'M' && part[0] != 'l' {
		return nil // as the age
	}
	s, ok := bytes.CutPrefix(part, []byte("metric "))
	if !ok {
		s, ok = bytes.CutPrefix(part, []byte("MED ")) // BGP's (RFC 4271 section 5.1.4)
	}
	if ok {
		n, good := layout.Uint(bytes.TrimSpace(s))
		if !good {
			return fmt.Errorf("%w: %q", layout.ErrNumber, s)
		}
		r.attr.Metric = route.N(n)
		if r.attr.Protocol == route.BGP {
			r.attr.BGP.ByMetric = true
		}
	}
	if s, ok := bytes.CutPrefix(part, []byte("localpref ")); ok {
		if n, good := layout.Uint(bytes.TrimSpace(s)); good {
			r.attr.BGP.LocalPreference = route.N(n)
		}
	}
	return nil
}

func protocolOf(s string) (route.Protocol, string) {
	p, ok := protocols[strings.ToLower(s)]
	if !ok {
		return route.Other, s
	}
	return p, ""
}

// A lineUnder is what a line below a route says: a next hop, or the path by which BGP heard of it.
type lineUnder struct {
	hop    route.NextHop
	path   route.BGPPath
	isPath bool
}

// below reads a line under a route: a next hop or what stands in its place.
func (r *reader) below(s []byte) error {
	r.unders.Key(-1, s)
	if u, ok := r.unders.Known(); ok {
		if u.isPath {
			r.heardBy(&u.path)
		} else {
			r.attr.NextHops = append(r.attr.NextHops, u.hop)
		}
		return nil
	}
	if path, ok := bytes.CutPrefix(s, []byte("AS path:")); ok {
		if len(bytes.TrimSpace(path)) == 0 {
			return nil
		}
		path, _, _ = bytes.Cut(path, []byte{','})
		var p route.BGPPath
		layout.ASPath(string(path), &p)
		r.unders.Keep(lineUnder{path: p, isPath: true})
		r.heardBy(&p)
		return nil
	}
	h := route.NextHop{}
	if len(s) > 0 && s[0] == '>' {
		h.Installed = true
		s = bytes.TrimLeft(s[1:], " \t")
	}
	w := strings.Fields(string(s))
	if len(w) == 0 {
		return layout.ErrNotARoute
	}
	switch strings.ToLower(strings.TrimSuffix(w[0], ",")) {
	case "discard":
		r.attr.Special = route.Blackhole
		return nil
	case "reject":
		r.attr.Special = route.Unreachable
		return nil
	case "receive":
		r.attr.Special = route.Receive
		return nil
	case "multirecv":
		r.attr.Special = route.Multicast
		return nil
	case "unusable":
		r.state = route.Unusable
		return nil
	case "local":
		if len(w) > 2 && w[1] == "via" {
			r.attr.NextHops = append(r.attr.NextHops, route.NextHop{Interface: strings.TrimSuffix(w[2], ",")})
		}
		return nil
	case "as":
		return nil
	case "localpref", "from", "communities:", "validation-state:":
		return nil // attributes that say nothing about where packets go
	case "to":
		if len(w) > 2 && w[1] == "table" {
			t, _ := instance(w[2])
			r.attr.NextHops = append(r.attr.NextHops, route.NextHop{Table: t})
			return nil
		}
		if len(w) < 2 {
			return layout.ErrNotARoute
		}
		a, ok := layout.Addr([]byte(strings.TrimSuffix(w[1], ",")))
		if !ok {
			return fmt.Errorf("%w: %q", layout.ErrAddress, w[1])
		}
		h.Address = a
		w = w[2:]
	}
	if len(w) > 1 && w[0] == "via" {
		h.Interface = strings.TrimSuffix(w[1], ",")
	} else if !h.Address.IsValid() {
		return layout.ErrNotARoute
	}
	if strings.Contains(string(s), "indirect") {
		h.Interface, h.Recursive = "", true
	}
	for _, word := range w {
		if word == "Push" || word == "Swap" || word == "label-switched-path" {
			h.Encapsulated = true
		}
	}
	r.attr.NextHops = append(r.attr.NextHops, h)
	r.unders.Keep(lineUnder{hop: h})
	return nil
}

// heardBy takes what a path says.
func (r *reader) heardBy(p *route.BGPPath) {
	b := &r.attr.BGP
	b.Length = p.Length
	if p.NeighbourAS != 0 {
		b.NeighbourAS = p.NeighbourAS
	}
	if p.Origin != 0 {
		b.Origin = p.Origin
	}
}

var terseLetters = map[string]string{
	"A":  "Aggregate",
	"B":  "BGP",
	"C":  "CCC",
	"D":  "Direct",
	"I":  "IS-IS",
	"K":  "Kernel",
	"L":  "Local",
	"O":  "OSPF",
	"P":  "PIM",
	"R":  "RIP",
	"S":  "Static",
	"Ac": "Access",
}

// terseRow reads "A V Destination P Prf Metric1 Metric2 Next-hop AS-path"; further next hops stand alone below, and so
// does all behind a destination that has no room.
func (r *reader) terseRow(line []byte, lo, hi int) error {
	w := strings.Fields(string(line))
	mark := byte(' ')
	if r.sign != 0 && w[0] != "?" {
		mark = r.sign
	}
	r.sign = 0
	if len(w[0]) == 1 && strings.ContainsAny(w[0], "*+-") {
		mark, w = w[0][0], w[1:]
	}
	if len(w) > 0 && len(w[0]) == 1 && strings.ContainsAny(w[0], "?VIUN") && len(w) > 1 &&
		(layout.LooksLikeAddress([]byte(w[1])) || terseLetters[w[1]] != "") {
		w = w[1:]
	}
	if len(w) > 2 && layout.LooksLikeAddress([]byte(w[0])) && strings.Contains(w[0], "/") {
		r.flush()
		var err error
		if r.prefix, err = layout.Prefix([]byte(w[0]), false); err != nil {
			r.prefix = netip.Prefix{}
			return err
		}
		w = w[1:]
	} else if len(w) == 1 && strings.Contains(w[0], "/") {
		if p, err := layout.Prefix([]byte(w[0]), false); err == nil {
			r.flush()
			r.prefix, r.sign = p, mark
			r.Pass(lo, hi, layout.PrefixHeading)
			return nil
		}
	}
	if len(w) > 1 && terseLetters[w[0]] != "" {
		n, ok := layout.Uint([]byte(w[1]))
		if !ok {
			return fmt.Errorf("%w: %q", layout.ErrNumber, w[1])
		}
		x := rowOf(terseLetters[w[0]], route.N(n))
		if err := r.begin(x, mark, nil, lo, hi); err != nil {
			return err
		}
		w = w[2:]
		if len(w) > 0 && !strings.HasPrefix(w[0], ">") {
			if n, ok := layout.Uint([]byte(w[0])); ok && x.protocol != route.BGP {
				r.attr.Metric = route.N(n)
			}
		}
		for len(w) > 0 {
			if _, ok := layout.Uint([]byte(w[0])); !ok {
				break
			}
			w = w[1:]
		}
	} else if !r.pending {
		return layout.ErrNoRoute
	} else {
		r.Collector.Read++
		r.hi = hi
	}
	return r.terseHop(w)
}

// terseHop reads the next-hop column.
func (r *reader) terseHop(w []string) error {
	if len(w) == 0 {
		return nil
	}
	h := route.NextHop{}
	s := w[0]
	if rest, ok := strings.CutPrefix(s, ">"); ok {
		h.Installed, s = true, rest
		if s == "" && len(w) > 1 {
			s = w[1]
		}
	}
	switch s {
	case "Discard":
		r.attr.Special = route.Blackhole
		return nil
	case "Reject":
		r.attr.Special = route.Unreachable
		return nil
	case "Receive", "Local":
		r.attr.Special = route.Receive
		return nil
	case "MultiRecv":
		r.attr.Special = route.Multicast
		return nil
	}
	if a, ok := layout.Addr([]byte(s)); ok {
		h.Address = a
	} else {
		h.Interface = s
	}
	r.attr.NextHops = append(r.attr.NextHops, h)
	return nil
}

func isNumber(s string) bool {
	_, ok := layout.Uint([]byte(s))
	return ok
}
