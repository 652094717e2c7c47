// Package speaking reads what routers list of the interfaces on which OSPF runs: the area, the cost, whether it is
// passive there. It exists because tables alone do not show whether there are several areas, and such a listing is what
// people have at hand when they have no configuration.
//
// What it says holds at the moment of the capture and of the interfaces that it lists, so its facts are marked as
// listed: nothing follows for others, nor for what the router announces.
package speaking

import (
	"errors"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const name = "protocol interfaces"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "the interfaces on which OSPF runs, with area and cost, as paragraphs or one a row",
	Sample: "lift0 is up\n  Internet Address 172.28.61.1/30, Broadcast 172.28.61.3, Area 0.0.0.0\n" +
		"  Router ID 10.61.254.1, Network Type POINTOPOINT, Cost: 10, Adjacent neighbor count is 1\n"}

var (
	// header begins a paragraph.
	header = lazyregexp.New(`^(\S+) is (up|down|administratively down)\b(?:, line protocol is (up|down))?`)
	// areaOfAddress and areaOfSix tell the area, of IPv4 and of IPv6 in two forms.
	areaOfAddress = lazyregexp.New(`^\s+Internet Address (\d+\.\d+\.\d+\.\d+/\d+)\b.*, Area (\d[\d.]*)\b`)
	areaOfSix     = lazyregexp.New(`^\s+(?:Area ID (\d[\d.]*), Cost \d+|Area (\d[\d.]*), Process ID \d+)`)
	costWords     = lazyregexp.New(`\bCost:? (\d+)`)
	adjacent      = lazyregexp.New(`(?i)\badjacent (?:neighbor count is|with) (\d+)`) // fully, not merely heard of
	// heading is that of one interface a row.
	heading = lazyregexp.New(`^\s*Interface\s.*\bArea\s.*\bCost\b`)
	inVRF   = lazyregexp.New(`^\s*(?:OSPF )?Process ID \S+ VRF (\S+)`)
)

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if line := text[lo:min(hi, lo+300)]; areaOfAddress.Match(line) || areaOfSix.Match(line) || heading.Match(line) {
			n += 20
		}
	}
	return n
}

// paragraph is what one interface's lines tell.
type paragraph struct {
	name     string
	mark     layout.Span
	state    network.LinkState
	area     string
	areaAt   []layout.Span
	family   route.Family
	address  netip.Prefix
	cost     route.Number
	passive  bool
	speaking bool // somebody answers
	mixed    bool // it has lines of another one, whose first line was lost
}

var errMixed = errors.New("the lines of two interfaces, of which one lost its first")

type reader struct {
	layout.Collector
	open   *paragraph
	cols   []string // of a listing by rows; nil outside of one
	others bool     // the rows are of another instance
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{}
	r.Layout = name
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:hi])
		if strings.TrimSpace(line) == "" {
			continue
		}
		if m := header.FindStringSubmatch(line); m != nil {
			r.close()
			r.cols, r.open = nil, &paragraph{name: m[1], mark: layout.Span{Lo: lo, Hi: hi}, state: network.LinkUp}
			if m[2] != "up" || m[3] == "down" {
				r.open.state = network.LinkDown
			}
			continue
		}
		r.line(line, lo, hi)
	}
	r.close()
	return r.Reading
}

// line reads what is no header.
func (r *reader) line(line string, lo, hi int) {
	inside := line[0] == ' ' || line[0] == '\t'
	switch m := inVRF.FindStringSubmatch(line); {
	case heading.MatchString(line):
		r.close()
		r.cols = columns(line)
		r.Pass(lo, hi, layout.Names)
	case m != nil && r.open == nil:
		r.others = m[1] != "default"
		r.Pass(lo, hi, layout.Title)
	case r.cols != nil:
		if err := r.row(columns(line), lo, hi); err != nil {
			r.LeaveUnread(lo, hi, err)
		}
	case inside && r.open != nil:
		r.detail(line, lo, hi)
	default:
		r.close()
		r.LeaveUnread(lo, hi, layout.ErrNotARoute)
	}
}

