// Package flagged reads numbered tables whose rows carry flag letters before the columns, and the same routes written
// out as key=value pairs. What a letter means is in the key ("Flags: …") above the table.
package flagged

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const name = "flagged"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "flag letters before the columns, or key=value pairs",
	Sample: "Flags: A - ACTIVE; c - CONNECT, s - STATIC\n" +
		"#     DST-ADDRESS       GATEWAY        DISTANCE\n" +
		"0  As 10.61.32.0/24     172.28.61.6           1\n"}

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		line := text[lo:hi]
		if isHeading(line) || isDetail(line) || isAddresses(line) || isInterfaces(line) ||
			isNeighbour(line) {
			n += 6
		}
	}
	return n
}

func isHeading(line []byte) bool {
	return bytes.Contains(line, []byte("DST-ADDRESS")) && bytes.Contains(line, []byte("GATEWAY")) &&
		!layout.Damaged(line)
}

type reader struct {
	layout.Collector
	legend  map[string]string
	inKey   bool
	prefAt  int // where columns begin in the heading, -1 for none
	gwAt    int
	dist    bool
	wide    []nameAt // the names of all columns, where some stand behind the distance
	addrs   bool     // the rows are addresses
	links   bool     // the rows are interfaces
	counts  bool     // the rows of addresses have numbers
	six     bool     // the rows are IPv6 addresses
	next    uint64   // the number that the next numbered row has
	skipped bool     // some row had a larger one: rows before it are missing
	running string   // the letter of those that run; "": the key has none

	// A route written as pairs goes on over several lines.
	flags  string
	pairs  map[string]string
	lo, hi int

	seen layout.Likenesses[likeRow] // of the rows right above
	led  likeRow                    // what the last row led to, where that is no matter of its prefix

	behind []byte // the text below the line
	taken  int    // where it goes on behind lines that belong to a row above them

	carried string // flags of a line with a comment, for what is on the next
	comment bool   // that line is the one above
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{legend: map[string]string{}, prefAt: -1, gwAt: -1}
	r.Layout = name
	if !bytes.Contains(text, []byte("Flags:")) && bytes.Contains(text, []byte("dst-address=")) {
		r.key(usualFlags)
	}
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		if lo < r.taken {
			continue
		}
		r.behind = text[hi:]
		if layout.Blank(line) {
			r.flush()
			r.inKey = false
			continue
		}
		if r.quick(line, lo, hi) {
			continue
		}
		err := r.line(line, lo, hi)
		if r.remember(line); err != nil {
			if hi == len(text) && len(r.Facts.Tables) > 0 {
				err = fmt.Errorf("%w: %w", layout.ErrCut, err)
				r.CutLast()
			}
			r.LeaveUnread(lo, hi, err)
		}
	}
	r.flush()
	return r.Reading
}

// line reads a line of a list whose rows begin with a number and flags: the key of the flags, column names, or a row in
// pairs or columns.
func (r *reader) line(line []byte, lo, hi int) error {
	s := layout.Untab(string(line))
	t := strings.TrimSpace(s)
	switch {
	case strings.HasPrefix(t, "Flags:"):
		r.flush()
		r.inKey, r.next, r.skipped = true, 0, false
		r.key(strings.TrimPrefix(t, "Flags:"))
		r.Pass(lo, hi, layout.Key)
		return nil
	case strings.HasPrefix(t, "Columns:"):
		r.inKey = false
		r.Pass(lo, hi, layout.Names)
		return nil
	case isHeading(line) && strings.HasPrefix(t, "#"), isHeading(line) && strings.HasPrefix(t, "DST-ADDRESS"):
		r.flush()
		r.inKey = false
		r.addrs, r.links, r.next, r.skipped = false, false, 0, false
		r.prefAt, r.gwAt, r.dist = strings.Index(
			s,
			"PREF-SRC",
		), strings.Index(
			s,
			"GATEWAY",
		), strings.Contains(
			s,
			"DISTANCE",
		)
		r.wide = nil
		if _, behind, ok := strings.Cut(s, "DISTANCE"); ok && strings.TrimSpace(behind) != "" {
			r.wide = columnsOf(s)
		}
		r.Pass(lo, hi, layout.Names)
		return nil
	case isAddresses(line) && !strings.HasPrefix(t, "Columns:"):
		r.flush()
		r.inKey, r.addrs, r.links, r.gwAt, r.counts = false, true, false, -1, strings.HasPrefix(t, "#")
		r.six = strings.HasSuffix(t, "ADVERTISE")
		r.Pass(lo, hi, layout.Names)
		return nil
	case isInterfaces(line):
		r.flush()
		r.inKey, r.addrs, r.gwAt, r.wide = false, false, -1, columnsOf(s)
		r.links = len(r.wide) > 2 && r.wide[1].name == "NAME" && r.wide[2].name == "TYPE"
		r.Pass(lo, hi, layout.Names)
		return nil
	case r.inKey && strings.Contains(t, " - ") && !isDetail(line):
		r.key(t)
		r.Pass(lo, hi, layout.Key)
		return nil
	}
	r.inKey = false
	if front, _, ok := strings.Cut(t, ";;;"); ok { // a comment; number and flags may stand before it
		flags, rest := r.split(strings.Fields(front))
		if len(rest) > 0 {
			return layout.ErrNotARoute
		}
		r.flush()
		r.carried, r.comment = flags, true
		r.Pass(lo, hi, layout.Other)
		return nil
	}
	if r.links {
		return r.linkRow(s, lo, hi)
	}
	if r.addrs {
		return r.address(t, lo, hi)
	}
	if isDetail(line) {
		return r.detail(t, lo, hi)
	}
	if isNeighbour(line) {
		return r.neighbour(t, lo, hi)
	}
	if r.pairs != nil && s[0] != ' ' && s[0] != '\t' { // the line above was broken in the middle of a word
		r.pairs = nil
		r.Collector.Read--
		r.LeaveUnread(r.lo, r.hi, errBroken)
		return errBroken
	}
	if r.pairs != nil && strings.Contains(t, "=") {
		addPairs(r.pairs, t)
		r.hi = hi
		r.Collector.Read++
		return nil
	}
	if r.gwAt < 0 {
		return layout.ErrNotARoute
	}
	return r.row(s, lo, hi)
}

