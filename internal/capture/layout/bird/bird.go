// Package bird reads what the BIRD routing daemon prints of its tables, plain or with all attributes, of version 2 and
// of version 1, which has the next hop on the route's own line.
//
// In these tables the highest preference wins; the reader says so and leaves the numbers as they are.
package bird

import (
	"bytes"
	"errors"
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const name = "BIRD"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "the BIRD daemon's tables, plain or with attributes",
	Sample: "Table master4:\n" +
		"10.61.32.0/24        unicast [ospf1 09:12:31.001] * I (150/20) [10.61.254.3]\n" +
		"\tvia 172.28.61.6 on line1\n"}

var errNoSource = errors.New("no [protocol time] behind the route's type")

// recognise counts for a heading more than for a row, which other layouts resemble.
func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		line := text[lo:hi]
		if len(line) > 1000 || layout.Blank(line) {
			continue
		}
		if _, ok := tableHeading(line); ok || bytes.HasPrefix(line, []byte("BIRD ")) {
			n += 3
			continue
		}
		if _, err := parse(string(line)); err == nil {
			n += 2
		}
	}
	return n
}

// tableHeading reads "Table NAME:".
func tableHeading(line []byte) (string, bool) {
	s, ok := bytes.CutPrefix(line, []byte("Table "))
	if !ok {
		return "", false
	}
	s, ok = bytes.CutSuffix(bytes.TrimRight(s, " "), []byte(":"))
	return string(s), ok && len(s) > 0 && !bytes.ContainsAny(s, " \t")
}

var types = map[string]route.Special{
	"unicast":     route.None,
	"blackhole":   route.Blackhole,
	"unreachable": route.Unreachable,
	"prohibit":    route.Prohibit,
}

// head is a line that begins a route.
type head struct {
	prefix netip.Prefix // the zero Prefix: that of the route before
	wrong  error        // with its prefix
	attr   layout.Attributes
	chosen bool
}

// parse reads "[PREFIX] TYPE [protocol time] [*] [TYPE] (preference[/metric…]) …", or version 1's
// "[PREFIX] via A on I [protocol time] …".
func parse(line string) (head, error) {
	var h head
	left, rest, ok := strings.Cut(line, "[")
	if !ok {
		return h, layout.ErrNotARoute
	}
	source, after, ok := strings.Cut(rest, "]")
	if !ok {
		return h, layout.ErrNotARoute
	}
	w := strings.Fields(left)
	if len(w) > 0 && layout.LooksLikeAddress([]byte(w[0])) {
		h.prefix, h.wrong = layout.Prefix([]byte(w[0]), false)
		w = w[1:]
	}
	if len(w) == 0 {
		return h, layout.ErrNotARoute
	}
	special, known := types[w[0]]
	switch {
	case known && len(w) == 1:
		h.attr.Special = special
	case w[0] == "via" || w[0] == "dev" || w[0] == "multipath":
		if w[0] != "multipath" {
			hop, err := nextHop(w)
			if err != nil {
				return h, err
			}
			h.attr.NextHops = append(h.attr.NextHops, hop)
		}
	default:
		return h, layout.ErrNotARoute
	}
	proto, _, _ := strings.Cut(source, " ")
	if proto == "" {
		return h, errNoSource
	}
	h.attr.Protocol, h.attr.Subtype = protocolOf(proto)
	open := strings.IndexByte(after, '(')
	end := strings.IndexByte(after, ')')
	if open < 0 || end < open {
		return h, layout.ErrNotARoute
	}
	for f := range strings.FieldsSeq(after[:open]) {
		switch f {
		case "*":
			h.chosen = true
		case "I":
			h.attr.Protocol, h.attr.Subtype = route.OSPF, "intra-area"
		case "IA":
			h.attr.Protocol, h.attr.Subtype = route.OSPF, "inter-area"
		case "E1":
			h.attr.Protocol, h.attr.Subtype = route.OSPF, "external-1"
		case "E2":
			h.attr.Protocol, h.attr.Subtype = route.OSPF, "external-2"
		}
	}
	numbers := strings.Split(after[open+1:end], "/")
	p, ok := layout.Uint([]byte(numbers[0]))
	if !ok {
		return h, fmt.Errorf("%w: %q", layout.ErrNumber, after[open:end+1])
	}
	h.attr.Preference = route.N(p)
	if len(numbers) > 1 {
		m := numbers[1]
		if h.attr.Subtype == "external-2" && len(numbers) > 2 {
			m = numbers[2] // (preference/cost to the border/external metric): the latter counts first, RFC 2328 16.4
		}
		if n, ok := layout.Uint([]byte(m)); ok {
			h.attr.Metric = route.N(n)
		}
	}
	if strings.Contains(after[end:], "[AS") && h.attr.Protocol == route.Other {
		h.attr.Protocol, h.attr.Subtype = route.BGP, ""
	}
	return h, nil
}