// detail reads a line of a paragraph.
func (r *reader) detail(line string, lo, hi int) {
	p, told, placed := r.open, false, false
	if m := areaOfAddress.FindStringSubmatch(line); m != nil {
		a, err := netip.ParsePrefix(m[1])
		area, ok := layout.Area(m[2])
		if err != nil || !ok {
			r.LeaveUnread(lo, hi, layout.ErrAddress)
			return
		}
		p.mixed = p.mixed || p.area != ""
		p.address, p.area, p.family, placed = a, area, route.IPv4, true
	}
	if m := areaOfSix.FindStringSubmatch(line); m != nil {
		area, ok := layout.Area(m[1] + m[2])
		if !ok {
			r.LeaveUnread(lo, hi, layout.ErrNumber)
			return
		}
		p.mixed = p.mixed || p.area != ""
		p.area, p.family, placed = area, route.IPv6, true
	}
	if m := costWords.FindStringSubmatch(line); m != nil {
		n, ok := layout.Uint([]byte(m[1]))
		if !ok || n > 1<<16-1 { // RFC 2328 section A.4.2
			r.LeaveUnread(lo, hi, layout.ErrNumber)
			return
		}
		p.mixed = p.mixed || p.cost.Known
		p.cost, told = route.N(n), true
	}
	if m := adjacent.FindStringSubmatch(line); m != nil {
		p.speaking, told = strings.Trim(m[1], "0") != "", true
	}
	if low := strings.ToLower(line); strings.Contains(low, "passive interface") || strings.Contains(low, "no hellos") {
		p.passive, told = true, true
	}
	switch {
	case placed: // accounted for when it is known whose it is
		p.areaAt = append(p.areaAt, layout.Span{Lo: lo, Hi: hi})
	case told:
		r.Pass(lo, hi, layout.Part)
	default:
		r.Pass(lo, hi, layout.Other)
	}
}

// close ends a paragraph.
func (r *reader) close() {
	p := r.open
	if r.open = nil; p == nil {
		return
	}
	mark := layout.Mark(p.mark.Lo, p.mark.Hi)
	r.Collector.Read++
	r.Facts.Interfaces = append(r.Facts.Interfaces, network.Interface{Name: p.name, State: p.state, Mark: mark})
	if p.mixed {
		for _, at := range p.areaAt {
			r.LeaveUnread(at.Lo, at.Hi, errMixed)
		}
		return
	}
	if len(p.areaAt) == 0 {
		return
	}
	mark = layout.Mark(p.areaAt[0].Lo, p.areaAt[0].Hi)
	r.Collector.Read++
	if p.address.IsValid() {
		r.Facts.Addresses = append(r.Facts.Addresses, network.Address{Prefix: p.address, Interface: p.name, Mark: mark})
	}
	r.runs(p, mark)
}

// runs tells how OSPF runs on an interface. Where nobody answers and it is not passive, nobody knows whether somebody
// will: the area alone is told.
func (r *reader) runs(p *paragraph, m route.Mark) {
	x := network.ProtocolInterface{Protocol: route.OSPF, Family: p.family, Area: p.area, Listed: true, Mark: m}
	if p.state == network.LinkUp && (p.speaking || p.passive) {
		x.Interface, x.On, x.Cost, x.Passive = p.name, true, p.cost, p.passive
	}
	r.Facts.Protocols = append(r.Facts.Protocols, x)
}

// twoWords are names of columns that stand in two words.
var twoWords = strings.NewReplacer("IP Address/Mask", "Address", "IP Address", "Address", "Nbrs F/C", "Full",
	"Intf ID", "IntfID")

// columns are the words of a row, or the names of them all.
func columns(line string) []string { return strings.Fields(twoWords.Replace(line)) }

// row reads one interface of a listing by rows.
func (r *reader) row(w []string, lo, hi int) error {
	if len(w) != len(r.cols) || r.others {
		return layout.ErrNotARoute
	}
	p := &paragraph{family: route.IPv4, state: network.LinkUp}
	for i, name := range r.cols {
		switch strings.ToLower(name) {
		case "interface":
			p.name = w[i]
		case "vrf":
			if w[i] != "default" {
				return layout.ErrNotARoute
			}
		case "intfid":
			p.family = route.IPv6
		case "area":
			area, ok := layout.Area(w[i])
			if p.area = area; !ok {
				return layout.ErrNumber
			}
		case "cost":
			n, ok := layout.Uint([]byte(w[i]))
			if p.cost = route.N(n); !ok || n > 1<<16-1 {
				return layout.ErrNumber
			}
		case "address":
			a, err := netip.ParsePrefix(w[i])
			if err != nil || !a.Addr().Is4() {
				return layout.ErrAddress
			}
			p.address = a
		case "state":
			if strings.EqualFold(w[i], "down") {
				p.state = network.LinkUnknown // OSPF's state, not the link's
			}
		case "full": // of all that were heard of
			full, _, _ := strings.Cut(w[i], "/")
			n, ok := layout.Uint([]byte(full))
			if p.speaking = n > 0; !ok {
				return layout.ErrNumber
			}
		}
	}
	m := layout.Mark(lo, hi)
	if p.address.IsValid() {
		r.Facts.Addresses = append(r.Facts.Addresses, network.Address{Prefix: p.address, Interface: p.name, Mark: m})
	}
	r.runs(p, m)
	r.Collector.Read++
	return nil
}
