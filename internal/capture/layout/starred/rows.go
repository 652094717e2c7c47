package starred

import (
	"bytes"
	"fmt"
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
	protocol   string
	preference route.Number
	end        int // behind the bracket
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
	x := row{protocol: name, end: end + 1}
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
		if err := r.startsPrefix(line, wordEnd); err != nil {
			r.prefix = ""
			return err
		}
		r.under = 0
		lead, _ = layout.Field(line, wordEnd)
		if lead == len(line) {
			r.Pass(lo, hi, layout.PrefixHeading) // the route is on the next line
			return nil
		}
	}
	rest := line[lead:]
	if rest[0] == '*' || rest[0] == '+' || rest[0] == '-' || rest[0] == '[' {
		mark := rest[0]
		if mark != '[' {
			rest = rest[1:]
		}
		if x, ok := parseProtocol(rest); ok {
			if err := r.begin(x, mark, rest[x.end:], lo, hi); err != nil {
				return err
			}
			r.under++
			r.lines = append(r.lines[:0], layout.Mark(lo, hi))
			return nil
		}
	}
	if !r.pending {
		return layout.ErrNoRoute
	}
	if r.attr.Protocol != route.BGP && r.attr.Protocol != route.Aggregate && bytes.HasPrefix(rest, []byte("AS path:")) {
		r.flush() // it belongs to a route whose first line is gone, and so does what follows
		r.prefix = ""
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

// startsPrefix reads the prefix that a line begins with.
func (r *reader) startsPrefix(line []byte, wordEnd int) error {
	word := line[:wordEnd]
	if p, _, ok := layout.QuickPrefix(line, 0); ok {
		r.prefix = string(word)
		r.quick, r.quickOf = p, r.prefix
		return nil
	}
	if !layout.LooksLikeAddress(word) {
		return layout.ErrNotARoute
	}
	if _, err := layout.Prefix(word, false); err != nil {
		return err
	}
	r.prefix = string(word)
	return nil
}

// usual reports whether a line is one of the most frequent ones of the full form, at a look: a prefix with its first
// route, or a way that is in use, or a path, below one.
func usual(line []byte) bool {
	if line[0] != ' ' {
		_, end, ok := layout.QuickPrefix(line, 0)
		if !ok {
			return false
		}
		lead, _ := layout.Field(line, end)
		return lead < len(line) && bytes.IndexByte([]byte("*+-["), line[lead]) >= 0
	}
	lead, _ := layout.Field(line, 0)
	return lead < len(line) && (line[lead] == '>' || bytes.HasPrefix(line[lead:], []byte("AS path: ")))
}

// begin starts a route: what stands behind the bracket are age, metric and the like.
func (r *reader) begin(x row, mark byte, rest []byte, lo, hi int) error {
	r.flush()
	if r.prefix == "" {
		return layout.ErrNoRoute
	}
	r.attr = layout.Attributes{Attributes: route.Attributes{Preference: x.preference, NextHops: r.attr.NextHops[:0]}}
	r.attr.Protocol, r.attr.Subtype = protocolOf(x.protocol)
	if r.attr.Protocol == route.Local {
		r.attr.Special = route.Receive
	}
	for part := range bytes.SplitSeq(rest, []byte{','}) {
		part = bytes.TrimSpace(part)
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

func protocolOf(s string) (route.Protocol, string) {
	p, ok := protocols[strings.ToLower(s)]
	if !ok {
		return route.Other, s
	}
	return p, ""
}

// below reads a line under a route: a next hop or what stands in its place.
func (r *reader) below(s []byte) error {
	r.ways.Key(-1, s)
	if h, ok := r.ways.Known(); ok {
		r.attr.NextHops = append(r.attr.NextHops, h)
		return nil
	}
	if path, ok := bytes.CutPrefix(s, []byte("AS path:")); ok {
		r.path(path)
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
	r.ways.Keep(h)
	return nil
}

// path reads what stands behind "AS path:", which may be nothing.
func (r *reader) path(s []byte) {
	if len(bytes.TrimSpace(s)) == 0 {
		return
	}
	s, _, _ = bytes.Cut(s, []byte{','})
	r.paths.Key(-1, s)
	p, known := r.paths.Known()
	if !known {
		layout.ASPath(string(s), &p)
		r.paths.Keep(p)
	}
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
		if _, err := layout.Prefix([]byte(w[0]), false); err != nil {
			r.prefix = ""
			return err
		}
		r.prefix, w = w[0], w[1:]
	} else if len(w) == 1 && strings.Contains(w[0], "/") {
		if _, err := layout.Prefix([]byte(w[0]), false); err == nil {
			r.flush()
			r.prefix, r.sign = w[0], mark
			r.Pass(lo, hi, layout.PrefixHeading)
			return nil
		}
	}
	if len(w) > 1 && terseLetters[w[0]] != "" {
		n, ok := layout.Uint([]byte(w[1]))
		if !ok {
			return fmt.Errorf("%w: %q", layout.ErrNumber, w[1])
		}
		x := row{protocol: terseLetters[w[0]], preference: route.N(n)}
		if err := r.begin(x, mark, nil, lo, hi); err != nil {
			return err
		}
		w = w[2:]
		if len(w) > 0 && !strings.HasPrefix(w[0], ">") {
			if n, ok := layout.Uint([]byte(w[0])); ok && x.protocol != "BGP" {
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
