// Package records reads tables in which each route is a record of names and values, "Destination: 10.61.9.0/24", two
// pairs on a line, of both families. It exists because such a listing has no columns: what a value means stands before
// it.
package records

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const name = "records"

// Reader reads this family.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "a record of names and values for each route, of both families",
	Sample: "Destination  : FD6B:9::                PrefixLength : 48\n" +
		"NextHop      : FE80::2                 Preference   : 60\n" +
		"Interface    : up0                     Protocol     : Static\n"}

var (
	// pair is a name with what stands behind it, up to two blanks; nothing, where there is none.
	pair    = lazyregexp.New(`^\s*([A-Za-z][A-Za-z0-9_-]*(?: [A-Za-z]+)?) ?\s*:(?:\s+(\S+(?: \S+)*)?)?\s*$`)
	counts  = lazyregexp.New(`^\s*Destinations\s*:\s*(\d+)\s+Routes\s*:\s*(\d+)\s*$`)
	answers = lazyregexp.New(`^\s*Summary Count\s*:\s*\d+\s*$`)
	table   = lazyregexp.New(`^\s*Routing Tables?\s*:\s*(\S+)\s*$`)
	ruler   = lazyregexp.New(`^\s*[-=]{4,}\s*$`)
	flags   = lazyregexp.New(`(?i)^\s*(?:Route Flags|Proto)\s*:`)
)

// known are the names that a record may have; those without a meaning here say nothing of where packets go.
var known = map[string]bool{
	"destination": true, "prefixlength": true, "mask": true, "nexthop": true, "interface": true, "preference": true,
	"cost":   true,
	"metric": true, "protocol": true, "state": true,

	"age": true, "flags": true, "tag": true, "label": true, "priority": true, "qosinfo": true, "neighbour": true,
	"neighbor":   true,
	"process id": true, "relaynexthop": true, "relynexthop": true, "tunnelid": true, "indirectid": true,
	"tableid": true, "inlabel": true,
	"outlabel": true, "subprotid": true, "oprefix": true, "vn": true, "orignexthop": true, "orignh": true,
	"backupnexthop":   true,
	"backupinterface": true, "bkinterface": true, "bklabel": true, "bktunnel id": true, "bknexthop": true,
	"attrid": true, "realnexthop": true,
	"instance": true,
	"localas":  true, "communityid": true, "nibid": true, "lastas": true, "aspath": true, "nbr": true, "exthdrid": true,
}

// mayLack are the names that may have no value.
var mayLack = map[string]bool{"instance": true, "flags": true, "neighbour": true, "neighbor": true, "label": true,
	"aspath": true, "communityid": true, "lastas": true}

var protocols = map[string]route.Protocol{
	"direct": route.Direct, "static": route.Static, "rip": route.RIP, "ripng": route.RIPng, "ospf": route.OSPF,
	"ospfv3": route.OSPF,
	"isis":   route.ISIS, "is-is": route.ISIS, "bgp": route.BGP, "ibgp": route.BGP, "ebgp": route.BGP,
	"bgp4+": route.BGP,
	"unr":   route.Static,
}

// kinds are the kinds of OSPF's paths.
var kinds = map[string]string{"o_ase": "external", "o_ase1": "external-1", "o_ase2": "external-2",
	"o_inter": "inter-area", "o_intra": "intra-area", "o_nssa1": "nssa-external-1", "o_nssa2": "nssa-external-2"}

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if _, ok := begins(text[lo:hi]); ok {
			n += 4
		}
	}
	return n
}

// reader walks the text.
type reader struct {
	layout.Collector
	table   string
	says    int // destinations of the table, by its heading; 0: it does not say
	heading [2]int
	routes  []netip.Prefix // destinations of the table
	lines   []bounds       // of the record so far
	values  map[string][]string
	broken  bool // a line of the record was not understood
	text    []byte
	likes   layout.Likenesses[likeRecord]
	own     netip.Addr // the device's own address in the attached network of the record; not valid for none
}