// protocolOf names the protocol by the instance's name, which begins with it unless somebody chose another.
func protocolOf(instance string) (route.Protocol, string) {
	low := strings.ToLower(instance)
	for _, p := range []struct {
		name  string
		proto route.Protocol
	}{{"direct", route.Direct}, {"static", route.Static}, {"ospf", route.OSPF}, {"ripng", route.RIPng}, {"rip",
		route.RIP}, {"bgp", route.BGP},
		{"kernel", route.Kernel}, {"babel", route.Babel}, {"device", route.Direct}} {
		if strings.HasPrefix(low, p.name) {
			return p.proto, ""
		}
	}
	return route.Other, "instance " + instance
}

// nextHop reads "via A on I [weight N] [onlink]" or "dev I".
func nextHop(w []string) (route.NextHop, error) {
	var h route.NextHop
	for i := 0; i < len(w); i++ {
		next := ""
		if i+1 < len(w) {
			next = w[i+1]
		}
		switch w[i] {
		case "via":
			a, ok := layout.Addr([]byte(next))
			if !ok {
				return h, fmt.Errorf("%w: %q", layout.ErrAddress, next)
			}
			h.Address = a
			i++
		case "on", "dev":
			h.Interface = next
			i++
		case "weight":
			n, ok := layout.Uint([]byte(next))
			if !ok || n > 1<<31 {
				return h, fmt.Errorf("%w: %q", layout.ErrNumber, next)
			}
			h.Weight = uint32(n)
			i++
		case "onlink":
			h.OnLink = true
		}
	}
	if !h.Address.IsValid() && h.Interface == "" {
		return h, layout.ErrNotARoute
	}
	return h, nil
}

type reader struct {
	layout.Collector
	table   string
	prefix  netip.Prefix // of the routes that follow; the zero Prefix: none is known
	cur     head
	pending bool
	lo, hi  int
	text    []byte
	ways    []route.NextHop                  // those of cur
	seen    layout.Likenesses[*head]         // lines by all that they say but the prefix, the time and the metric
	hops    layout.Likenesses[route.NextHop] // lines below them
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{text: text, table: "default"}
	r.Layout, r.PathTypes = name, true
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		if err := r.line(line, lo, hi); err != nil {
			r.flush()
			if line[0] != ' ' && line[0] != '\t' { // the prefix of what stands below may have been there
				r.prefix = netip.Prefix{}
			}
			if hi == len(text) && len(r.Facts.Tables) > 0 {
				err = fmt.Errorf("%w: %w", layout.ErrCut, err)
				r.CutLast()
			}
			r.LeaveUnread(lo, hi, err)
		}
	}
	r.flush()
	for i := range r.Facts.Tables {
		r.Facts.Tables[i].HighestWins = true
	}
	return r.Reading
}