// nameAt is a column's name with its bounds.
type nameAt struct {
	name   string
	lo, hi int
}

// columnsOf lists the names of a heading.
func columnsOf(s string) []nameAt {
	var out []nameAt
	for at := 0; at < len(s); {
		lo, hi := layout.Field([]byte(s), at)
		if lo == hi {
			break
		}
		out = append(out, nameAt{s[lo:hi], lo, hi})
		at = hi
	}
	return out
}

// narrowed keeps the flags, destination, gateway and distance of a row that has more columns than those.
func (r *reader) narrowed(s string) string {
	line := []byte(s)
	keep := ""
	for lo, hi := layout.Field(line, 0); lo < hi; lo, hi = layout.Field(line, hi) {
		name := "" // of the last column that begins at or before the word, or that it reaches into from the left
		for _, c := range r.wide {
			if c.lo <= lo || hi > c.lo && lo < c.hi {
				name = c.name
			}
		}
		switch name {
		case "", "#", "DST-ADDRESS", "PREF-SRC", "GATEWAY", "DISTANCE":
			keep += " " + s[lo:hi]
		}
	}
	return keep
}

// row reads a row of the columns.
func (r *reader) row(s string, lo, hi int) error {
	if r.wide != nil {
		s = r.narrowed(s)
	}
	flags, w := r.flagsOf(s)
	if len(w) == 0 || !layout.LooksLikeAddress(zone.ReplaceAll([]byte(w[0]), nil)) {
		return layout.ErrNotARoute
	}
	pairs := map[string]string{"dst-address": w[0]}
	w = w[1:]
	if r.dist && len(w) == 0 {
		return fmt.Errorf("%w: no distance, which the heading has", layout.ErrNotARoute)
	}
	if n := len(w); r.dist {
		if _, ok := layout.Uint([]byte(w[n-1])); ok {
			pairs["distance"], w = w[n-1], w[:n-1]
		} else if strings.HasPrefix(w[n-1], "-") {
			return fmt.Errorf("%w: %q", layout.ErrNumber, w[n-1])
		} else { // it may be glued to the word before
			return fmt.Errorf("%w: no distance, which the heading has", layout.ErrNotARoute)
		}
	}
	if r.prefAt >= 0 && len(w) > 0 && (len(w) > 1 || strings.Index(s, " "+w[0])+1 < r.gwAt-2) {
		pairs["pref-src"], w = w[0], w[1:]
	}
	if len(w) > 0 {
		pairs["gateway"] = strings.Join(w, " ")
	}
	more, end := r.gateways(hi)
	pairs["gateway"] = strings.Join(append([]string{pairs["gateway"]}, more...), ",")
	if err := r.route(flags, pairs, lo, end); err != nil {
		return err
	}
	if len(more) > 0 {
		r.led = likeRow{}
	}
	r.Collector.Read += 1 + len(more)
	r.taken = end
	return nil
}

// gateways are those of equal ways, which stand alone below a row in the gateway's column, and where they end.
func (r *reader) gateways(hi int) (more []string, end int) {
	end = hi
	for lo, to := range layout.Lines(r.behind) {
		line := string(r.behind[lo:to])
		w := strings.Fields(line)
		if len(w) == 0 && lo == 0 { // the end of the row itself
			continue
		}
		if len(w) != 1 || strings.Index(line, w[0]) < r.gwAt-1 {
			break
		}
		if _, ok := layout.Addr([]byte(w[0])); !ok {
			break
		}
		more, end = append(more, w[0]), hi+to
	}
	return more, end
}

