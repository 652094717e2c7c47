// Package paragraphs reads what devices print when they are asked for one destination: a paragraph about the one route
// that answers for it. It exists because such an answer is no table: it tells of the destination that was asked for,
// and of nothing else.
package paragraphs

import (
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const name = "paragraphs"

// Reader reads this family.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "the answer to a question for one destination: Routing entry for, Known via",
	Sample: "Routing entry for 10.61.32.0/24\n" +
		"  Known via \"ospf 1\", distance 110, metric 20, type intra area\n" +
		"  * 172.28.61.6, from 10.61.254.2, 00:12:34 ago, via line1\n"}

var (
	begins    = lazyregexp.New(`^Routing entry for (\S+?),?(?:\s+\(mask (\S+)\))?(?:,.*)?\s*$`)
	known     = lazyregexp.New(`^\s+Known via "([^"]+)"(?:, distance (\d+))?(?:, metric (\d+))?(.*)$`)
	kind      = lazyregexp.New(`, type ([a-z0-9 -]+)`)
	table     = lazyregexp.New(`^Routing table for VRF=(\S+)\s*$`)
	within    = lazyregexp.New(`^(\s+\*?\s*)vrf (\S+) `)
	hop       = lazyregexp.New(`^\s+(\*)?\s*([0-9a-fA-F.:]+)(?:\s*\(([^()]*)\))?(?:,|\s|$)(.*)$`)
	direct    = lazyregexp.New(`^\s+(\*)?\s*directly connected, (?:via )?(\S+?),?(?:\s.*)?$`)
	via       = lazyregexp.New(`(?:^|\s)via (?:"?([A-Za-z][^\s,"]*)"?)`)
	standsBy  = lazyregexp.New(`(?i), backup\b`)
	share     = lazyregexp.New(`traffic share count is (\d+)`)
	weight    = lazyregexp.New(`weight (\d+)`)
	marksBest = lazyregexp.New(`(?m)^\s+Known via .*, best\s*$`)
	aside     = lazyregexp.New(`^\s+(?:Last update|Routing Descriptor Blocks|Redistributing|Advertised|Tag ` +
		`|Route tag|MPLS|AS Hops|Total delay|Reliability|` +
		`Loading|Route metric is|Installed |Routing entry|No advertising|Opaque|SR |opaque|from |Path|VRF|vrf|Hops )`)
)

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		line := string(text[lo:min(hi, lo+300)])
		if begins.MatchString(line) || known.MatchString(line) {
			n += 4
		}
	}
	return n
}

type reader struct {
	layout.Collector
	table  string
	open   bool
	prefix netip.Prefix
	attr   layout.Attributes
	lo, hi int
	head   []bounds // the lines of the paragraph so far, with nothing read yet
	marks  bool     // the device marks the best of several routes
	best   bool
}

type bounds struct{ lo, hi int }

// Read reads a text of this family. Its tables are parts, whatever was asked.
func Read(text []byte) layout.Reading {
	r := reader{table: "default", marks: marksBest.Match(text)}
	r.Layout = name
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:hi])
		if strings.TrimSpace(line) == "" {
			continue
		}
		if err := r.line(line, lo, hi); err != nil {
			r.LeaveUnread(lo, hi, err)
		}
	}
	r.flush()
	for i := range r.Facts.Tables {
		r.Facts.Tables[i].Filtered = r.Facts.Tables[i].Routes.At(0).Mark
	}
	return r.Reading
}