// line reads one line of a daemon's table: a heading, a route, or the next hop or attribute that goes on with one.
func (r *reader) line(line []byte, lo, hi int) error {
	if t, ok := tableHeading(line); ok {
		r.flush()
		r.table, r.prefix = t, netip.Prefix{}
		if t == "master4" || t == "master6" || t == "master" {
			r.table = "default"
		}
		r.Pass(lo, hi, layout.Title)
		return nil
	}
	if bytes.HasPrefix(line, []byte("BIRD ")) || bytes.HasPrefix(line, []byte("Access restricted")) {
		r.Pass(lo, hi, layout.Title)
		return nil
	}
	indented := line[0] == ' ' || line[0] == '\t'
	if !indented {
		if h, ok := r.quick(line); ok {
			return r.begin(h, lo, hi)
		}
	}
	if r.hops.Key(-1, line); indented && r.pending {
		if h, ok := r.hops.Known(); ok {
			r.goesOn(h, hi)
			return nil
		}
	}
	s := string(line)
	w := strings.Fields(s)
	if indented && (w[0] == "via" || w[0] == "dev") && !strings.Contains(s, "[") {
		if !r.pending {
			return layout.ErrNoRoute
		}
		h, err := nextHop(w)
		if err != nil {
			return err
		}
		r.hops.Keep(h)
		r.goesOn(h, hi)
		return nil
	}
	if indented && r.pending && strings.Contains(w[0], ".") && strings.HasSuffix(w[0], ":") ||
		indented && r.pending && (w[0] == "Type:" || w[0] == "preference:" || w[0] == "Internal") {
		r.attribute(w)
		r.hi = hi
		r.Collector.Read++
		return nil
	}
	h, err := parse(s)
	if err != nil {
		return err
	}
	r.remember(line, h)
	return r.begin(&h, lo, hi)
}

// goesOn adds a next hop that stands on a line of its own.
func (r *reader) goesOn(h route.NextHop, hi int) {
	r.ways = append(r.ways, h)
	r.cur.attr.NextHops = r.ways
	r.hi = hi
	r.Collector.Read++
}

// begin takes a line that begins a route.
func (r *reader) begin(h *head, lo, hi int) error {
	r.flush()
	if h.wrong != nil {
		r.prefix = netip.Prefix{}
		return h.wrong
	}
	if h.prefix.IsValid() {
		r.prefix = h.prefix
	}
	if !r.prefix.IsValid() {
		return layout.ErrNoRoute
	}
	r.cur, r.pending, r.lo, r.hi = *h, true, lo, hi
	r.ways = append(r.ways[:0], h.attr.NextHops...)
	r.cur.attr.NextHops = r.ways
	r.Collector.Read++
	return nil
}

// attribute reads a line of "show route all": the type and metric where the short line cannot tell them.
func (r *reader) attribute(w []string) {
	a := &r.cur.attr
	if len(w) < 2 {
		if w[0] == "BGP.as_path:" { // empty: the route comes from within
			a.BGP.Length = route.N(0)
		}
		return
	}
	switch w[0] {
	case "Type:":
		if p, sub := protocolOf(strings.Split(w[1], "-")[0]); a.Protocol == route.Other && sub != "instance "+w[1] {
			a.Protocol, a.Subtype = p, ""
		}
	case "BGP.as_path:":
		layout.ASPath(strings.Join(w[1:], " "), &a.BGP)
	case "BGP.local_pref:", "BGP.med:":
		if n, ok := layout.Uint([]byte(w[1])); ok && w[0] == "BGP.med:" {
			a.BGP.MultiExit = route.N(n)
		} else if ok {
			a.BGP.LocalPreference = route.N(n)
		}
	case "BGP.origin:":
		a.BGP.Origin = map[string]route.Origin{"IGP": route.OriginIGP, "EGP": route.OriginEGP,
			"Incomplete": route.OriginIncomplete}[w[1]]
	case "RIP.metric:", "Babel.metric:", "Kernel.metric:":
		if n, ok := layout.Uint([]byte(w[1])); ok && !a.Metric.Known {
			a.Metric = route.N(n)
		}
	}
}

// flush adds the route that is read when the lines that go on with it are over; RIP of IPv6 is RIPng (RFC 2080), which
// the daemon does not tell apart.
func (r *reader) flush() {
	if !r.pending {
		return
	}
	r.pending = false
	p := r.prefix
	state := route.State(0)
	if r.cur.chosen {
		state = route.Active | route.Installed
	}
	if r.cur.attr.Protocol == route.RIP && p.Addr().Is6() {
		r.cur.attr.Protocol = route.RIPng
	}
	x := r.cur.attr.Route(p, state, layout.Mark(r.lo, r.hi))
	r.Add(r.table, network.Candidates, x, r.Room(r.text[r.lo:]))
}