var errBroken = errors.New("a line of pairs that is broken in the middle of one")

// zone is the interface of a network of link-local addresses: fe80::%ether1/64 (RFC 4007 section 11).
var zone = lazyregexp.New(`%[^/]+`)

// hops reads the gateways: addresses, "address%interface", interfaces, separated by commas.
func hops(s string) ([]route.NextHop, error) {
	var out []route.NextHop
	for g := range strings.SplitSeq(s, ",") {
		g = strings.TrimSpace(g)
		if g == "" {
			continue
		}
		addr, dev, _ := strings.Cut(g, "%")
		h := route.NextHop{Interface: dev}
		if a, ok := layout.Addr([]byte(addr)); ok {
			h.Address = a
		} else if layout.LooksLikeAddress([]byte(addr)) {
			return nil, fmt.Errorf("%w: %q", layout.ErrAddress, addr)
		} else {
			h.Interface = addr
		}
		out = append(out, h)
	}
	return out, nil
}

// discards are the words for routes that throw packets away.
var discards = map[string]route.Special{"blackhole": route.Blackhole, "unreachable": route.Unreachable,
	"prohibit": route.Prohibit}

var words = map[string]route.Protocol{
	"connect":   route.Direct,
	"connected": route.Direct,
	"static":    route.Static,
	"rip":       route.RIP,
	"bgp":       route.BGP,
	"ospf":      route.OSPF,
	"isis":      route.ISIS,
	"is-is":     route.ISIS,
	"dhcp":      route.DHCP,
	"slaac":     route.Other,
	"vpn":       route.Other,
	"copy":      route.Other,
}

// route makes a route of the pairs of one row, with the state that its flags mean in the key above.
func (r *reader) route(flags string, pairs map[string]string, lo, hi int) error {
	p, err := layout.Prefix(zone.ReplaceAll([]byte(pairs["dst-address"]), nil), true)
	if err != nil {
		return err
	}
	a := layout.Attributes{}
	if d, ok := layout.Uint([]byte(pairs["distance"])); ok {
		a.Preference = route.N(d)
	}
	if a.NextHops, err = hops(pairs["gateway"]); err != nil {
		return err
	}
	state := route.State(0)
	for _, c := range flags {
		switch text := r.legend[string(c)]; {
		case text == "active":
			state |= route.Active | route.Installed
		case text == "disabled", text == "inactive":
			state = route.Unusable
		case text == "blackhole":
			a.Special = route.Blackhole
		case text == "unreachable":
			a.Special = route.Unreachable
		case text == "prohibit":
			a.Special = route.Prohibit
		default:
			if proto, ok := words[text]; ok {
				a.Protocol = proto
				if proto == route.Other {
					a.Subtype = text
				}
			}
		}
	}
	if state&route.Unusable != 0 {
		state = route.Unusable
	}
	// newer ones print it in the gateway's place
	if sp := discards[cmp.Or(pairs["type"], pairs["gateway"])]; sp != route.None {
		a.Special = sp
		if discards[pairs["gateway"]] != route.None {
			a.NextHops = nil
		}
	}
	if a.Protocol == route.RIP && p.Addr().Is6() {
		a.Protocol = route.RIPng
	}
	m := layout.Mark(lo, hi)
	own, _, _ := strings.Cut(cmp.Or(strings.Trim(pairs["pref-src"], `"`), pairs["local-address"]), "%")
	if src, ok := layout.Addr([]byte(own)); ok && a.Protocol == route.Direct && len(a.NextHops) == 1 &&
		p.Contains(src) {
		r.Facts.Addresses = append(
			r.Facts.Addresses,
			network.Address{Prefix: netip.PrefixFrom(src, p.Bits()), Interface: a.NextHops[0].Interface, Mark: m},
		)
	}
	// The gateway that an address is reached through, where the row shows it.
	if im := pairs["immediate-gw"]; im != "" {
		for i, h := range a.NextHops {
			if _, dev, ok := strings.Cut(im, "%"); ok && h.Address.IsValid() && h.Interface == "" &&
				strings.HasPrefix(im, h.Address.String()+"%") {
				a.NextHops[i].Interface = dev
			}
		}
	}
	table := "default"
	for _, k := range [...]string{"routing-table", "routing-mark", "vrf"} {
		if v := pairs[k]; v != "" && v != "main" {
			table = v
		}
	}
	shared := r.Add(table, network.Candidates, a.Route(p, state, m), r.Room(r.behind))
	if len(pairs) <= 3 && a.Protocol != route.Direct { // a destination, a gateway and a distance
		r.led = likeRow{shared, state, p}
	}
	if r.skipped { // of whichever table those are
		for i := range r.Facts.Tables {
			r.Facts.Tables[i].Filtered = m
		}
	}
	return nil
}