type bounds struct{ lo, hi int }

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{table: "default", text: text}
	r.Layout = name
	for lo, next := 0, 0; lo < len(text); lo = next {
		var hi int
		hi, next = layout.LineAt(text, lo)
		line := text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		_, isFirst := begins(line)
		if isFirst {
			r.flush()
			if end, ok := r.quick(lo); ok {
				next = end
				continue
			}
		}
		s := string(line[:min(len(line), 1000)])
		switch {
		case isFirst:
			if !r.take(s, lo, hi) {
				r.LeaveUnread(lo, hi, layout.ErrNotARoute)
			}
		case counts.MatchString(s), table.MatchString(s):
			r.flush()
			r.headings(s, lo, hi)
		case ruler.MatchString(s), flags.MatchString(s), answers.MatchString(s):
			r.flush()
			r.Pass(lo, hi, layout.Ruler)
		case r.values == nil || !r.take(s, lo, hi):
			r.broken = r.values != nil // what the line says of the record is not known
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
		}
	}
	r.flush()
	r.endTable()
	return r.Reading
}

// headings reads which table begins and how many destinations it has.
func (r *reader) headings(s string, lo, hi int) {
	r.Pass(lo, hi, layout.Title)
	if m := counts.FindStringSubmatch(s); m != nil {
		n, _ := layout.Uint([]byte(m[1]))
		r.says, r.heading = int(n), [2]int{lo, hi}
		return
	}
	r.endTable()
	r.likes.Forget()
	r.table = table.FindStringSubmatch(s)[1]
	if strings.EqualFold(r.table, "public") || strings.HasPrefix(r.table, "_public_") {
		r.table = "default"
	}
}

// endTable marks a table as a part where its heading says that there is more.
func (r *reader) endTable() {
	if r.says > 0 {
		slices.SortFunc(r.routes, netip.Prefix.Compare)
		r.Partial(r.table, len(slices.Compact(r.routes)) < r.says, r.heading[0], r.heading[1])
	}
	r.says, r.routes = 0, r.routes[:0]
}

// take adds a line's pairs to the record; false where the line has none, or one that no record has.
func (r *reader) take(s string, lo, hi int) bool {
	var found [][2]string
	for part := range strings.SplitSeq(spread(s), "\x00") {
		m := pair.FindStringSubmatch(part)
		if m == nil || !known[strings.ToLower(m[1])] || strings.Contains(m[2], " :") {
			return false
		}
		key := strings.ToLower(m[1])
		if m[2] == "" && !mayLack[key] {
			return false
		}
		found = append(found, [2]string{key, strings.TrimSpace(m[2])})
	}
	if len(found) == 0 {
		return false
	}
	if r.values == nil {
		r.values = map[string][]string{}
	}
	for _, f := range found {
		r.values[f[0]] = append(r.values[f[0]], f[1])
	}
	r.lines = append(r.lines, bounds{lo, hi})
	return true
}

// spread parts the pairs of a line: a name behind two blanks begins one.
func spread(s string) string {
	return between.ReplaceAllString(s, "$1\x00$2")
}

var between = lazyregexp.New(`(\S)\s{2,}([A-Za-z][A-Za-z0-9_-]*(?: [A-Za-z]+)? ?\s*:(?:\s|$))`)

// flush ends a record. One that is not understood is unread as a whole.
func (r *reader) flush() {
	if r.values == nil {
		return
	}
	p, a, state, err := r.record()
	if len(r.values["protocol"]) == 0 && err == nil { // every record has it
		err = errBroken
	}
	if r.broken && err == nil {
		err = errBroken
	}
	r.broken = false
	lines := r.lines
	first, last := lines[0], lines[len(lines)-1]
	r.values, r.lines = nil, nil
	if err != nil {
		for _, b := range lines {
			r.LeaveUnread(b.lo, b.hi, err)
		}
		return
	}
	r.routes = append(r.routes, p)
	r.Collector.Read += len(lines)
	m := layout.Mark(first.lo, last.hi)
	room := 0
	if len(r.Facts.Tables) == 0 {
		room = len(r.text) / (last.hi - first.lo)
		r.routes = slices.Grow(r.routes, room)
	}
	shared := r.Add(r.table, network.Candidates, a.Route(p, state, m), room)
	r.remember(first.lo, last.hi, len(lines), likeRecord{shared: shared, state: state, prefix: p})
	if h := a.NextHops; a.Protocol == route.Direct && len(h) == 1 && h[0].Interface != "" && r.own.IsValid() &&
		p.Contains(r.own) && !p.IsSingleIP() {
		table := ""
		if r.table != "default" {
			table = r.table
		}
		r.Facts.Addresses = append(r.Facts.Addresses, network.Address{
			Prefix: netip.PrefixFrom(r.own, p.Bits()), Interface: h[0].Interface, Table: table, Mark: m,
		})
	}
}