// line reads a paragraph about one destination, line by line; it is added when the next one begins.
func (r *reader) line(s string, lo, hi int) error {
	if m := begins.FindStringSubmatch(s); m != nil {
		r.flush()
		text := m[1]
		if m[2] != "" {
			text += "/" + m[2]
		}
		p, err := layout.Prefix([]byte(text), false)
		if err != nil {
			return err
		}
		r.open, r.prefix, r.lo, r.hi = true, p.Masked(), lo, hi
		r.attr, r.head, r.best = layout.Attributes{}, []bounds{{lo, hi}}, !r.marks
		return nil
	}
	if m := table.FindStringSubmatch(s); m != nil {
		r.flush()
		r.table = tableOf(m[1])
		r.Pass(lo, hi, layout.Title)
		return nil
	}
	if !r.open {
		return layout.ErrNotARoute
	}
	other := "" // the table that the next hop is in, where that is not the paragraph's own
	if m := within.FindStringSubmatch(s); m != nil {
		if s = m[1] + s[len(m[0]):]; tableOf(m[2]) != r.table {
			other = tableOf(m[2])
		}
	}
	switch {
	case known.MatchString(s):
		m := known.FindStringSubmatch(s)
		r.attr.Protocol, r.attr.Subtype = protocol(m[1], m[4])
		r.best = r.best || strings.Contains(m[4], ", best")
		if n, ok := layout.Uint([]byte(m[2])); ok {
			r.attr.Preference = route.N(n)
		}
		if n, ok := layout.Uint([]byte(m[3])); ok {
			r.attr.Metric = route.N(n)
		}
	case direct.MatchString(s):
		m := direct.FindStringSubmatch(s)
		if layout.Discards(m[2]) {
			r.attr.Special = route.Blackhole
		} else {
			r.attr.NextHops = append(r.attr.NextHops, route.NextHop{Interface: m[2]})
		}
	case aside.MatchString(s):
		if m := share.FindStringSubmatch(s); m != nil && len(r.attr.NextHops) > 0 {
			h := &r.attr.NextHops[len(r.attr.NextHops)-1]
			switch n, ok := layout.Uint([]byte(m[1])); {
			case !ok:
			case n == 0: // nothing goes by it
				h.Backup = true
			case n > 1 && n < 1<<16:
				h.Weight = uint32(n)
			}
		}
	case hop.MatchString(s):
		m := hop.FindStringSubmatch(s)
		h := route.NextHop{Table: other}
		var ok bool
		if h.Address, ok = layout.Addr([]byte(m[2])); !ok {
			return fmt.Errorf("%w: %q", layout.ErrAddress, m[2])
		}
		if v := via.FindStringSubmatch(m[4]); v != nil {
			h.Interface = v[1]
		}
		if strings.Contains(m[3], "vrf ") || strings.Contains(m[3], "VRF ") {
			h.Table = strings.TrimSpace(m[3][strings.LastIndex(strings.ToLower(m[3]), "vrf ")+4:])
		}
		if w := weight.FindStringSubmatch(m[4]); w != nil {
			if n, ok := layout.Uint([]byte(w[1])); ok && n > 1 && n < 1<<16 {
				h.Weight = uint32(n)
			}
		}
		if strings.Contains(m[4], "inactive") || strings.Contains(m[3], "inactive") {
			h.Inactive = true
		}
		h.Backup = standsBy.MatchString(m[4])
		r.attr.NextHops = append(r.attr.NextHops, h)
	default:
		return layout.ErrNotARoute
	}
	r.head = append(r.head, bounds{lo, hi})
	r.hi = hi
	return nil
}

// tableOf is the table of a VRF, of which the main one has the number 0.
func tableOf(vrf string) string {
	if vrf == "0" {
		return "default"
	}
	return vrf
}

// flush ends a paragraph. One that tells no way is unread as a whole.
func (r *reader) flush() {
	if !r.open {
		return
	}
	r.open = false
	if len(r.attr.NextHops) == 0 && r.attr.Special == route.None {
		for _, b := range r.head {
			r.LeaveUnread(b.lo, b.hi, layout.ErrNoRoute)
		}
		return
	}
	a := r.attr
	if a.Protocol == route.RIP && r.prefix.Addr().Is6() {
		a.Protocol = route.RIPng
	}
	r.Collector.Read += len(r.head)
	state := route.State(0)
	if r.best {
		state = route.Active | route.Installed
	}
	r.Add(r.table, network.Candidates,
		a.Route(r.prefix, state, layout.Mark(r.lo, r.hi)), 0)
}

var protocols = map[string]route.Protocol{
	"connected": route.Direct, "direct": route.Direct, "static": route.Static, "rip": route.RIP, "ripng": route.RIPng,
	"ospf":   route.OSPF,
	"ospfv3": route.OSPF, "ospf6": route.OSPF, "eigrp": route.EIGRP, "bgp": route.BGP, "isis": route.ISIS,
	"is-is":  route.ISIS,
	"kernel": route.Kernel, "local": route.Local, "babel": route.Babel,
}

// protocol reads "ospf 7" and what the rest of the line says of the kind of path.
func protocol(s, rest string) (route.Protocol, string) {
	word, _, _ := strings.Cut(strings.ToLower(s), " ")
	p, ok := protocols[word]
	if !ok {
		return route.Other, word
	}
	m := kind.FindStringSubmatch(rest)
	if m == nil {
		return p, ""
	}
	switch t := strings.TrimSpace(m[1]); {
	case t == "internal", t == "external":
		return p, t
	case strings.HasPrefix(t, "intra"):
		return p, "intra-area"
	case strings.HasPrefix(t, "inter"):
		return p, "inter-area"
	case strings.HasPrefix(t, "extern 1"), strings.HasPrefix(t, "external 1"), strings.HasPrefix(t, "E1"):
		return p, "external-1"
	case strings.HasPrefix(t, "extern 2"), strings.HasPrefix(t, "external 2"), strings.HasPrefix(t, "E2"):
		return p, "external-2"
	case strings.HasPrefix(t, "NSSA extern 1"):
		return p, "nssa-external-1"
	case strings.HasPrefix(t, "NSSA extern 2"):
		return p, "nssa-external-2"
	case t == "level-1", t == "level-2":
		return p, t
	}
	return p, ""
}