var errElsewhere = errors.New("its next hop is in another instance, of which this record does not say all")

var errBroken = errors.New("a line of this record was not understood")

// first returns the first value of a name, "" for none.
func (r *reader) first(key string) string {
	if v := r.values[key]; len(v) > 0 {
		return v[0]
	}
	return ""
}

// record makes a route of the values.
func (r *reader) record() (p netip.Prefix, a layout.Attributes, state route.State, err error) {
	text := r.first("destination")
	for _, length := range []string{r.first("prefixlength"), r.first("mask")} {
		if length != "" && !strings.Contains(text, "/") {
			text += "/" + length
		}
	}
	if !strings.Contains(text, "/") {
		return p, a, 0, layout.ErrNoLength
	}
	if p, err = layout.Prefix([]byte(text), false); err != nil {
		return p, a, 0, err
	}
	p = p.Masked()
	word := strings.ToLower(r.first("protocol"))
	pr, ok := protocols[word]
	if !ok {
		pr, a.Subtype = route.Other, word
		if base, _, kind := strings.Cut(strings.Replace(word, "o_", "ospf_", 1), "_"); kind {
			if p, known := protocols[base]; known { // O_ASE: a kind of its paths
				pr, a.Subtype = p, kinds[word]
			}
		}
	}
	if pr == route.RIP && p.Addr().Is6() {
		pr = route.RIPng
	}
	a.Protocol = pr
	for _, x := range []struct {
		name string
		into *route.Number
	}{{"preference", &a.Preference}, {"cost", &a.Metric}, {"metric", &a.Metric}} {
		if v := r.first(x.name); v != "" {
			n, ok := layout.Uint([]byte(v))
			if !ok {
				return p, a, 0, fmt.Errorf("%w: %q", layout.ErrNumber, v)
			}
			*x.into = route.N(n)
		}
	}
	if err := r.hops(p, &a); err != nil {
		return p, a, 0, err
	}
	if v, told := r.values["flags"]; told && v[0] == "" && !strings.Contains(r.first("state"), "Inactive") {
		return p, a, 0, errBroken // one in use has some
	}
	state = route.Active | route.Installed
	if s, told := r.values["state"]; told && !strings.Contains(s[0], "Active") ||
		told && strings.Contains(s[0], "Inactive") {
		state = 0
	}
	return p, a, state, nil
}

// hops reads where the route leads.
func (r *reader) hops(p netip.Prefix, a *layout.Attributes) error {
	r.own = netip.Addr{}
	if v := r.first("instance"); v != "" && !strings.EqualFold(v, "null") && !strings.EqualFold(v, "_public_") ||
		strings.Contains(r.first("flags"), "T") {
		return errElsewhere
	}
	relayed := strings.Contains(r.first("flags"), "R")
	if via, ok := layout.Addr([]byte(r.first("relaynexthop"))); ok && !via.IsUnspecified() {
		relayed = true
	}
	links := r.values["interface"]
	for i, text := range r.values["nexthop"] {
		h := route.NextHop{}
		if i < len(links) && links[i] != "-" && !strings.EqualFold(links[i], "unknown") {
			h.Interface = links[i]
		}
		addr, ok := layout.Addr([]byte(text))
		if !ok {
			return fmt.Errorf("%w: %q", layout.ErrAddress, text)
		}
		low := strings.ToLower(h.Interface)
		switch {
		case layout.Discards(h.Interface):
			a.Special, a.NextHops = route.Blackhole, nil
			return nil
		case a.Protocol == route.Direct && p.IsSingleIP() && (addr.IsLoopback() || strings.HasPrefix(low, "inloop") ||
			addr == p.Addr()):
			a.Protocol, a.Special, a.NextHops = route.Local, route.Receive, nil
			return nil
		case a.Protocol == route.Direct:
			r.own = addr // the next hop of an attached network is the device's own address there
		case !addr.IsUnspecified():
			h.Address, h.Recursive = addr, relayed
		}
		if h == (route.NextHop{}) {
			return layout.ErrNoRoute
		}
		a.NextHops = append(a.NextHops, h)
	}
	if len(a.NextHops) == 0 {
		return layout.ErrNoRoute
	}
	return nil
}
